/** The answer of an authenticator: looked at against its challenge, and noted in the transaction that honours it. */
import { generateKeyPairSync } from "node:crypto";
import type { AssertionCredential, RegistrationCredential } from "@lucchetto/contract";
import type { RegisteredCredential, StoredCredential, VerifiedAssertion } from "@lucchetto/core/passkey";
import {
  COSE_ALGORITHM,
  PasskeyFault,
  readBase64url,
  readEnvelope,
  verifyAssertion,
  verifyRegistration,
} from "@lucchetto/core/passkey";
import type { EntityManager } from "typeorm";
import { ProblemReply } from "../../base/problem.ts";
import type { PasskeyChallengeRow, PasskeyRow } from "../../base/storage/index.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { record } from "../../records/journal/journal.ts";
import { findByCredentialId, findUserHandle, noteUse } from "../../records/passkey/store.ts";
import { originsFor } from "./origins.ts";

/** A right answer. */
interface RightAnswer {
  readonly passkey: PasskeyRow;
  readonly use: VerifiedAssertion;
}

/** Why an answer does not count: for the journal, and as it is told. */
interface WrongAnswer {
  readonly fault: string;
  readonly reply: ProblemReply;
  /** Whose passkey it would be, as far as that is known. */
  readonly accountId: string | null;
}

/** Looks at the answer to a registration. @throws ProblemReply `passkey-…`. */
export async function checkRegistration(
  context: ServiceContext,
  credential: RegistrationCredential,
  challenge: PasskeyChallengeRow,
): Promise<RegisteredCredential> {
  const { configuration, clock } = context;
  const { algorithms, trustAnchors: anchors } = configuration.passkeys;
  try {
    return verifyRegistration(credential, {
      ...(await expectedOf(context, challenge)),
      algorithms,
      anchors,
      now: clock.now(),
    });
  } catch (error) {
    throw asReply(error);
  }
}

/**
 * Looks at the answer to a sign-in or a reauthentication, whose challenge is spent.
 * @param among the passkeys that count, in place of those that open accounts now.
 */
export async function checkAssertion(
  context: ServiceContext,
  credential: AssertionCredential,
  challenge: PasskeyChallengeRow,
  among?: readonly PasskeyRow[],
): Promise<RightAnswer | WrongAnswer> {
  let accountId: string | null = challenge.accountId;
  try {
    const credentialId = readEnvelope(credential);
    if (challenge.allowed !== null && !challenge.allowed.includes(credential.id))
      return wrong(new ProblemReply("passkey-not-listed"), accountId);
    const passkey = await findOwn(context, credentialId, { credential, challenge, among });
    accountId ??= passkey?.accountId ?? null;
    // One that nobody has is looked at all the same: a name that is begun with tells nothing, however one answers.
    const use = verifyAssertion(credential, passkey ?? STRANGER, {
      ...(await expectedOf(context, challenge)),
      refuseStillCounter: context.configuration.passkeys.counterBehind === "refuse",
    });
    if (passkey === null) return wrong(new ProblemReply("passkey-unknown"), accountId);
    return { passkey, use };
  } catch (error) {
    const isStranger =
      error instanceof PasskeyFault && error.code === "passkey-signature-wrong" && accountId === null;
    // Without a name nothing is given away by saying that the passkey is not known.
    if (isStranger && challenge.allowed === null) return wrong(new ProblemReply("passkey-unknown"), null);
    return wrong(asReply(error), accountId);
  }
}

/** Notes the use of a right answer, in the transaction that honours it. @throws ProblemReply if another answer with the same counter was first. */
export async function spendAnswer(
  context: ServiceContext,
  manager: EntityManager,
  { passkey, use }: RightAnswer,
  { visit, now }: { visit: RequestOrigin; now: Date },
): Promise<void> {
  if (!(await noteUse(manager, passkey, { use, now }))) throw new ProblemReply("passkey-counter-behind");
  const { accountId } = passkey;
  const note = (kind: "passkey.counter-behind" | "passkey.backup-changed", reason: string) =>
    record(context, manager, { event: { kind, reason, accountId }, visit, now });
  if (use.isCounterStill)
    await note("passkey.counter-behind", `${passkey.name}: ${use.signCount} after ${passkey.signCount}`);
  if (use.backedUp !== passkey.backedUp)
    await note(
      "passkey.backup-changed",
      `${passkey.name}: ${use.backedUp ? "backed up" : "on this device only"}`,
    );
}

/** RFC 8176 of an answer: possession of a key that stays in a device or that is synced, and the person's verification. */
export function amrOf({ passkey, use }: RightAnswer): string[] {
  return [passkey.backupEligible ? "swk" : "hwk", ...(use.userVerified ? ["user"] : [])];
}

async function expectedOf(context: ServiceContext, { challenge, standsAlone, appId }: PasskeyChallengeRow) {
  const { relyingPartyId: rpId, topOrigins } = context.configuration.passkeys;
  const origins = await originsFor(context, appId);
  return { challenge, origins, topOrigins, rpId, requireUserVerification: standsAlone };
}

/**
 * The passkey that answers, if it is that of whom it must be (section 7.2, the steps about the user handle): of the account that is
 * known, or of the one that the handle names.
 */
async function findOwn(
  { dataSource: { manager }, configuration }: ServiceContext,
  credentialId: Buffer,
  {
    credential,
    challenge,
    among,
  }: {
    credential: AssertionCredential;
    challenge: PasskeyChallengeRow;
    among: readonly PasskeyRow[] | undefined;
  },
): Promise<PasskeyRow | null> {
  const passkey =
    among === undefined
      ? await findByCredentialId(manager, credentialId)
      : (among.find((one) => one.credentialId.equals(credentialId)) ?? null);
  if (passkey?.relyingPartyId !== configuration.passkeys.relyingPartyId) return null;
  if (challenge.accountId !== null && challenge.accountId !== passkey.accountId) return null;
  const { userHandle: shown } = credential.response;
  // With a name the handle may be left out; without one it is what says who it is.
  if (shown === undefined || shown === null) return challenge.accountId === null ? null : passkey;
  const handle = await findUserHandle(manager, passkey.accountId);
  return handle?.equals(readBase64url(shown, "userHandle")) === true ? passkey : null;
}

/** A key that nobody holds. */
const STRANGER: StoredCredential = {
  publicKey: generateKeyPairSync("ec", { namedCurve: "P-256" }).publicKey.export({
    format: "der",
    type: "spki",
  }),
  algorithm: COSE_ALGORITHM.ES256,
  signCount: 0,
  backupEligible: false,
};

function wrong(reply: ProblemReply, accountId: string | null): WrongAnswer {
  return { fault: reply.code, reply, accountId };
}

function asReply(error: unknown): ProblemReply {
  if (error instanceof PasskeyFault)
    return new ProblemReply(error.code, { detail: `${capitalised(error.message)}.` });
  if (error instanceof ProblemReply) return error;
  throw error;
}

function capitalised(text: string): string {
  return text.charAt(0).toUpperCase() + text.slice(1);
}
