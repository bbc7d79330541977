import { randomBytes } from "node:crypto";
import type { KeyRing, TotpSettings } from "@lucchetto/core";
import { NONCE_LENGTH, seal, writeBase32 } from "@lucchetto/core";
import type { AuthenticatorRow } from "../../base/storage/index.ts";
import { newId } from "../../base/storage/index.ts";
import { secretPlace } from "../../records/second-factor/secret.ts";

/** How one is called until its owner calls it something else. */
export const USUAL_NAME = "Authenticator app";

/** What one is made of. */
interface NewAuthenticator {
  readonly accountId: string;
  /** How it is called until its owner calls it something else; left out, "Authenticator app". */
  readonly name?: string | undefined;
  readonly secret: Uint8Array;
  readonly settings: TotpSettings;
  /** Too short to stay. */
  readonly isShort?: boolean;
  /** Until when it must be confirmed; `null`: it counts at once. */
  readonly expiresAt: Date | null;
}

/** The row of an authenticator that has spent no code yet, its secret sealed for this row. */
export function newAuthenticator(
  sealingKeys: KeyRing,
  { accountId, name = USUAL_NAME, secret, settings, isShort = false, expiresAt }: NewAuthenticator,
  now: Date,
): AuthenticatorRow {
  const id = newId(now);
  return {
    id,
    accountId,
    name,
    sealedSecret: seal(sealingKeys, writeBase32(secret), secretPlace(id), randomBytes(NONCE_LENGTH)),
    algorithm: settings.algorithm,
    digits: settings.digits,
    period: settings.period,
    lastStep: null,
    drift: 0,
    lastOffset: null,
    isShort,
    createdAt: now,
    expiresAt: expiresAt ?? now,
    activatedAt: expiresAt === null ? now : null,
    lastUsedAt: null,
    removedAt: null,
    provedSince: null,
  };
}
