/** Challenges: issued for one purpose, to one browser, perhaps for one account, and answered once. */
import { randomBytes } from "node:crypto";
import type { CreationOptions, PasskeyPurpose, RequestOptions } from "@lucchetto/contract";
import { deriveKey, hashToken, readIdentifier } from "@lucchetto/core";
import type { NamedCredential } from "@lucchetto/core/passkey";
import {
  CHALLENGE_BYTES,
  CHALLENGE_LIFE,
  creationOptions,
  inventCredentials,
  requestOptions,
  USER_HANDLE_BYTES,
} from "@lucchetto/core/passkey";
import { ProblemReply } from "../../base/problem.ts";
import type { AccountFacts, PasskeyChallengeRow, SignInRow } from "../../base/storage/index.ts";
import { newId } from "../../base/storage/index.ts";
import { findByIdentifier } from "../../records/account/store.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { assertFresh } from "../../records/granting/fresh.ts";
import { ensureUserHandle, insertChallenge, listPasskeys } from "../../records/passkey/store.ts";
import { hasRecord } from "../../records/password/store.ts";
import type { LiveSession } from "../../records/session/store.ts";
import { assertWanted } from "../../records/sign-in/rule.ts";
import { countChallenge } from "../../records/throttle/throttle.ts";
import { assertUsableBy } from "./origins.ts";

/** Where it is asked for. */
export interface Asking {
  readonly visit: RequestOrigin;
  /** The mark of the browser; `undefined`: a program. */
  readonly mark: string | undefined;
  /** The session, where there is one. */
  readonly caller: LiveSession | null;
  /** The sign-in in progress, where there is one. */
  readonly pending: SignInRow | null;
}

/** A challenge with what the browser is asked. */
interface Issued {
  readonly challengeId: string;
  readonly options: CreationOptions | RequestOptions;
  readonly expiresAt: string;
}

/**
 * Issues one.
 * @throws ProblemReply `not-signed-in` and `reauthenticate` (enrol, reauthenticate), `throttled` for those who are not signed in;
 * `passkey-at-our-page`.
 */
export async function beginChallenge(
  context: ServiceContext,
  { purpose, identifier }: { purpose: PasskeyPurpose; identifier?: string | undefined },
  asking: Asking,
): Promise<Issued> {
  await assertUsableBy(context, asking.visit.appId);
  switch (purpose) {
    case "register":
      return beginRegistering(context, identifier, asking);
    case "enrol":
      return beginEnrolling(context, asking);
    case "reauthenticate":
      return beginReauthenticating(context, asking);
    case "sign-in":
      return asking.pending === null || asking.pending.amr.length === 0
        ? beginSigningIn(context, identifier, asking)
        : beginSecondProof(context, asking.pending, asking);
  }
}

async function beginRegistering(
  context: ServiceContext,
  identifier: string | undefined,
  asking: Asking,
): Promise<Issued> {
  await countChallenge(context, asking.visit.network);
  const userHandle = randomBytes(USER_HANDLE_BYTES);
  const name = identifier ?? context.configuration.site.name;
  const row = await issue(context, asking, { purpose: "register", userHandle, standsAlone: true });
  return show(row, creation(context, row, { handle: userHandle, name, displayName: name, excluded: [] }));
}

async function beginEnrolling(context: ServiceContext, asking: Asking): Promise<Issued> {
  const { manager } = context.dataSource;
  const { account, signInId } = await whoEnrols(context, asking);
  const { id: accountId, email, username, displayName } = account;
  const handle = await ensureUserHandle(manager, accountId, randomBytes(USER_HANDLE_BYTES));
  // What is to be the only way in verifies who holds it; beside a password a key without that is welcome.
  const standsAlone = !(await hasRecord(manager, accountId));
  const row = await issue(context, asking, { purpose: "enrol", accountId, signInId, standsAlone });
  const name = email ?? username ?? context.configuration.site.name;
  const excluded = await listPasskeys(manager, accountId);
  return show(row, creation(context, row, { handle, name, displayName: displayName ?? name, excluded }));
}

/** In a session with a fresh proof, or inside a sign-in that wants it. */
async function whoEnrols(
  context: ServiceContext,
  { caller, pending, visit }: Asking,
): Promise<{ account: AccountFacts; signInId: string | null }> {
  if (caller === null && pending !== null) {
    await countChallenge(context, visit.network);
    return { account: await assertWanted(context, pending, "enrol-passkey"), signInId: pending.id };
  }
  if (caller === null) throw new ProblemReply("not-signed-in");
  await assertFresh(context, caller);
  return { account: caller.account, signInId: null };
}

