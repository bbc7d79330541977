/** The list of common passwords: from a well-kept package, held in lower case. */
import { dictionary } from "@zxcvbn-ts/language-common";

/** Entries, lower case, without repeats: some 49,000. */
export const COMMON_PASSWORDS: ReadonlySet<string> = new Set(
  dictionary["passwords-common"].map((password) => String(password).toLowerCase()),
);

/** Whether a lower-case text stands on the list. */
export function isListed(lowerCase: string): boolean {
  return COMMON_PASSWORDS.has(lowerCase);
}
