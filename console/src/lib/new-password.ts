/** What can be said of a new password before it is sent; the service judges it in full. */
import { texts } from "../texts/texts.ts";
import { page } from "./page.ts";

/** Sentences by field name; empty if it may be sent. */
export function judgeNewPassword(password: string, repeated: string): Record<string, string> {
  if (password === "") return { password: texts.newPassword.choose };
  if ([...password].length < page.minimumPasswordLength)
    return { password: texts.newPassword.tooShort(page.minimumPasswordLength) };
  return password === repeated ? {} : { repeated: texts.newPassword.differ };
}
