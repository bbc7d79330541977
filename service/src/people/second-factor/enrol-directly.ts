/** A second factor straight in the database, where an operator is made on the service's own machine. */
import { randomBytes } from "node:crypto";
import type { KeyRing } from "@lucchetto/core";
import { TOTP_SECRET_BYTES, USUAL_TOTP, writeKeyUri } from "@lucchetto/core";
import { toString as drawQr } from "qrcode";
import type { Granted } from "../../base/storage/index.ts";
import { insertAuthenticator } from "../../records/second-factor/store.ts";
import { makeCodes } from "./make-codes.ts";
import { newAuthenticator } from "./new-authenticator.ts";

/** What the operator takes over now: it is shown this once. */
export interface DirectEnrolment {
  readonly uri: string;
  /** The same as a picture of block characters. */
  readonly picture: string;
  readonly recoveryCodes: readonly string[];
}

/** Sets an authenticator app up that counts at once. @param issuer the site's name, for the app. */
export async function enrolDirectly(
  manager: Granted,
  {
    sealingKeys,
    issuer,
    account,
    now,
  }: { sealingKeys: KeyRing; issuer: string; account: { id: string; name: string }; now: Date },
): Promise<DirectEnrolment> {
  const secret = randomBytes(TOTP_SECRET_BYTES[USUAL_TOTP.algorithm]);
  const made = { accountId: account.id, secret, settings: USUAL_TOTP, expiresAt: null };
  await insertAuthenticator(manager, newAuthenticator(sealingKeys, made, now));
  const uri = writeKeyUri({ issuer, account: account.name, secret, settings: USUAL_TOTP });
  const recoveryCodes = await makeCodes({ sealingKeys }, manager, account.id, now);
  const picture = await drawQr(uri, { type: "utf8", errorCorrectionLevel: "L", margin: 2 });
  return { uri, picture, recoveryCodes };
}
