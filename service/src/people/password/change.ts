/** Changing the password: the present one is shown, all other sessions end, and this one gets a new own token. */
import { randomBytes } from "node:crypto";
import { fieldError, RECENT_KEY_DAYS } from "@lucchetto/contract";
import type { PlainToken } from "@lucchetto/core";
import { joinGrounds, mintToken, NO_GROUNDS, TOKEN_BYTES } from "@lucchetto/core";
import { DAY } from "../../base/duration.ts";
import { fieldProblem, ProblemReply } from "../../base/problem.ts";
import { inTransaction } from "../../base/storage/index.ts";
import { deleteAccessKeysSince } from "../../records/access-key/store.ts";
import { OWN_PASSWORD, updateAccount } from "../../records/account/store.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { assertFresh } from "../../records/granting/fresh.ts";
import { changeOwn } from "../../records/granting/own-change.ts";
import { record } from "../../records/journal/journal.ts";
import { recordAndTell } from "../../records/journal/mails.ts";
import { secondFactorsOf } from "../../records/second-factor/offered.ts";
import type { LiveSession } from "../../records/session/store.ts";
import { endOtherSessionsOf, replaceToken } from "../../records/session/store.ts";
import type { ReservedTry } from "../../records/throttle/throttle.ts";
import {
  clearCountsOf,
  giveBackAfter,
  reserveOwnHashing,
  reservePasswordTry,
} from "../../records/throttle/throttle.ts";
import { applyRecoveryRule } from "../recovery/end.ts";
import { groundsOfPassword } from "../recovery/grounds.ts";
import { setOwnPassword } from "../recovery/own-password.ts";
import { judge, makeRecordOf } from "./password.ts";
import { findIfRight } from "./present.ts";

interface PasswordChange {
  /** The password up to now; left out where it was shown a moment ago, or there is none. */
  readonly present: string | undefined;
  readonly password: string;
  /** Access keys of the last days that stay. */
  readonly keepAccessKeys: readonly string[];
  readonly visit: RequestOrigin;
  /** The known-device mark that came along. */
  readonly mark: string | undefined;
}

interface PasswordChanged extends LiveSession {
  readonly token: PlainToken<"own-token">;
  readonly endedSessions: number;
  readonly endedAccessKeys: number;
}

/**
 * Changes it. A wrong present password counts as a failed try, like one at sign-in.
 * @throws ProblemReply `invalid-fields`, `reauthenticate`, `throttled`, `too-busy`, `not-signed-in` (if the session ended meanwhile).
 */
export async function changePassword(
  context: ServiceContext,
  { session, account }: LiveSession,
  { present, password, keepAccessKeys, visit, mark }: PasswordChange,
): Promise<PasswordChanged> {
  const verdict = await judge(context, password, account);
  if (!verdict.ok) throw fieldProblem([fieldError("password", verdict.code, verdict.parameters)]);
  const isStrong = (await secondFactorsOf(context.dataSource.manager, account.id)).length > 0;
  // The present password alone is less than the account can show.
  if (present === undefined || isStrong) await assertFresh(context, { session, account });
  const { id: accountId } = account;
  const { network } = visit;
  // Whatever hashes is counted first, whether or not a password is tried by it.
  const asker = await reserveOwnHashing(context, { accountId, network, mark });
  const reserved =
    present === undefined
      ? null
      : await reservePasswordTry(context, { accountId, name: null, network, mark });
  const { right, made } = await hashOrGiveBack(reserved, async () => {
    const shown =
      present === undefined ? null : await findIfRight(context, accountId, { typed: present, asker });
    if (present !== undefined && shown === null) return { right: null, made: null };
    return { right: shown, made: await makeRecordOf(context, verdict, asker) };
  });
  if (made === null) {
    await recordRefusal(context, account.id, visit);
    throw fieldProblem([fieldError("present", "present-password-wrong")]);
  }
  const { plain, hashed } = mintToken("own-token", randomBytes(TOKEN_BYTES));
  return changeOwn(
    context,
    { session, account },
    async ({ manager, account: locked, session: living, now }) => {
      // The token that was shown is spent; whoever comes second with it, or with an ended session, changes nothing.
      if (!(await replaceToken(manager, session, hashed))) throw new ProblemReply("not-signed-in");
      // The password that was shown is one that its owner has; so may be whoever learnt it.
      const shown = joinGrounds(living, right === null ? NO_GROUNDS : groundsOfPassword(right));
      await setOwnPassword(context, manager, { account: locked, made, shown, mark, now });
      const endedSessions = await endOtherSessionsOf(manager, account.id, session.id, {
        now,
        reason: "password-changed",
      });
      await reserved?.succeed(manager);
      await clearCountsOf(context, manager, account, "password");
      await applyRecoveryRule(context, manager, { accountId: account.id, event: "password-changed", now });
      const endedAccessKeys = await deleteAccessKeysSince(manager, account.id, {
        since: new Date(now.getTime() - RECENT_KEY_DAYS * DAY),
        except: keepAccessKeys,
      });
      await updateAccount(manager, account.id, OWN_PASSWORD);
      const event = { kind: "password.changed", accountId: account.id, sessionId: session.id } as const;
      await recordAndTell(context, manager, { event, readers: { owner: account }, visit, now });
      return { session, account, token: plain, endedSessions, endedAccessKeys };
    },
  );
}

/** What failed by itself counts as no failure. */
async function hashOrGiveBack<Made>(reserved: ReservedTry | null, hash: () => Promise<Made>): Promise<Made> {
  try {
    return await hash();
  } catch (error) {
    if (reserved !== null) await giveBackAfter(error, reserved);
    throw error;
  }
}

async function recordRefusal(
  context: ServiceContext,
  accountId: string,
  visit: RequestOrigin,
): Promise<void> {
  const { dataSource, clock } = context;
  const reason = "wrong-password";
  const event = { kind: "password.change-refused", outcome: "refused", reason, accountId } as const;
  await inTransaction(dataSource, (manager) => record(context, manager, { event, visit, now: clock.now() }));
}
