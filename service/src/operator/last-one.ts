/** There is always an operator who is active and able to sign in. */
import type { EntityManager } from "typeorm";
import type { ServiceContext } from "../context.ts";
import { hasRecord } from "../password/store.ts";
import { ProblemReply } from "../problem.ts";
import type { AccountRow } from "../storage/index.ts";
import { lockOperators } from "./store.ts";

/**
 * Asserts that somebody is left when an operator goes. Called first in its transaction: two that would take each other out
 * wait for each other here.
 * @throws ProblemReply `last-operator`.
 */
export async function assertOperatorLeft(
  context: ServiceContext,
  manager: EntityManager,
  goingId: string,
): Promise<void> {
  for (const operator of await lockOperators(manager)) {
    if (operator.id !== goingId && (await canSignIn(context, manager, operator))) return;
  }
  throw new ProblemReply("last-operator");
}

/** By a password, or by mail. */
async function canSignIn(
  { configuration }: ServiceContext,
  manager: EntityManager,
  { id, state, emailVerifiedAt }: AccountRow,
): Promise<boolean> {
  if (state !== "active") return false;
  if (await hasRecord(manager, id)) return true;
  return emailVerifiedAt !== null && configuration.mail.via !== "none";
}
