/** The secrets of authenticators, sealed for the row in which they stand. */
import { randomBytes } from "node:crypto";
import { NONCE_LENGTH, open, readBase32, seal, sealedUnder, SealError, writeBase32 } from "@lucchetto/core";
import type { AuthenticatorRow } from "../../base/storage/index.ts";
import type { ServiceContext } from "../context.ts";

/** The secret of an authenticator; `null` if it does not open: its key is not in the ring any more. */
export function openSecret(
  { sealingKeys }: Pick<ServiceContext, "sealingKeys">,
  { id, sealedSecret }: Pick<AuthenticatorRow, "id" | "sealedSecret">,
): Uint8Array | null {
  try {
    return readBase32(open(sealingKeys, sealedSecret, secretPlace(id)));
  } catch (error) {
    if (error instanceof SealError) return null;
    throw error;
  }
}

/** Where a secret stands; sealed for this place, it opens at no other. */
export function secretPlace(id: string) {
  return { table: "authenticator", record: id, purpose: "totp-secret" };
}

/** Under the present key, where it stands under an older one; so that this one can be retired at last. */
export function reencryptIfOldKey(
  { sealingKeys }: Pick<ServiceContext, "sealingKeys">,
  { id, sealedSecret }: AuthenticatorRow,
  secret: Uint8Array,
): string | null {
  if (sealedUnder(sealedSecret) === sealingKeys.current) return null;
  return seal(sealingKeys, writeBase32(secret), secretPlace(id), randomBytes(NONCE_LENGTH));
}
