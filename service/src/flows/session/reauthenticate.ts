/**
 * Showing proofs again inside a session, before a sensitive change: a first one, and then a second where the account
 * has one. A new own token replaces the old one.
 */
import { randomBytes } from "node:crypto";
import type { RequiredProof, SecondFactor } from "@lucchetto/core";
import {
  amrWith,
  beginLevel,
  joinGrounds,
  levelOf,
  mintToken,
  PENDING_SIGN_IN_LIFE,
  TOKEN_BYTES,
} from "@lucchetto/core";
import type { EntityManager } from "typeorm";
import { ProblemReply } from "../../base/problem.ts";
import type { AccountRow, SessionRow } from "../../base/storage/index.ts";
import { inTransaction } from "../../base/storage/index.ts";
import type { BegunSession } from "../../people/session/session.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { changeOwn } from "../../records/granting/own-change.ts";
import { record } from "../../records/journal/journal.ts";
import { secondFactorsOf } from "../../records/second-factor/offered.ts";
import type { LiveSession } from "../../records/session/store.ts";
import { noteFirstProof, noteProof, replaceToken } from "../../records/session/store.ts";
import { clearCountsOf } from "../../records/throttle/throttle.ts";
import type { CheckedProof, ProofMethod, ShownProof } from "../proof/index.ts";
import { FIRST_IN_SESSION, proofMethodOf } from "../proof/index.ts";

/** What is shown again. */
type ShownAgain = Extract<ShownProof, { type: "password" | SecondFactor }>;

type Reauthenticated =
  | ({ readonly outcome: "signed-in" } & BegunSession)
  | { readonly outcome: "proof-wanted"; readonly wanted: readonly RequiredProof[]; readonly expiresAt: Date };

interface Attempt {
  readonly visit: RequestOrigin;
  /** The known-device mark that came along. */
  readonly mark: string | undefined;
}

/**
 * A wrong proof counts as a failed try, like one at sign-in.
 * @throws ProblemReply `invalid-fields`, `throttled`, `too-busy`, `proof-refused`, `not-signed-in` (if the session ended meanwhile).
 */
export async function reauthenticate(
  context: ServiceContext,
  live: LiveSession,
  { proof, visit, mark }: Attempt & { proof: ShownAgain },
): Promise<Reauthenticated> {
  const method = proofMethodOf(proof.type);
  const { id: accountId } = live.account;
  const isAlone = method.part === "second" && !isFirstProofFresh(context, live);
  if (method.part === "second") {
    // It says alone who holds the device, not who sits at this browser; unless it verifies that too.
    if (isAlone && !method.mayBeWhole) return wantedNow(context, FIRST_IN_SESSION);
    const offered: readonly string[] = await secondFactorsOf(context.dataSource.manager, accountId);
    if (!offered.includes(method.type)) throw new ProblemReply("proof-refused");
  }
  const prover = { accountId, visit, mark, pending: null };
  const checked = await method.check(context, prover, proof, {
    refused: (reason) => recordRefusal(context, live, { reason, visit }),
  });
  if (isAlone && checked.isWhole !== true) throw new ProblemReply("passkey-person-unverified");
  return changeOwn(context, live, async ({ manager, account, session, now }) => {
    const wanted = method.part === "first" ? await secondFactorsOf(manager, accountId) : [];
    if (wanted.length === 0)
      return complete(context, manager, { live: { session, account }, method, checked, visit, now });
    await checked.reserved.giveBack(manager);
    const grounds = joinGrounds(session, checked.grounds);
    await noteFirstProof(manager, session.id, { ...grounds, firstProofAt: now });
    return wantedNow(context, wanted);
  });
}

function isFirstProofFresh({ clock }: ServiceContext, { session: { firstProofAt } }: LiveSession): boolean {
  return clock.now().getTime() < (firstProofAt?.getTime() ?? 0) + PENDING_SIGN_IN_LIFE;
}

function wantedNow({ clock }: ServiceContext, wanted: readonly RequiredProof[]): Reauthenticated {
  const expiresAt = new Date(clock.now().getTime() + PENDING_SIGN_IN_LIFE);
  return { outcome: "proof-wanted", wanted, expiresAt };
}

async function complete(
  context: ServiceContext,
  manager: EntityManager,
  done: {
    live: { session: SessionRow; account: AccountRow };
    method: ProofMethod;
    checked: CheckedProof;
    visit: RequestOrigin;
    now: Date;
  },
): Promise<Reauthenticated> {
  const { live, method, checked, visit, now } = done;
  const { session, account } = live;
  const { id: accountId } = account;
  const token = mintToken("own-token", randomBytes(TOKEN_BYTES));
  if (!(await replaceToken(manager, session, token.hashed))) throw new ProblemReply("not-signed-in");
  await checked.spend(manager, { account, visit, now });
  const isSecond = method.part === "second";
  const level = isSecond ? beginLevel(method.level, now) : keptLevel(session, now);
  const amr = isSecond ? amrWith(session.amr, checked.amr ?? method.amr) : session.amr;
  const proved = { authTime: now, amr, ...level, ...joinGrounds(session, checked.grounds) };
  await noteProof(manager, session.id, proved);
  await checked.reserved.succeed(manager);
  await clearCountsOf(context, manager, account);
  const event = { kind: "session.reauthenticated", accountId, sessionId: session.id } as const;
  await record(context, manager, { event, visit, now });
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
  context: ServiceContext,
  { session, account }: LiveSession,
  { reason, visit }: { reason: string; visit: RequestOrigin },
): Promise<void> {
  const { dataSource, clock } = context;
  const event = {
    kind: "session.reauthentication-refused",
    outcome: "refused",
    reason,
    accountId: account.id,
    sessionId: session.id,
  } as const;
  await inTransaction(dataSource, (manager) => record(context, manager, { event, visit, now: clock.now() }));
}
