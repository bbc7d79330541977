/** A challenge taken for an answer: where and for what it was issued, and once. */
import type { PasskeyPurpose } from "@lucchetto/contract";
import { hashToken } from "@lucchetto/core";
import { ProblemReply } from "../../base/problem.ts";
import type { PasskeyChallengeRow } from "../../base/storage/index.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { findChallenge, spendChallenge } from "../../records/passkey/store.ts";

/** What a challenge must have been issued for to be answered here. */
interface Answering {
  readonly purpose: PasskeyPurpose;
  /** The account that is known already; `null`: nobody is. */
  readonly accountId: string | null;
  /** The sign-in in progress. */
  readonly signInId: string | null;
  readonly visit: RequestOrigin;
  readonly mark: string | undefined;
}

/**
 * Takes a challenge for an answer; from here on it is spent, whatever comes of it.
 * @throws ProblemReply `passkey-challenge-unknown`, `passkey-challenge-lapsed`.
 */
export async function takeChallenge(
  { dataSource, clock }: ServiceContext,
  id: string,
  { purpose, accountId, signInId, visit, mark }: Answering,
): Promise<PasskeyChallengeRow> {
  const row = await findChallenge(dataSource, id);
  const isHere =
    row !== null &&
    row.purpose === purpose &&
    row.signInId === signInId &&
    row.appId === visit.appId &&
    (accountId === null || row.accountId === accountId) &&
    isSameBrowser(row.browserHash, hashToken("device-mark", mark));
  if (!isHere) throw new ProblemReply("passkey-challenge-unknown");
  if (!(await spendChallenge(dataSource, id, clock.now())))
    throw new ProblemReply("passkey-challenge-lapsed");
  return row;
}

function isSameBrowser(issued: Buffer | null, answered: Buffer | null): boolean {
  if (issued === null || answered === null) return issued === answered;
  return issued.equals(answered);
}
