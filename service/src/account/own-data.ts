/** What people may do with everything that is kept of them: take it along, and have it erased. */
import type { ReplyOf, routes } from "@lucchetto/contract";
import { fieldError } from "@lucchetto/contract";
import { OPERATOR_LABEL } from "@lucchetto/core";
import { showAccessKey } from "../access-key/access-key.ts";
import { listAccessKeysOf } from "../access-key/store.ts";
import type { ServiceContext, Visit } from "../context.ts";
import { record, showEntry } from "../journal/journal.ts";
import { listEntries } from "../journal/store.ts";
import { listMailsOf } from "../mail/store.ts";
import { findRecord } from "../password/store.ts";
import { fieldProblem, ProblemReply } from "../problem.ts";
import { showAuthenticator } from "../second-factor/second-factor.ts";
import { listConfirmed } from "../second-factor/store.ts";
import { assertFresh } from "../session/fresh.ts";
import { showSession } from "../session/session.ts";
import type { LiveSession } from "../session/store.ts";
import { listSessions } from "../session/store.ts";
import { inTransaction } from "../storage/index.ts";
import { clearCountsOf } from "../throttle/throttle.ts";
import { consultOrRecord } from "./consult.ts";
import { showAccount } from "./show.ts";
import { deleteAccount, lockAccount } from "./store.ts";

/** Of each kind the newest so many: one reply is no way to empty a database. */
const MOST = 1_000;

type OwnData = Extract<ReplyOf<typeof routes.exportOwnData>, { status: 200 }>["body"];

/** Everything, but no secret and nothing that would help to guess one. */
export async function exportOwnData(
  { dataSource, clock }: ServiceContext,
  { session, account }: LiveSession,
): Promise<OwnData> {
  const { id: accountId } = account;
  const page = { limit: MOST, cursor: undefined };
  const [stored, authenticators, accessKeys, sessions, entries, mails] = await Promise.all([
    findRecord(dataSource, accountId),
    listConfirmed(dataSource.manager, accountId),
    listAccessKeysOf(dataSource, accountId),
    listSessions(dataSource, { accountId }, page),
    listEntries(dataSource, { accountId }, page),
    listMailsOf(dataSource, accountId, MOST),
  ]);
  return {
    exportedAt: clock.now().toISOString(),
    account: showAccount(account),
    password: stored && { scheme: stored.scheme, setAt: stored.setAt.toISOString() },
    authenticators: authenticators.map(showAuthenticator),
    accessKeys: accessKeys.map(showAccessKey),
    sessions: sessions
      .slice(0, MOST)
      .map((row) => showSession(row, { now: clock.now(), current: row.id === session.id })),
    journal: entries.slice(0, MOST).map(showEntry),
    mails: mails.map(({ toAddress: to, subject, state, createdAt }) => ({
      to,
      subject,
      state,
      writtenAt: createdAt.toISOString(),
    })),
  };
}

/**
 * Erases oneself: every row goes. The journal keeps what happened under an id that names nobody any more.
 * @throws ProblemReply `reauthenticate`, `invalid-fields` for an operator, `refused-by-site`, `site-silent`.
 */
export async function eraseOwnAccount(
  context: ServiceContext,
  { session, account }: LiveSession,
  visit: Visit,
): Promise<void> {
  await assertFresh(context, { session, account });
  if (account.labels.includes(OPERATOR_LABEL)) throw fieldProblem([fieldError("labels", "operator-erased")]);
  const { id } = account;
  await consultOrRecord(context, { type: "account.erase", by: "person", account }, visit);
  await inTransaction(context.dataSource, async (manager) => {
    if ((await lockAccount(manager, id)) === null) throw new ProblemReply("not-signed-in");
    // Recorded first: the notice of it still carries the application's reference.
    const event = { kind: "account.erased", reason: "by-owner", accountId: id } as const;
    await record(manager, { event, visit, now: context.clock.now() });
    await clearCountsOf(context, manager, id);
    await deleteAccount(manager, id);
  });
}
