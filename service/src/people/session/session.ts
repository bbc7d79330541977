/** Use cases of sessions: begin, recognise, end. */
import { randomBytes } from "node:crypto";
import type { OperatorSession, Session } from "@lucchetto/contract";
import type { Grounds, PlainToken, SessionKind } from "@lucchetto/core";
import {
  beginLevel,
  beginSessionTimes,
  hashToken,
  isSessionAlive,
  levelOf,
  mintToken,
  TOKEN_BYTES,
} from "@lucchetto/core";
import type { EntityManager } from "typeorm";
import { ProblemReply } from "../../base/problem.ts";
import type { AccountRow, SessionFacts, SessionRow } from "../../base/storage/index.ts";
import { inTransaction, newId } from "../../base/storage/index.ts";
import { noteSignIn } from "../../records/account/store.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { changeAsOperator } from "../../records/granting/actor.ts";
import type { SecurityEvent } from "../../records/journal/journal.ts";
import { record } from "../../records/journal/journal.ts";
import type { LiveSession } from "../../records/session/store.ts";
import { endSession, findSession, insertSession } from "../../records/session/store.ts";

/** A session just begun, with its own token, which exists nowhere else. */
export interface BegunSession extends LiveSession {
  readonly token: PlainToken<"own-token">;
}

/** What was proved, for how long it counts, and the session of the same browser that this one takes the place of. */
export interface Beginning {
  readonly account: AccountRow;
  readonly kind: SessionKind;
  readonly aal: 1 | 2;
  readonly amr: readonly string[];
  readonly grounds: Grounds;
  readonly replaces: LiveSession | null;
}

/** Begins a session under a fresh token, inside the transaction of the sign-in. */
export async function beginSession(
  context: ServiceContext,
  manager: EntityManager,
  beginning: Beginning,
  visit: RequestOrigin,
): Promise<BegunSession> {
  const { configuration, clock } = context;
  const now = clock.now();
  const { account, kind, aal, amr, grounds, replaces } = beginning;
  const token = mintToken("own-token", randomBytes(TOKEN_BYTES));
  const session: SessionRow = {
    id: newId(now),
    tokenHash: token.hashed,
    accountId: account.id,
    kind,
    ...beginLevel(aal, now),
    amr: [...amr],
    authTime: now,
    ...beginSessionTimes(now, configuration.sessions[kind]),
    endReason: null,
    userAgent: visit.userAgent,
    network: visit.network,
    appId: visit.appId,
    firstProofAt: null,
    ...grounds,
  };
  await insertSession(manager, session);
  await noteSignIn(manager, account.id, now);
  if (replaces !== null && (await endSession(manager, replaces.session.id, { now, reason: "replaced" }))) {
    const event = {
      kind: "session.replaced",
      accountId: replaces.account.id,
      sessionId: replaces.session.id,
    } satisfies SecurityEvent;
    await record(context, manager, { event, visit, now });
  }
  return { session, account, token: token.plain };
}

/**
 * The living session of an own token; notes the use.
 * @param appId the app with forms of its own whose key came along; a session begun in such an app is known beside its
 * key only.
 * @returns `null` for anything else.
 */
export async function recogniseOwnToken(
  { lookUps, clock, lastSeen }: ServiceContext,
  text: string,
  appId: string | null,
): Promise<LiveSession | null> {
  const hashed = hashToken("own-token", text);
  if (hashed === null) return null;
  const found = await lookUps.ownToken(hashed);
  const now = clock.now();
  if (found === null || !isSessionAlive(found.session, now) || found.account.state !== "active") return null;
  if (found.session.appId !== null && found.session.appId !== appId) return null;
  lastSeen.note(found.session, now);
  return found;
}

/** Signs out: ends the session on the server, and with it every check token of it. */
export async function signOut(
  context: ServiceContext,
  caller: { readonly session: { readonly id: string }; readonly account: { readonly id: string } },
  visit: RequestOrigin,
): Promise<void> {
  const { dataSource, clock } = context;
  const now = clock.now();
  await inTransaction(dataSource, async (manager) => {
    if (!(await endSession(manager, caller.session.id, { now, reason: "signed-out" }))) return;
    const event = {
      kind: "session.signed-out",
      accountId: caller.account.id,
      sessionId: caller.session.id,
    } satisfies SecurityEvent;
    await record(context, manager, { event, visit, now });
  });
}

/** An operator ends somebody's session. @throws ProblemReply `not-found`. Ending an ended one is no error. */
export async function endSessionAsOperator(
  context: ServiceContext,
  operator: LiveSession,
  id: string,
  visit: RequestOrigin,
): Promise<void> {
  const session = await findSession(context.dataSource, id);
  if (session === null) throw new ProblemReply("not-found");
  await changeAsOperator(context, operator, async ({ manager, now }) => {
    if (!(await endSession(manager, id, { now, reason: "ended-by-operator" }))) return;
    const event = {
      kind: "session.ended-by-operator",
      accountId: session.accountId,
      actorId: operator.account.id,
      sessionId: id,
    } satisfies SecurityEvent;
    await record(context, manager, { event, visit, now });
  });
}

/** A session as its person sees it. */
export function showSession(
  session: SessionFacts,
  { now, current }: { now: Date; current: boolean },
): Session {
  return {
    id: session.id,
    kind: session.kind,
    aal: levelOf(session, now),
    amr: session.amr,
    authTime: session.authTime.toISOString(),
    createdAt: session.createdAt.toISOString(),
    lastSeenAt: session.lastSeenAt.toISOString(),
    idleEndsAt: session.idleEndsAt.toISOString(),
    endsAt: session.endsAt.toISOString(),
    current,
    userAgent: session.userAgent,
    network: session.network,
  };
}

/** A session as operators see it; one past a limit counts as ended there. */
export function showSessionToOperator(
  session: SessionRow,
  {
    now,
    current,
    names,
  }: {
    now: Date;
    current: boolean;
    names: { accountName: string | null; appName: string | null } | undefined;
  },
): OperatorSession {
  const limit = session.idleEndsAt < session.endsAt ? session.idleEndsAt : session.endsAt;
  const lapsed = session.endedAt === null && !isSessionAlive(session, now);
  return {
    ...showSession(session, { now, current }),
    accountId: session.accountId,
    accountName: names?.accountName ?? null,
    appName: names?.appName ?? null,
    endedAt: (session.endedAt ?? (lapsed ? limit : null))?.toISOString() ?? null,
    endReason:
      session.endReason ?? (lapsed ? (limit === session.endsAt ? "absolute-limit" : "idle-limit") : null),
  };
}
