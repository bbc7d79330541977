/** What somebody wrote down about an application's forms, where they are not recognised: `rehearsal.yaml`. */
import { parse } from "yaml";
import { z } from "zod";

const selector = z.string().min(1).max(500);

/** CSS selectors; what is left out is recognised by itself. */
const hints = z.strictObject({
  identifier: selector.optional(),
  password: selector.optional(),
  newPassword: selector.optional(),
  code: selector.optional(),
  submit: selector.optional(),
  complaint: selector.optional(),
  register: selector.optional(),
  signOut: selector.optional(),
  forgot: selector.optional(),
  mailLink: selector.optional(),
  goOn: selector.optional(),
  recovery: selector.optional(),
  passkey: selector.optional(),
});
export type Hints = z.output<typeof hints>;

/** What each names, in the order in which they are written down. */
export const HINTS: Readonly<Record<keyof Hints, string>> = {
  identifier: "the field for the address or name",
  password: "the field for the password when signing in",
  newPassword: "the field, or the fields, for a new password",
  code: "the field for a code of a second factor",
  submit: "the button that sends such a form",
  complaint: "what is said when something is wrong",
  register: "the way to the registration form",
  signOut: "the link or button that signs out",
  forgot: "the way to a forgotten password",
  mailLink: "the way to a sign-in by a mailed link",
  goOn: "what leads on where a mail was used, or back to the application",
  recovery: "the way to a recovery code in place of the code",
  passkey: "the button that signs in with a passkey",
};

/** Reads it. @throws Error that names the line or the member. */
export function readHints(text: string): Hints {
  const read = hints.safeParse(parse(text) ?? {});
  if (read.success) return read.data;
  const [issue] = read.error.issues;
  const unknown = issue?.code === "unrecognized_keys" ? issue.keys[0] : undefined;
  if (unknown !== undefined)
    throw new Error(`there is no ${JSON.stringify(unknown)}; there are ${Object.keys(HINTS).join(", ")}`);
  throw new Error(`${issue?.path.join(".") ?? ""}: expected a CSS selector`);
}
