/** Where the focus goes when a dialog is gone. */
import { tick } from "svelte";

/**
 * For `$effect.pre` of a dialog that is about to open.
 * @returns for when it has closed: whatever opened it has the focus again (WCAG 2.4.3).
 */
export function rememberFocus(): () => void {
  const opener = document.activeElement;
  return () => {
    // What opened it may be gone as well; and while the dialog stands, nothing behind it takes the focus.
    void tick().then(() => {
      if (opener instanceof HTMLElement && opener.isConnected) opener.focus();
    });
  };
}
