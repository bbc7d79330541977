/** Everything that is kept of a person, to take along. */
import type { ReplyOf, routes } from "@lucchetto/contract";
import { listAccessKeysOf } from "../../records/access-key/store.ts";
import { showAccount } from "../../records/account/show.ts";
import type { ServiceContext } from "../../records/context.ts";
import { assertFresh } from "../../records/granting/fresh.ts";
import { showEntry } from "../../records/journal/journal.ts";
import { listEntries } from "../../records/journal/store.ts";
import { listMailsOf } from "../../records/mail/store.ts";
import { listPasskeys } from "../../records/passkey/store.ts";
import { findRecord } from "../../records/password/store.ts";
import { listConfirmed } from "../../records/second-factor/store.ts";
import type { LiveSession } from "../../records/session/store.ts";
import { listSessions } from "../../records/session/store.ts";
import { listKnownDevices } from "../../records/throttle/store.ts";
import { countOwnWork } from "../../records/throttle/throttle.ts";
import { showAccessKey } from "../access-key/access-key.ts";
import { showPasskey } from "../passkey/show.ts";
import { showAuthenticator } from "../second-factor/second-factor.ts";
import { showSession } from "../session/session.ts";

/** Of each kind the newest so many: one reply is no way to empty a database. */
const MAX_ENTRIES = 1_000;

type OwnData = Extract<ReplyOf<typeof routes.exportOwnData>, { status: 200 }>["body"];

/** Everything, but no secret and nothing that would help to guess one. @throws ProblemReply `reauthenticate`. */
export async function exportOwnData(context: ServiceContext, caller: LiveSession): Promise<OwnData> {
  await assertFresh(context, caller);
  await countOwnWork(context, "account-copies", caller.account.id);
  const { dataSource, clock } = context;
  const { session, account } = caller;
  const { id: accountId } = account;
  const page = { limit: MAX_ENTRIES, cursor: undefined };
  const [stored, authenticators, passkeys, accessKeys, sessions, entries, mails, devices] = await Promise.all(
    [
      findRecord(dataSource, accountId),
      listConfirmed(dataSource.manager, accountId),
      listPasskeys(dataSource.manager, accountId),
      listAccessKeysOf(dataSource, accountId),
      listSessions(dataSource, { accountId }, page),
      listEntries(dataSource, { accountId }, page),
      listMailsOf(dataSource, accountId, MAX_ENTRIES),
      listKnownDevices(dataSource.manager, accountId),
    ],
  );
  return {
    exportedAt: clock.now().toISOString(),
    account: showAccount(account),
    password: stored && { scheme: stored.scheme, setAt: stored.setAt.toISOString() },
    authenticators: authenticators.map(showAuthenticator),
    passkeys: passkeys.map(showPasskey),
    accessKeys: accessKeys.map(showAccessKey),
    sessions: sessions
      .slice(0, MAX_ENTRIES)
      .map((row) => showSession(row, { now: clock.now(), current: row.id === session.id })),
    journal: entries.slice(0, MAX_ENTRIES).map(showEntry),
    knownDevices: devices.map(({ createdAt, lastUsedAt }) => ({
      createdAt: createdAt.toISOString(),
      lastUsedAt: lastUsedAt.toISOString(),
    })),
    mails: mails.map(({ toAddress: to, subject, state, createdAt }) => ({
      to,
      subject,
      state,
      writtenAt: createdAt.toISOString(),
    })),
  };
}
