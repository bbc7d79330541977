/**
 * Showing proofs again inside a session, before a sensitive change: the password, and then the second factor where the account
 * has one. A new own token replaces the old one.
 */
import { randomBytes } from "node:crypto";
import type { SecondFactor, Wanted } from "@lucchetto/core";
import { amrWith, beginLevel, levelOf, mintToken, PENDING_SIGN_IN_LIFE, TOKEN_BYTES } from "@lucchetto/core";
import type { EntityManager } from "typeorm";
import { lockAccount } from "../account/store.ts";
import type { ServiceContext, Visit } from "../context.ts";
import { record } from "../journal/journal.ts";
import { isPresentPassword } from "../password/change.ts";
import { fieldProblem, ProblemReply } from "../problem.ts";
import type { RightFactor } from "../second-factor/show.ts";
import { checkFactor, readFactor, refuseFactor } from "../second-factor/show.ts";
import { secondFactorsOf } from "../second-factor/store.ts";
import { inTransaction } from "../storage/index.ts";
import type { ReservedTry } from "../throttle/throttle.ts";
import { clearCountsOf, reserveFactorTry, reservePasswordTry } from "../throttle/throttle.ts";
import type { BegunSession } from "./session.ts";
import type { LiveSession } from "./store.ts";
import { noteFirstProof, noteProof, replaceToken } from "./store.ts";

/** What is shown again. */
export type ShownAgain =
  | { readonly type: "password"; readonly password: string }
  | { readonly type: SecondFactor; readonly code: string };

export type Reauthenticated =
  | ({ readonly outcome: "signed-in" } & BegunSession)
  | { readonly outcome: "proof-wanted"; readonly wanted: readonly Wanted[]; readonly expiresAt: Date };

interface Attempt {
  readonly visit: Visit;
  /** The known-device mark that came along. */
  readonly mark: string | undefined;
}

/**
 * A wrong password or code counts as a failed try, like one at sign-in.
 * @throws ProblemReply `invalid-fields`, `throttled`, `too-busy`, `proof-refused`, `not-signed-in` (if the session ended meanwhile).
 */
export function reauthenticate(
  context: ServiceContext,
  live: LiveSession,
  { proof, ...attempt }: Attempt & { proof: ShownAgain },
): Promise<Reauthenticated> {
  return proof.type === "password"
    ? showPassword(context, live, { password: proof.password, ...attempt })
    : showFactor(context, live, { proof, ...attempt });
}

async function showPassword(
  context: ServiceContext,
  live: LiveSession,
  { password, visit, mark }: Attempt & { password: string },
): Promise<Reauthenticated> {
  const { dataSource, clock } = context;
  const { session, account } = live;
  const { id: accountId } = account;
  const reserved = await reservePasswordTry(context, {
    accountId,
    name: accountId,
    network: visit.network,
    mark,
  });
  let matches: boolean;
  try {
    matches = await isPresentPassword(context, accountId, password);
  } catch (error) {
    await reserved.giveBack();
    throw error;
  }
  if (!matches) {
    await recordRefusal(context, live, { reason: "wrong-password", visit });
    throw fieldProblem([{ path: "proof.password", message: "This is not your password." }]);
  }
  return inTransaction(dataSource, async (manager) => {
    const wanted = await secondFactorsOf(manager, accountId);
    if (wanted.length === 0) return complete(context, manager, { live, reserved, factor: null, visit });
    const now = clock.now();
    await reserved.giveBack(manager);
    await noteFirstProof(manager, session.id, now);
    return { outcome: "proof-wanted", wanted, expiresAt: new Date(now.getTime() + PENDING_SIGN_IN_LIFE) };
  });
}

async function showFactor(
  context: ServiceContext,
  live: LiveSession,
  { proof, visit }: Attempt & { proof: { type: SecondFactor; code: string } },
): Promise<Reauthenticated> {
  const { dataSource, clock } = context;
  const { session, account } = live;
  const lapses = (session.firstProofAt?.getTime() ?? 0) + PENDING_SIGN_IN_LIFE;
  // The factor alone says who holds the device, not who sits at this browser.
  if (clock.now().getTime() >= lapses) {
    const expiresAt = new Date(clock.now().getTime() + PENDING_SIGN_IN_LIFE);
    return { outcome: "proof-wanted", wanted: ["password"], expiresAt };
  }
  const wanted = await secondFactorsOf(dataSource.manager, account.id);
  if (!wanted.includes(proof.type)) throw new ProblemReply("proof-refused");
  const read = await readFactor(context, account.id, proof);
  const reserved = await reserveFactorTry(context, { accountId: account.id, network: visit.network });
  const checked = await checkFactor(context, account.id, read);
  if (typeof checked === "string") {
    await recordRefusal(context, live, { reason: `${checked} ${proof.type}`, visit });
    return refuseFactor(proof.type, checked);
  }
  return inTransaction(dataSource, (manager) =>
    complete(context, manager, { live, reserved, factor: checked, visit }),
  );
}

async function complete(
  context: ServiceContext,
  manager: EntityManager,
  done: { live: LiveSession; reserved: ReservedTry; factor: RightFactor | null; visit: Visit },
): Promise<Reauthenticated> {
  const { live, reserved, factor, visit } = done;
  const { session, account } = live;
  const { id: accountId } = account;
  const now = context.clock.now();
  const locked = await lockAccount(manager, accountId);
  const token = mintToken("own-token", randomBytes(TOKEN_BYTES));
  if (locked?.state !== "active" || !(await replaceToken(manager, session, token.hashed)))
    throw new ProblemReply("not-signed-in");
  await factor?.spend(manager, { account, visit, now });
  const level = factor === null ? keptLevel(session, now) : beginLevel(2, now);
  const amr = factor === null ? session.amr : amrWith(session.amr, factor.type);
  const proved = { authTime: now, amr, ...level };
  await noteProof(manager, session.id, proved);
  await reserved.succeed(manager);
  await clearCountsOf(context, manager, accountId);
  const event = { kind: "session.reauthenticated", accountId, sessionId: session.id } as const;
  await record(manager, { event, visit, now });
  return {
    outcome: "signed-in",
    session: { ...session, ...proved, firstProofAt: null },
    account,
    token: token.plain,
  };
}

/** A password alone makes no level 2 last longer, and takes none away. */
function keptLevel({ aal, levelIdleEndsAt, levelEndsAt }: LiveSession["session"], now: Date) {
  const level = { aal, levelIdleEndsAt, levelEndsAt };
  return levelOf(level, now) === 2 ? level : beginLevel(1, now);
}

async function recordRefusal(
  { dataSource, clock }: ServiceContext,
  { session, account }: LiveSession,
  { reason, visit }: { reason: string; visit: Visit },
): Promise<void> {
  const event = {
    kind: "session.reauthentication-refused",
    outcome: "refused",
    reason,
    accountId: account.id,
    sessionId: session.id,
  } as const;
  await inTransaction(dataSource, (manager) => record(manager, { event, visit, now: clock.now() }));
}
