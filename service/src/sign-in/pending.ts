/** Sign-ins in progress: begun by a first proof, moved on by what is still wanted, and at last a session. */
import { randomBytes } from "node:crypto";
import { fieldError } from "@lucchetto/contract";
import type { PlainToken, SessionKind, Wanted } from "@lucchetto/core";
import { hashToken, mintToken, PENDING_SIGN_IN_LIFE, TOKEN_BYTES, wantedNext } from "@lucchetto/core";
import { findAccount, lockAccount, updateAccount } from "../account/store.ts";
import type { ServiceContext, Visit } from "../context.ts";
import { record } from "../journal/journal.ts";
import { tellOwner } from "../mail/notices.ts";
import { checkable, judge, readStored } from "../password/password.ts";
import { findRecord, setRecord } from "../password/store.ts";
import { fieldProblem, ProblemReply } from "../problem.ts";
import { secondFactorsOf, WANTED_BY_MAIL } from "../proof/index.ts";
import { endSessionsOf } from "../session/store.ts";
import type { AccountRow, SignInRow } from "../storage/index.ts";
import { inTransaction, newId } from "../storage/index.ts";
import type { Device, SignedInHere } from "./complete.ts";
import { completeSignIn } from "./complete.ts";
import { endSignInsOf, findOpenSignIn, insertSignIn, isOpen, spendSignIn } from "./store.ts";

/** What the browser or program goes on with. */
export interface PendingSignIn {
  readonly wanted: readonly Wanted[];
  readonly expiresAt: Date;
  readonly token: PlainToken<"sign-in">;
}

/** A session at the end of a sign-in in progress, and where the person wanted to go. */
export interface CompletedSignIn extends SignedInHere {
  readonly outcome: "signed-in";
  readonly returnTo: string | null;
}

/** A session, or what is wanted besides before there is one. */
export type MovedOn =
  | CompletedSignIn
  | { readonly outcome: "proof-wanted"; readonly wanted: readonly Wanted[]; readonly expiresAt: Date };

/** Keeps a sign-in for what is still wanted. */
export async function keepPending(
  { dataSource, clock }: ServiceContext,
  begun: { accountId: string; kind: SessionKind; amr: readonly string[]; wanted: readonly Wanted[] },
  visit: Visit,
): Promise<PendingSignIn> {
  const { accountId, kind, amr, wanted } = begun;
  const now = clock.now();
  const expiresAt = new Date(now.getTime() + PENDING_SIGN_IN_LIFE);
  const { plain, hashed } = mintToken("sign-in", randomBytes(TOKEN_BYTES));
  await inTransaction(dataSource, async (manager) => {
    const { userAgent, network } = visit;
    const row = { id: newId(now), tokenHash: hashed, accountId, kind, amr: [...amr], userAgent, network };
    const { appId } = visit;
    const unused = { registrationId: null, mailCodeHash: null, wrongProofs: 0, returnTo: null };
    await insertSignIn(manager, { ...row, ...unused, appId, createdAt: now, expiresAt, endedAt: null });
    const event = { kind: "sign-in.begun", reason: wanted.join(" "), accountId } as const;
    await record(manager, { event, visit, now });
  });
  return { wanted, expiresAt, token: plain };
}

/** The sign-in in progress of a token, where it was begun: at an app with forms of its own, or here. @throws ProblemReply `sign-in-lapsed`. */
export async function readPending(
  { dataSource, clock }: ServiceContext,
  token: string | undefined,
  { appId }: Visit,
): Promise<SignInRow> {
  const hashed = token === undefined ? null : hashToken("sign-in", token);
  const row = hashed === null ? null : await findOpenSignIn(dataSource, hashed, clock.now());
  if (row === null || row.appId !== appId) throw new ProblemReply("sign-in-lapsed");
  return row;
}

