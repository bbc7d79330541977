/** Sign-ins in progress: begun by a first proof, moved on by what is still wanted, and at last a session. */
import { randomBytes } from "node:crypto";
import { fieldError } from "@lucchetto/contract";
import type { Grounds, PlainToken, RequiredProof, SessionKind } from "@lucchetto/core";
import {
  hashToken,
  joinGrounds,
  levelShown,
  mintToken,
  PENDING_SIGN_IN_LIFE,
  TOKEN_BYTES,
} from "@lucchetto/core";
import type { EntityManager } from "typeorm";
import { fieldProblem, ProblemReply } from "../../base/problem.ts";
import type { Asker } from "../../base/queue/places.ts";
import type { AccountRow, SignInRow } from "../../base/storage/index.ts";
import { inTransaction, newId } from "../../base/storage/index.ts";
import { sendLink } from "../../people/mail-link/send.ts";
import { judge, makeRecordOf } from "../../people/password/password.ts";
import { checkable, readStored } from "../../people/password/stored.ts";
import { applyRecoveryRule } from "../../people/recovery/end.ts";
import { setOwnPassword } from "../../people/recovery/own-password.ts";
import { findAccount, lockAccount, OWN_PASSWORD, updateAccount } from "../../records/account/store.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { record } from "../../records/journal/journal.ts";
import { recordAndTell } from "../../records/journal/mails.ts";
import { addresseeOf } from "../../records/mail/owner.ts";
import type { TypedPassword } from "../../records/password/checking.ts";
import { findRecord } from "../../records/password/store.ts";
import { wantedOf } from "../../records/sign-in/rule.ts";
import { findOpenSignIn, insertSignIn, reserveProof, spendSignIn } from "../../records/sign-in/store.ts";
import { countMailFor, isKnown } from "../../records/throttle/throttle.ts";
import { WANTED_BY_MAIL } from "../proof/index.ts";
import type { Device, SignedInHere } from "./complete.ts";
import { completeSignIn } from "./complete.ts";
import { isRegisteredHere } from "./who-registered.ts";

/** What the browser or program goes on with. */
export interface PendingSignIn {
  readonly wanted: readonly RequiredProof[];
  readonly expiresAt: Date;
  readonly token: PlainToken<"sign-in">;
}

/** A session at the end of a sign-in in progress, and where the person wanted to go. */
interface CompletedSignIn extends SignedInHere, NewCodes {
  readonly outcome: "signed-in";
  readonly returnTo: string | null;
}

/** Recovery codes that came with a second factor set up inside the sign-in; they are shown this once. */
interface NewCodes {
  readonly recoveryCodes?: readonly string[] | undefined;
}

/** A session, or what is wanted besides before there is one. */
export type MovedOn =
  | CompletedSignIn
  | ({
      readonly outcome: "proof-wanted";
      readonly wanted: readonly RequiredProof[];
      readonly expiresAt: Date;
    } & NewCodes);

/** Keeps a sign-in for what is still wanted. @throws ProblemReply `sign-in-lapsed` if its first proof stands no longer. */
export async function keepPending(
  context: ServiceContext,
  begun: {
    account: AccountRow;
    kind: SessionKind;
    amr: readonly string[];
    grounds: Grounds;
    wanted: readonly RequiredProof[];
    /** Locks what the first proof was shown of. @returns whether it still stands: a reset may have come since. */
    stillStands: (manager: EntityManager) => Promise<boolean>;
  },
  { visit, mark }: { visit: RequestOrigin; mark: string | undefined },
): Promise<PendingSignIn> {
  const { account, kind, amr, grounds, wanted, stillStands } = begun;
  const { id: accountId } = account;
  const now = context.clock.now();
  const expiresAt = new Date(now.getTime() + lifeOf(context, wanted));
  const isWithinLimit = await countConfirming(context, { account, wanted, mark });
  const { plain, hashed } = mintToken("sign-in", randomBytes(TOKEN_BYTES));
  const id = newId(now);
  await inTransaction(context.dataSource, async (manager) => {
    if (!(await stillStands(manager))) throw new ProblemReply("sign-in-lapsed");
    const { userAgent, network } = visit;
    const row = { id, tokenHash: hashed, accountId, kind, amr: [...amr], ...grounds, userAgent, network };
    const { appId } = visit;
    const unused = { registrationId: null, mailCodeHash: null, wrongProofs: 0, returnTo: null };
    await insertSignIn(manager, { ...row, ...unused, appId, createdAt: now, expiresAt, endedAt: null });
    const event = { kind: "sign-in.begun", reason: wanted.join(" "), accountId } as const;
    await record(context, manager, { event, visit, now });
    if (wanted.includes("mail-link"))
      await sendConfirming(context, manager, { account, signInId: id, visit, mark, isWithinLimit });
  });
  return { wanted, expiresAt, token: plain };
}

