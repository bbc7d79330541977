/** There is always an operator who is active and able to sign in. */
import { wantedNext } from "@lucchetto/core";
import type { EntityManager } from "typeorm";
import { ProblemReply } from "../../base/problem.ts";
import type { AccountRow } from "../../base/storage/index.ts";
import type { ServiceContext } from "../../records/context.ts";
import { lockOperators } from "../../records/operator/store.ts";
import { hasRecord } from "../../records/password/store.ts";
import { ruleOf } from "../../records/sign-in/rule.ts";

/**
 * Makes a change of an operator's account, after which somebody must be left. All operators are locked first: two that
 * would take each other out wait for each other here.
 * @throws ProblemReply `last-operator`; the transaction goes back.
 */
export async function leavingAnOperator<Result>(
  context: ServiceContext,
  manager: EntityManager,
  change: () => Promise<Result>,
): Promise<Result> {
  await lockOperators(manager);
  const result = await change();
  for (const operator of await lockOperators(manager))
    if (await canSignIn(context, manager, operator)) return result;
  throw new ProblemReply("last-operator");
}

/** By a password, or by mail. */
async function canSignIn(
  context: ServiceContext,
  manager: EntityManager,
  operator: AccountRow,
): Promise<boolean> {
  if (operator.state !== "active") return false;
  const rule = await ruleOf(context, manager, operator);
  // A reset by mail is a way in too.
  if (rule.isReachable) return true;
  return (await hasRecord(manager, operator.id)) && wantedNext(rule, ["pwd"]) !== null;
}
