/** An account's passkeys: how one is added, shown, renamed and removed. */
import type { Passkey, RegistrationCredential } from "@lucchetto/contract";
import { fieldError } from "@lucchetto/contract";
import type { RegisteredCredential } from "@lucchetto/core/passkey";
import { MAX_PASSKEYS } from "@lucchetto/core/passkey";
import type { EntityManager } from "typeorm";
import { fieldProblem, ProblemReply } from "../../base/problem.ts";
import type { AccountRow, Granted, PasskeyChallengeRow, PasskeyRow } from "../../base/storage/index.ts";
import { isDuplicateOf, newId } from "../../base/storage/index.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { assertFresh } from "../../records/granting/fresh.ts";
import { changeOwn } from "../../records/granting/own-change.ts";
import {
  findPasskey,
  findUserHandle,
  insertPasskey,
  listPasskeys,
  removePasskey,
  renamePasskey,
} from "../../records/passkey/store.ts";
import { hasRecord } from "../../records/password/store.ts";
import type { LiveSession } from "../../records/session/store.ts";
import { isReachable } from "../../records/sign-in/rule.ts";
import type { FactorAdded } from "../second-factor/change.ts";
import { addFactor, removeFactor } from "../second-factor/change.ts";
import { assertLastingKeys } from "../second-factor/second-factor.ts";
import { checkRegistration } from "./answer.ts";
import { showPasskey, usualName } from "./show.ts";
import { takeChallenge } from "./take.ts";

/** One's own, the first one first, with what the browser's signal calls need. */
export async function listOwnPasskeys(
  { dataSource, configuration }: ServiceContext,
  { account }: LiveSession,
) {
  const { manager } = dataSource;
  const handle = await findUserHandle(manager, account.id);
  return {
    items: (await listPasskeys(manager, account.id)).map(showPasskey),
    relyingPartyId: configuration.passkeys.relyingPartyId,
    hasPassword: await hasRecord(manager, account.id),
    userHandle: handle?.toString("base64url") ?? null,
  };
}

/**
 * Adds the passkey that a browser made. The session rises to level 2.
 * @throws ProblemReply `reauthenticate`, `keys-missing`, `invalid-fields`, `not-signed-in`, `passkey-…`.
 */
export async function addOwnPasskey(
  context: ServiceContext,
  caller: LiveSession,
  {
    challengeId,
    credential,
    name,
    visit,
    mark,
  }: {
    challengeId: string;
    credential: RegistrationCredential;
    name: string | undefined;
    visit: RequestOrigin;
    mark: string | undefined;
  },
): Promise<FactorAdded & { passkey: Passkey }> {
  assertLastingKeys(context);
  await assertFresh(context, caller);
  const { id: accountId } = caller.account;
  const asked = { purpose: "enrol", accountId, signInId: null, visit, mark } as const;
  const challenge = await takeChallenge(context, challengeId, asked);
  const { amr, add } = await readNewPasskey(context, challenge, { accountId, credential, name });
  const { added, ...rest } = await addFactor(context, caller, { ...PASSKEY_ADDED, amr, visit, add });
  return { ...rest, passkey: showPasskey(added) };
}

/** What adding a passkey is, in a session and inside a sign-in. */
export const PASSKEY_ADDED = { kind: "passkey.added", mail: "passkey-added" } as const;

/**
 * Reads a passkey that was made for a challenge.
 * @returns its methods (RFC 8176), and what stores it in the transaction that adds it. @throws ProblemReply `passkey-…`.
 */
export async function readNewPasskey(
  context: ServiceContext,
  challenge: PasskeyChallengeRow,
  {
    accountId,
    credential,
    name,
  }: { accountId: string; credential: RegistrationCredential; name?: string | undefined },
): Promise<{ amr: string[]; add: (manager: Granted, now: Date) => Promise<PasskeyRow> }> {
  const registered = await checkRegistration(context, credential, challenge);
  return {
    amr: amrOfNew(registered),
    async add(manager, now) {
      if ((await listPasskeys(manager, accountId)).length >= MAX_PASSKEYS)
        throw fieldProblem([fieldError("credential", "too-many-passkeys", { most: MAX_PASSKEYS })]);
      // Of the change's own moment: what is older would count as a thing from before it.
      const row = newPasskey(context, { accountId, registered, name, now });
      await insertNew(manager, row);
      return row;
    },
  };
}

