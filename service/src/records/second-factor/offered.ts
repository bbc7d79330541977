/** Which second factors an account can show, in the order in which they are offered. A proof method that is one has a line here. */
import type { SecondFactor } from "@lucchetto/core";
import type { EntityManager } from "typeorm";
import { hasPasskey } from "../passkey/store.ts";
import { countUnusedCodes, hasAuthenticator } from "./store.ts";

interface Offer {
  readonly type: SecondFactor;
  /** @param offered those before it in the list that the account has. */
  isOffered(manager: EntityManager, accountId: string, offered: readonly SecondFactor[]): Promise<boolean>;
}

const OFFERS: readonly Offer[] = [
  { type: "passkey", isOffered: hasPasskey },
  { type: "totp", isOffered: hasAuthenticator },
  {
    type: "recovery-code",
    // Alone codes are no second factor: they go with what they stand in for.
    isOffered: async (manager, accountId, offered) =>
      offered.length > 0 && (await countUnusedCodes(manager, accountId)) > 0,
  },
];

/** What an account can show besides a first proof; empty: it has no second factor. */
export async function secondFactorsOf(manager: EntityManager, accountId: string): Promise<SecondFactor[]> {
  const offered: SecondFactor[] = [];
  // One after the other: inside a transaction they share a connection.
  for (const { type, isOffered } of OFFERS)
    if (await isOffered(manager, accountId, offered)) offered.push(type);
  return offered;
}