/** Milliseconds that a sign-in waits for what is wanted: for a mail as long as its link lives. */
function lifeOf({ configuration }: ServiceContext, wanted: readonly RequiredProof[]): number {
  return wanted.includes("mail-link") ? configuration.links["sign-in"] : PENDING_SIGN_IN_LIFE;
}

interface Confirming {
  readonly account: AccountRow;
  readonly wanted: readonly RequiredProof[];
  readonly mark: string | undefined;
}

/** Counts the mail that a sign-in waits for beside its other proofs. */
export async function countConfirming(
  context: ServiceContext,
  { account: { id, emailKey }, wanted, mark }: Confirming,
): Promise<boolean> {
  if (!wanted.includes("mail-link") || emailKey === null) return true;
  return countMailFor(context, { emailKey, accountId: id, mark });
}

/** Sends it: its link or code is taken at this sign-in alone. */
export async function sendConfirming(
  context: ServiceContext,
  manager: EntityManager,
  about: Omit<Confirming, "wanted"> & { signInId: string; visit: RequestOrigin; isWithinLimit: boolean },
): Promise<void> {
  const { account, signInId, visit, mark, isWithinLimit } = about;
  const { email, emailKey } = account;
  if (email === null || emailKey === null) return;
  await sendLink(context, manager, {
    purpose: "sign-in",
    mail: "confirm-sign-in",
    to: addresseeOf({ ...account, email }),
    emailKey,
    signInId,
    browserHash: hashToken("device-mark", mark),
    visit,
    isWithinLimit,
  });
}

/** The sign-in in progress of a token, where it was begun: at an app with forms of its own, or here. */
export async function findPending(
  { dataSource, clock }: ServiceContext,
  token: string | undefined,
  { appId }: RequestOrigin,
): Promise<SignInRow | null> {
  const hashed = token === undefined ? null : hashToken("sign-in", token);
  const row = hashed === null ? null : await findOpenSignIn(dataSource, hashed, clock.now());
  return row?.appId === appId ? row : null;
}

/** As `findPending`. @throws ProblemReply `sign-in-lapsed`. */
export async function readPending(
  context: ServiceContext,
  token: string | undefined,
  visit: RequestOrigin,
): Promise<SignInRow> {
  const row = await findPending(context, token, visit);
  if (row === null) throw new ProblemReply("sign-in-lapsed");
  return row;
}

/** What a sign-in in progress waits for. @throws ProblemReply `sign-in-lapsed`. */
export async function showPending(
  context: ServiceContext,
  token: string | undefined,
  { visit, mark }: { visit: RequestOrigin; mark: string | undefined },
): Promise<{ wanted: readonly RequiredProof[]; expiresAt: Date; registeredHere: boolean }> {
  const { accountId, amr, expiresAt } = await readPending(context, token, visit);
  const { dataSource } = context;
  const account = accountId === null ? null : await findAccount(dataSource, accountId);
  if (amr.length === 0) {
    const registeredHere = account !== null && isRegisteredHere(account, mark);
    return { wanted: WANTED_BY_MAIL, expiresAt, registeredHere };
  }
  if (account?.state !== "active") throw new ProblemReply("sign-in-lapsed");
  const wanted = await wantedOf(context, dataSource.manager, { account, shown: amr });
  return { wanted, expiresAt, registeredHere: false };
}

