/** A passkey in a password's place when an account is registered, kept until there is an account. */
import type { RegistrationCredential } from "@lucchetto/contract";
import type { RegisteredCredential } from "@lucchetto/core/passkey";
import type { Granted, StoredPasskey } from "../../base/storage/index.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { makeCodes } from "../second-factor/make-codes.ts";
import { assertLastingKeys } from "../second-factor/second-factor.ts";
import { checkRegistration } from "./answer.ts";
import { insertNew, newPasskey } from "./passkey.ts";
import { takeChallenge } from "./take.ts";

/** What came with the form. */
interface RegisteringPasskey {
  readonly challengeId: string;
  readonly credential: RegistrationCredential;
}

/** Looks at it. @throws ProblemReply `keys-missing`, `passkey-…`. */
export async function readRegisteringPasskey(
  context: ServiceContext,
  { challengeId, credential }: RegisteringPasskey,
  here: { visit: RequestOrigin; mark: string | undefined },
): Promise<StoredPasskey> {
  assertLastingKeys(context);
  const challenge = await takeChallenge(context, challengeId, {
    purpose: "register",
    accountId: null,
    signInId: null,
    ...here,
  });
  const { credentialId, publicKey, aaguid, ...registered } = await checkRegistration(
    context,
    credential,
    challenge,
  );
  return {
    ...registered,
    userHandle: text(challenge.userHandle ?? new Uint8Array()),
    credentialId: text(credentialId),
    publicKey: text(publicKey),
    aaguid: text(aaguid),
  };
}

/** The random handle that the authenticator was told. */
export function userHandleOf({ userHandle }: StoredPasskey): Buffer {
  return bytes(userHandle);
}

/**
 * Gives it to its account, in the transaction that makes the account. @returns the recovery codes, which are shown this once.
 * @throws ProblemReply `passkey-registered-already`.
 */
export async function settlePasskey(
  context: Pick<ServiceContext, "configuration" | "clock" | "sealingKeys">,
  manager: Granted,
  { accountId, stored }: { accountId: string; stored: StoredPasskey },
): Promise<string[]> {
  const { credentialId, publicKey, aaguid, userHandle: _handle, ...registered } = stored;
  const read: RegisteredCredential = {
    ...registered,
    credentialId: bytes(credentialId),
    publicKey: bytes(publicKey),
    aaguid: bytes(aaguid),
  };
  const now = context.clock.now();
  await insertNew(manager, newPasskey(context, { accountId, registered: read, now }));
  return makeCodes(context, manager, accountId, now);
}

function text(value: Uint8Array): string {
  return Buffer.from(value).toString("base64url");
}

function bytes(value: string): Buffer {
  return Buffer.from(value, "base64url");
}
