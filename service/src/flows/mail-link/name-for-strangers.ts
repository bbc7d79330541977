/** How an account is called to somebody who need not be its owner (RC-2). */
import type { AccountFacts } from "../../base/storage/index.ts";

/** The username, or the address with its name left out; never a name that can be chosen freely, unless there is nothing else. */
export function nameForStrangers({
  username,
  email,
  displayName,
}: Pick<AccountFacts, "username" | "email" | "displayName">): string {
  if (username !== null) return username;
  if (email === null) return displayName ?? "";
  const [name = "", domain = ""] = email.split(/@(?=[^@]*$)/);
  return `${[...name][0] ?? ""}…@${domain}`;
}
