/** What can be said of a new password before it is sent; the service judges it in full. */
import { page } from "./page.ts";

/** Sentences by field name; empty if it may be sent. */
export function judgeNewPassword(password: string, repeated: string): Record<string, string> {
  if (password === "") return { password: "Choose a password." };
  if ([...password].length < page.minimumPasswordLength)
    return { password: `Use at least ${page.minimumPasswordLength} characters.` };
  return password === repeated ? {} : { repeated: "The two passwords differ." };
}
