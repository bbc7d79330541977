/** What this browser keeps of somebody's passkeys follows what the service has (Web Authentication Level 3, section 5.1.10). */
import type { Account, Passkey } from "@lucchetto/contract";
import { routes } from "virtual:routes";
import { call, page } from "./page.ts";
import { knowsPasskeys, tellBrowser } from "./passkeys.ts";

/** One's own passkeys, as the service lists them. */
interface Own {
  readonly items: readonly Passkey[];
  readonly relyingPartyId: string;
  readonly userHandle: string | null;
}

/** Tells which still open the account, and what their owner is called now. */
export function tellOfOwn(account: Account, { items, relyingPartyId: rpId, userHandle: userId }: Own): void {
  if (userId === null) return;
  const allAcceptedCredentialIds = items.map(({ credentialId }) => credentialId);
  tellBrowser("signalAllAcceptedCredentials", { rpId, userId, allAcceptedCredentialIds });
  // As they are called when they are made.
  const name = account.email ?? account.username ?? page.site.name;
  tellBrowser("signalCurrentUserDetails", {
    rpId,
    userId,
    name,
    displayName: account.displayName ?? name,
  });
}

/** After an account was called something else. What the browser is not told now, it is when the passkeys are looked at. */
export async function tellOfNewName(account: Account): Promise<void> {
  if (!knowsPasskeys) return;
  try {
    tellOfOwn(account, (await call(routes.listPasskeys)).body);
  } catch {
    // The change itself was made.
  }
}