/** What a sign-in in progress waits for. @throws ProblemReply `sign-in-lapsed`. */
export async function showPending(
  context: ServiceContext,
  token: string | undefined,
  visit: Visit,
): Promise<{ wanted: readonly Wanted[]; expiresAt: Date }> {
  const { accountId, amr, expiresAt } = await readPending(context, token, visit);
  if (amr.length === 0) return { wanted: WANTED_BY_MAIL, expiresAt };
  const account = accountId === null ? null : await findAccount(context.dataSource, accountId);
  if (account?.state !== "active") throw new ProblemReply("sign-in-lapsed");
  return { wanted: await wantedOf(context, account, context.dataSource.manager, amr), expiresAt };
}

/** What an account wants after the proofs shown so far. */
export async function wantedOf(
  { dataSource }: Pick<ServiceContext, "dataSource">,
  { id, mustChangePassword }: Pick<AccountRow, "id" | "mustChangePassword">,
  manager = dataSource.manager,
  shown: readonly string[] = [],
): Promise<readonly Wanted[]> {
  return wantedNext({ mustChangePassword, secondFactors: await secondFactorsOf(manager, id) }, shown);
}

/**
 * Sets the new password that an operator wanted, and completes the sign-in. It comes last: a second factor is shown before it. Everything else of the account ends.
 * @throws ProblemReply `invalid-fields`, `too-busy`, `sign-in-lapsed`.
 */
export async function showNewPassword(
  context: ServiceContext,
  pending: SignInRow,
  { password, visit, device }: { password: string; visit: Visit; device: Device },
): Promise<MovedOn> {
  // Without a first proof nobody chooses a password: the sign-in may still be waiting for its mail.
  if (pending.accountId === null || pending.amr.length === 0) throw new ProblemReply("proof-refused");
  const account = await findAccount(context.dataSource, pending.accountId);
  if (account?.state !== "active" || !account.mustChangePassword) throw new ProblemReply("sign-in-lapsed");
  const next = await wantedOf(context, account, context.dataSource.manager, pending.amr);
  if (!next.includes("new-password")) throw new ProblemReply("proof-refused");
  const text = await acceptNewPassword(context, account, password);
  const made = await context.hashing.make(text);
  return inTransaction(context.dataSource, async (manager) => {
    const locked = await lockAccount(manager, account.id);
    const now = context.clock.now();
    // Whoever comes second with the same token, or after a suspension or another change, changes nothing.
    if (locked?.state !== "active" || !locked.mustChangePassword) throw new ProblemReply("sign-in-lapsed");
    const changed = { ...locked, mustChangePassword: false };
    // A second factor may have come meanwhile.
    const wanted = await wantedOf(context, changed, manager, pending.amr);
    const isFirst =
      wanted.length === 0
        ? await spendSignIn(manager, pending.id, now)
        : await isOpen(manager, pending.id, now);
    if (!isFirst) throw new ProblemReply("sign-in-lapsed");
    await setRecord(manager, { accountId: account.id, record: made, now });
    await updateAccount(manager, account.id, { mustChangePassword: false });
    await endSignInsOf(manager, account.id, now, { except: pending.id });
    await endSessionsOf(manager, account.id, { now, reason: "password-changed" });
    const event = { kind: "password.changed", reason: "wanted-at-sign-in", accountId: account.id } as const;
    await record(manager, { event, visit, now });
    await tellOwner(context, manager, { name: "password-changed", account: locked, visit });
    if (wanted.length > 0) return { outcome: "proof-wanted", wanted, expiresAt: pending.expiresAt };
    const signedIn = await completeSignIn(context, manager, {
      account: changed,
      kind: pending.kind,
      aal: pending.amr.includes("mfa") ? 2 : 1,
      amr: pending.amr,
      visit,
      device,
    });
    return { outcome: "signed-in", returnTo: pending.returnTo, ...signedIn };
  });
}

async function acceptNewPassword(
  context: ServiceContext,
  account: AccountRow,
  typed: string,
): Promise<string> {
  const verdict = await judge(context, typed, account);
  if (!verdict.ok) throw fieldProblem([fieldError("password", verdict.code, verdict.parameters)]);
  const row = await findRecord(context.dataSource, account.id);
  const stored = row === null ? null : checkable(readStored(context.hashing, row.record));
  if (stored !== null && (await context.hashing.check(verdict.text, stored))) {
    throw fieldProblem([fieldError("password", "password-unchanged")]);
  }
  return verdict.text;
}