async function beginReauthenticating(context: ServiceContext, asking: Asking): Promise<Issued> {
  const { caller } = asking;
  if (caller === null) throw new ProblemReply("not-signed-in");
  const { id: accountId } = caller.account;
  const own = await listOwn(context, accountId);
  return beginAsserting(context, asking, { purpose: "reauthenticate", accountId, own, standsAlone: false });
}

/** Beside a proof that was shown, presence is enough. */
async function beginSecondProof(
  context: ServiceContext,
  { id: signInId, accountId }: SignInRow,
  asking: Asking,
): Promise<Issued> {
  if (accountId === null) throw new ProblemReply("proof-refused");
  await countChallenge(context, asking.visit.network);
  const own = await listOwn(context, accountId);
  return beginAsserting(context, asking, {
    purpose: "sign-in",
    accountId,
    signInId,
    own,
    standsAlone: false,
  });
}

/** An empty list would let the browser offer any. @throws ProblemReply `proof-refused`. */
async function listOwn({ dataSource }: ServiceContext, accountId: string): Promise<NamedCredential[]> {
  const own = await listPasskeys(dataSource.manager, accountId);
  if (own.length === 0)
    throw new ProblemReply("proof-refused", { detail: "The account has no passkey. Use another way." });
  return own;
}

/** By a name, whose passkeys are listed, or as many that nobody has; without one the browser offers what it has. */
async function beginSigningIn(
  context: ServiceContext,
  typed: string | undefined,
  asking: Asking,
): Promise<Issued> {
  await countChallenge(context, asking.visit.network);
  const purpose = "sign-in";
  if (typed === undefined) return beginAsserting(context, asking, { purpose, own: null, standsAlone: true });
  const identifier = readIdentifier(typed);
  const account = identifier === null ? null : await findByIdentifier(context.dataSource, identifier);
  // Asked for in any case: a name that nobody has takes as long.
  const own = await listPasskeys(context.dataSource.manager, account?.id ?? NOBODY);
  if (account !== null && own.length > 0)
    return beginAsserting(context, asking, { purpose, accountId: account.id, own, standsAlone: true });
  const invented = inventCredentials(inventionKey(context), identifier?.key ?? typed);
  return beginAsserting(context, asking, { purpose, own: invented, standsAlone: true });
}

async function beginAsserting(
  context: ServiceContext,
  asking: Asking,
  {
    own,
    ...about
  }: Pick<PasskeyChallengeRow, "purpose" | "standsAlone"> &
    Partial<Pick<PasskeyChallengeRow, "accountId" | "signInId">> & { own: readonly NamedCredential[] | null },
): Promise<Issued> {
  const allowed = own?.map(({ credentialId }) => Buffer.from(credentialId).toString("base64url")) ?? null;
  const row = await issue(context, asking, { ...about, allowed });
  const { relyingPartyId: rpId } = context.configuration.passkeys;
  const { challenge, standsAlone } = row;
  return show(row, requestOptions({ challenge, rpId, allowed: own ?? [], standsAlone }));
}

/** The id of no account. */
const NOBODY = "00000000-0000-0000-0000-000000000000";

/** What nobody outside can tell from real ones, and never changes for a name. */
function inventionKey({ throttleKey }: ServiceContext): Uint8Array {
  return deriveKey(throttleKey, "invented-passkeys");
}

function creation(
  { configuration: { site, passkeys } }: ServiceContext,
  { challenge, standsAlone }: PasskeyChallengeRow,
  user: { handle: Buffer; name: string; displayName: string; excluded: readonly NamedCredential[] },
): CreationOptions {
  const { excluded, ...whose } = user;
  return creationOptions({
    challenge,
    relyingParty: { id: passkeys.relyingPartyId, name: site.name },
    user: whose,
    algorithms: passkeys.algorithms,
    excluded,
    attestation: passkeys.attestation,
    standsAlone,
  });
}

async function issue(
  { clock, dataSource }: ServiceContext,
  { visit, mark }: Asking,
  about: Pick<PasskeyChallengeRow, "purpose" | "standsAlone"> & Partial<PasskeyChallengeRow>,
): Promise<PasskeyChallengeRow> {
  const now = clock.now();
  const row: PasskeyChallengeRow = {
    id: newId(now),
    challenge: randomBytes(CHALLENGE_BYTES),
    accountId: null,
    signInId: null,
    browserHash: hashToken("device-mark", mark),
    appId: visit.appId,
    userHandle: null,
    allowed: null,
    createdAt: now,
    expiresAt: new Date(now.getTime() + CHALLENGE_LIFE),
    spentAt: null,
    ...about,
  };
  await insertChallenge(dataSource.manager, row);
  return row;
}

function show({ id, expiresAt }: PasskeyChallengeRow, options: Issued["options"]): Issued {
  return { challengeId: id, options, expiresAt: expiresAt.toISOString() };
}
