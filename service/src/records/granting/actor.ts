/**
 * Who does something with somebody else's account, or with the service: an operator, or the server of an app that has the right to. What
 * they change, they change here: whether they still may is read again in the transaction, so that nothing is done after a session ended, a
 * label went or a key was retired.
 */
import { BUILT_IN_LABELS } from "@lucchetto/contract";
import { isSessionAlive, OPERATOR_LABEL } from "@lucchetto/core";
import type { EntityManager } from "typeorm";
import { ProblemReply } from "../../base/problem.ts";
import type { Asker } from "../../base/queue/places.ts";
import { grant } from "../../base/storage/granted.ts";
import type { Granted } from "../../base/storage/index.ts";
import { inTransaction } from "../../base/storage/index.ts";
import { holdAccount } from "../account/store.ts";
import type { KeyedApp } from "../app/store.ts";
import { holdKey } from "../app/store.ts";
import type { RequestOrigin, ServiceContext } from "../context.ts";
import { holdOperators } from "../operator/store.ts";
import type { LiveSession } from "../session/store.ts";
import { holdSession } from "../session/store.ts";

export type Actor =
  | { readonly operator: LiveSession }
  | { readonly app: Pick<KeyedApp, "appId" | "keyId" | "clientId"> }
  /** Whoever has the service's own machine, in the name of this operator. */
  | { readonly onThisMachine: string };

/** The actor as the journal names it. */
export function inJournal(actor: Actor): { actorId?: string; appId?: string } {
  if ("onThisMachine" in actor) return { actorId: actor.onThisMachine };
  return "operator" in actor ? { actorId: actor.operator.account.id } : { appId: actor.app.appId };
}

/** The actor as places for hashing are given: whoever works for the service goes before strangers. */
export function askerOf(actor: Actor, { network }: Pick<RequestOrigin, "network">): Asker {
  const { actorId, appId } = inJournal(actor);
  return { network, account: actorId ?? appId ?? null, isKnown: true };
}

/** Whether an account belongs to somebody who operates the service or audits it. */
export function isOfOperators({ labels }: { readonly labels: readonly string[] }): boolean {
  return labels.some((label) => BUILT_IN_LABELS.includes(label));
}

/** A transaction of somebody who still may. */
interface ActorsChange {
  readonly manager: Granted;
  readonly now: Date;
}

/**
 * Changes something, whole or not at all.
 * @param work does it, in the transaction; it may be called again if the transaction lost a deadlock.
 * @throws ProblemReply `not-signed-in`, `operators-only`, `app-unknown` and `right-missing` for who was an operator or an app until a moment ago.
 */
export function changeAs<Result>(
  { dataSource, clock }: Pick<ServiceContext, "dataSource" | "clock">,
  actor: Actor,
  work: (change: ActorsChange) => Promise<Result>,
  { tells = false }: Telling = {},
): Promise<Result> {
  return inTransaction(dataSource, async (manager) => {
    const now = clock.now();
    if (tells) await holdOperators(manager);
    if ("operator" in actor) await assertStillOperator(manager, actor.operator, now);
    if ("app" in actor) await assertStillApp(manager, actor.app);
    return work({ manager: grant(manager), now });
  });
}

interface Telling {
  /** The other operators are told of it. */
  readonly tells?: boolean;
}

/** An operator's change. @param work as of `changeAs`. */
export function changeAsOperator<Result>(
  context: Pick<ServiceContext, "dataSource" | "clock">,
  operator: LiveSession,
  work: (change: ActorsChange) => Promise<Result>,
  telling: Telling = {},
): Promise<Result> {
  return changeAs(context, { operator }, work, telling);
}

/**
 * Whether who began long work may go on with it: an operator whose session nobody ended. One that lapsed by itself, as sessions do
 * in the hours that work may take, ends nothing.
 */
export async function mayGoOn(manager: EntityManager, { session, account }: LiveSession): Promise<boolean> {
  const held = await holdAccount(manager, account.id);
  const begun = await holdSession(manager, session.id);
  const isPutOut = begun !== null && begun.endedAt !== null;
  return held?.state === "active" && held.labels.includes(OPERATOR_LABEL) && !isPutOut;
}

async function assertStillApp(manager: EntityManager, { keyId }: Pick<KeyedApp, "keyId">): Promise<void> {
  const rights = await holdKey(manager, keyId);
  if (rights === null) throw new ProblemReply("app-unknown");
  if (!rights.includes("accounts")) throw new ProblemReply("right-missing");
}

async function assertStillOperator(
  manager: EntityManager,
  { session, account }: LiveSession,
  now: Date,
): Promise<void> {
  const held = await holdAccount(manager, account.id);
  const living = await holdSession(manager, session.id);
  const isAlive =
    living !== null && isSessionAlive(living, now) && living.tokenHash.equals(session.tokenHash);
  if (held?.state !== "active" || !isAlive) throw new ProblemReply("not-signed-in");
  if (!held.labels.includes(OPERATOR_LABEL)) throw new ProblemReply("operators-only");
}
