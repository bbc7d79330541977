/** Sensitive changes need a proof of the last minutes, of the account's full strength (NIST SP 800-63B-4 section 2.2.3). */
import { isFresh, levelOf } from "@lucchetto/core";
import { ProblemReply } from "../../base/problem.ts";
import type { ServiceContext } from "../context.ts";
import { secondFactorsOf } from "../second-factor/offered.ts";
import type { LiveSession } from "../session/store.ts";

/** @throws ProblemReply `reauthenticate`. */
export async function assertFresh(
  { dataSource, clock }: ServiceContext,
  { session, account }: LiveSession,
): Promise<void> {
  const now = clock.now();
  if (!isFresh(session.authTime, now)) throw new ProblemReply("reauthenticate");
  if (levelOf(session, now) === 2) return;
  // The second factor came after the sign-in: what was shown then is not all that the account has.
  if ((await secondFactorsOf(dataSource.manager, account.id)).length > 0)
    throw new ProblemReply("reauthenticate");
}