/** RFC 8176 of a passkey just made: the key was shown to be held. */
export function amrOfNew({
  backupEligible,
  userVerified,
}: Pick<RegisteredCredential, "backupEligible" | "userVerified">): string[] {
  return [backupEligible ? "swk" : "hwk", ...(userVerified ? ["user"] : [])];
}

/** The row of a passkey that was just verified. */
export function newPasskey(
  { configuration }: Pick<ServiceContext, "configuration">,
  {
    accountId,
    registered,
    name,
    now,
  }: { accountId: string; registered: RegisteredCredential; name?: string | undefined; now: Date },
): PasskeyRow {
  const { names, relyingPartyId } = configuration.passkeys;
  const aaguid = Buffer.from(registered.aaguid);
  return {
    id: newId(now),
    accountId,
    name: name?.trim() || (names.get(aaguid.toString("hex")) ?? usualName(registered)),
    credentialId: Buffer.from(registered.credentialId),
    publicKey: Buffer.from(registered.publicKey),
    algorithm: registered.algorithm,
    signCount: registered.signCount,
    userVerified: registered.userVerified,
    backupEligible: registered.backupEligible,
    backedUp: registered.backedUp,
    aaguid,
    transports: [...registered.transports],
    attestation: registered.attestation,
    relyingPartyId,
    createdAt: now,
    lastUsedAt: null,
    removedAt: null,
    provedSince: null,
  };
}

/** @throws ProblemReply `passkey-registered-already`. */
export async function insertNew(manager: Granted, row: PasskeyRow): Promise<void> {
  try {
    await insertPasskey(manager, row);
  } catch (error) {
    throw isDuplicateOf(error, "passkey_credential") ? new ProblemReply("passkey-registered-already") : error;
  }
}

/** Calls one something else. @throws ProblemReply `not-found`, `invalid-fields`. */
export async function renameOwnPasskey(
  context: ServiceContext,
  caller: LiveSession,
  { id, name }: { id: string; name: string },
): Promise<Passkey> {
  const own = { id, accountId: caller.account.id };
  if (name.trim() === "") throw fieldProblem([fieldError("name", "empty")]);
  return changeOwn(context, caller, async ({ manager }) => {
    await renamePasskey(manager, own, name.trim());
    const row = await findPasskey(manager, own);
    if (row === null) throw new ProblemReply("not-found");
    return showPasskey(row);
  });
}

/** Removes one. @throws ProblemReply `reauthenticate`, `not-found`, `last-way-in`. */
export async function removeOwnPasskey(
  context: ServiceContext,
  caller: LiveSession,
  id: string,
  visit: RequestOrigin,
): Promise<void> {
  await assertFresh(context, caller);
  const own = { id, accountId: caller.account.id };
  await removeFactor(context, caller, {
    kind: "passkey.removed",
    mail: "passkey-removed",
    visit,
    async remove(manager, { account, now }) {
      if (!(await removePasskey(manager, own, now))) throw new ProblemReply("not-found");
      const isOpen =
        (await hasRecord(manager, account.id)) ||
        (await countWaysWithoutPassword(context, manager, account)) > 0;
      if (!isOpen) throw new ProblemReply("last-way-in");
    },
  });
}

/** How many ways into an account there are besides a password: passkeys that verify who holds them, and a mail. */
export async function countWaysWithoutPassword(
  context: Pick<ServiceContext, "configuration">,
  manager: EntityManager,
  account: AccountRow,
): Promise<number> {
  const alone = (await listPasskeys(manager, account.id)).filter(({ userVerified }) => userVerified);
  return alone.length + (isReachable(context, account) ? 1 : 0);
}
