/** This browser remembers that it registered an address whose mail waits: it alone is told so when signing in fails. */

const KEY = "lucchetto-mail-waits";

/** @param email as typed. */
export function rememberMailWaits(email: string): void {
  localStorage.setItem(KEY, email.trim().toLowerCase());
}

/** Whether a mail to this address was asked for here by registering, and not used as far as is known. */
export function doesMailWait(identifier: string): boolean {
  return identifier !== "" && localStorage.getItem(KEY) === identifier.trim().toLowerCase();
}

/** The address is proved, or somebody signed in. */
export function forgetMailWaits(): void {
  localStorage.removeItem(KEY);
}
