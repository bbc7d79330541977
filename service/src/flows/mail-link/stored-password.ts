/** A password shown with a link, against a record that is kept for this: each try is counted as one of a sign-in. */
import { matchesRecord } from "../../people/password/present.ts";
import type { ServiceContext } from "../../records/context.ts";
import { giveBackAfter, reservePasswordTry } from "../../records/throttle/throttle.ts";
import type { BrowserMarks, Redemption } from "./redemption.ts";

interface ShownBesideLink extends Pick<Redemption, "visit"> {
  readonly marks: Pick<BrowserMarks, "mark">;
  /** The record; `null`: nothing matches. */
  readonly stored: string | null;
  /** `null`: a registration that waits outside accounts. */
  readonly accountId: string | null;
  /** Under what tries are counted where there is no account. */
  readonly name: string;
}

/** Whether it matches. @throws ProblemReply `throttled`, `too-busy`. */
export async function isStoredPassword(
  context: ServiceContext,
  { stored, accountId, name, visit, marks }: ShownBesideLink,
  typed: string,
): Promise<boolean> {
  const { network } = visit;
  const reserved = await reservePasswordTry(context, { accountId, name, network, mark: marks.mark });
  let matches: boolean;
  try {
    matches = await matchesRecord(context, { record: stored, accountId }, { typed, asker: reserved.asker });
  } catch (error) {
    await giveBackAfter(error, reserved);
    throw error;
  }
  if (matches) await reserved.giveBack();
  return matches;
}
