/** The relying party id stands with each passkey: under another one browsers would offer none of them. */
import type { DataSource } from "typeorm";
import type { Configuration } from "../../base/config/index.ts";
import { countOfOtherParties } from "../../records/passkey/store.ts";

/** What would be lost under the configured relying party id, unless it was given up on purpose. @returns a sentence with its remedy, or `null`. */
export async function lostPasskeys(
  dataSource: DataSource,
  { passkeys: { relyingPartyId, giveUp } }: Pick<Configuration, "passkeys">,
): Promise<string | null> {
  const others = (await countOfOtherParties(dataSource, relyingPartyId)).filter(
    (one) => !giveUp.includes(one.relyingPartyId),
  );
  if (others.length === 0) return null;
  const counts = others.map((one) => `${one.passkeys} made for ${one.relyingPartyId}`).join(", ");
  const ids = others.map((one) => one.relyingPartyId).join(", ");
  return `passkeys.relyingPartyId: found ${relyingPartyId}, but there are passkeys of another: ${counts}. Under this one their people could not sign in with them. Set it back, or give them up on purpose: passkeys.giveUp: [${ids}]`;
}