/**
 * Sets the new password that an operator wanted, and completes the sign-in. It comes last: a second factor is shown before it. Everything else of the account ends.
 * @throws ProblemReply `invalid-fields`, `too-busy`, `sign-in-lapsed`.
 */
export async function showNewPassword(
  context: ServiceContext,
  pending: SignInRow,
  { password, visit, device }: { password: string; visit: RequestOrigin; device: Device },
): Promise<MovedOn> {
  // Without a first proof nobody chooses a password: the sign-in may still be waiting for its mail.
  if (pending.accountId === null || pending.amr.length === 0) throw new ProblemReply("proof-refused");
  const account = await findAccount(context.dataSource, pending.accountId);
  if (account?.state !== "active") throw new ProblemReply("sign-in-lapsed");
  const { manager: outside } = context.dataSource;
  const next = await wantedOf(context, outside, { account, shown: pending.amr });
  if (!next.includes("new-password")) throw new ProblemReply("proof-refused");
  const verdict = await judge(context, password, account);
  if (!verdict.ok) throw fieldProblem([fieldError("password", verdict.code, verdict.parameters)]);
  // Whatever hashes is one of the tries that a sign-in has.
  if (!(await reserveProof(context.dataSource, pending.id, context.clock.now())))
    throw new ProblemReply("sign-in-lapsed");
  const { network } = visit;
  const asker = {
    network,
    account: account.id,
    isKnown: await isKnown(outside, account.id, device.mark),
  };
  await assertOther(context, account.id, { shown: { prepared: verdict.text, typed: password }, asker });
  const made = await makeRecordOf(context, verdict, asker);
  return inTransaction(context.dataSource, async (outside) => {
    const locked = await lockAccount(outside, account.id);
    const now = context.clock.now();
    // Whoever comes second with the same token, or after a suspension or another change, changes nothing.
    if (locked?.state !== "active") throw new ProblemReply("sign-in-lapsed");
    // A second factor may have come meanwhile: the new password comes last.
    const wanted = await wantedOf(context, outside, { account: locked, shown: pending.amr });
    if (!wanted.includes("new-password"))
      return { outcome: "proof-wanted", wanted, expiresAt: pending.expiresAt };
    const manager = await spendSignIn(outside, pending.id, now);
    if (manager === null) throw new ProblemReply("sign-in-lapsed");
    const changed = { ...locked, ...OWN_PASSWORD };
    const grounds = joinGrounds(pending);
    const { mark } = device;
    await setOwnPassword(context, manager, { account: locked, made, shown: grounds, mark, now });
    await updateAccount(manager, account.id, OWN_PASSWORD);
    await applyRecoveryRule(context, manager, { accountId: account.id, event: "password-wanted", now });
    const event = { kind: "password.changed", reason: "wanted-at-sign-in", accountId: account.id } as const;
    await recordAndTell(context, manager, { event, readers: { owner: locked }, visit, now });
    const signedIn = await completeSignIn(context, manager, {
      account: changed,
      kind: pending.kind,
      aal: levelShown(pending.amr),
      amr: pending.amr,
      grounds,
      visit,
      device,
    });
    return { outcome: "signed-in", returnTo: pending.returnTo, ...signedIn };
  });
}

/** What an operator wanted changed is not the new one. @throws ProblemReply `invalid-fields`, `too-busy`. */
async function assertOther(
  context: ServiceContext,
  accountId: string,
  { shown, asker }: { shown: TypedPassword; asker: Asker },
): Promise<void> {
  const row = await findRecord(context.dataSource, accountId);
  const stored = row === null ? null : checkable(await readStored(context, row));
  if (stored !== null && (await context.hashing.check(shown, stored, asker)))
    throw fieldProblem([fieldError("password", "password-unchanged")]);
}
