/** A second factor straight in the database, where an operator is made on the service's own machine. */
import { randomBytes } from "node:crypto";
import type { KeyRing } from "@lucchetto/core";
import { NONCE_LENGTH, seal, TOTP_SECRET_BYTES, USUAL_TOTP, writeBase32, writeKeyUri } from "@lucchetto/core";
import { toString as drawQr } from "qrcode";
import type { EntityManager } from "typeorm";
import { newId } from "../storage/index.ts";
import { makeCodes } from "./make-codes.ts";
import { secretPlace } from "./secret.ts";
import { insertAuthenticator } from "./store.ts";

/** What the operator takes over now: it is shown this once. */
export interface DirectEnrolment {
  readonly uri: string;
  /** The same as a picture of block characters. */
  readonly picture: string;
  readonly recoveryCodes: readonly string[];
}

/** Sets an authenticator app up that counts at once. @param issuer the site's name, for the app. */
export async function enrolDirectly(
  manager: EntityManager,
  {
    sealingKeys,
    issuer,
    account,
    now,
  }: { sealingKeys: KeyRing; issuer: string; account: { id: string; name: string }; now: Date },
): Promise<DirectEnrolment> {
  const secret = randomBytes(TOTP_SECRET_BYTES[USUAL_TOTP.algorithm]);
  const id = newId(now);
  await insertAuthenticator(manager, {
    id,
    accountId: account.id,
    name: "Authenticator app",
    sealedSecret: seal(sealingKeys, writeBase32(secret), secretPlace(id), randomBytes(NONCE_LENGTH)),
    ...USUAL_TOTP,
    lastStep: null,
    drift: 0,
    lastOffset: null,
    isShort: false,
    createdAt: now,
    expiresAt: now,
    activatedAt: now,
    lastUsedAt: null,
    removedAt: null,
  });
  const uri = writeKeyUri({ issuer, account: account.name, secret, settings: USUAL_TOTP });
  const recoveryCodes = await makeCodes({ sealingKeys }, manager, account.id, now);
  const picture = await drawQr(uri, { type: "utf8", errorCorrectionLevel: "L", margin: 2 });
  return { uri, picture, recoveryCodes };
}
