/** Who may look at what operators see, and who may change it. */
import { AUDITOR_LABEL, levelOf, OPERATOR_LABEL } from "@lucchetto/core";
import { ProblemReply } from "../../base/problem.ts";
import type { ServiceContext } from "../../records/context.ts";
import { assertFresh } from "../../records/granting/fresh.ts";
import type { LiveSession } from "../../records/session/store.ts";

/** Whether somebody reads what operators read, and changes nothing. */
export function isAuditorOnly({ account: { labels } }: LiveSession): boolean {
  return labels.includes(AUDITOR_LABEL) && !labels.includes(OPERATOR_LABEL);
}

/**
 * Asserts that a session may call an operators' route. What changes something needs a proof of the last minutes; in
 * production a second factor too.
 * @throws ProblemReply `operators-only`, `auditor-reads-only`, `reauthenticate`, `second-factor-wanted`.
 */
export async function assertOperates(
  context: ServiceContext,
  caller: LiveSession,
  { changes }: { changes: boolean },
): Promise<void> {
  const { session, account } = caller;
  const isOperator = account.labels.includes(OPERATOR_LABEL);
  // Whoever operates does it in a session that no application holds the token of.
  if (!(isOperator || isAuditorOnly(caller)) || session.appId !== null)
    throw new ProblemReply("operators-only");
  if (!changes) return;
  if (!isOperator) throw new ProblemReply("auditor-reads-only");
  await assertFresh(context, caller);
  const { configuration, clock } = context;
  // Fresh and yet at level 1: there is no second factor that could have been shown.
  if (configuration.mode === "production" && levelOf(session, clock.now()) !== 2)
    throw new ProblemReply("second-factor-wanted");
}
