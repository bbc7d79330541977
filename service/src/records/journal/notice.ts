/** Notices: each is written in the transaction of its cause, as the journal's entry of it is. */
import type { Notice } from "@lucchetto/contract";
import type { JournalKind } from "@lucchetto/core";
import type { EntityManager } from "typeorm";
import type { JournalEntryRow } from "../../base/storage/index.ts";
import { findReference } from "../account/store.ts";
import { insertDelivery } from "../webhook/store.ts";

/** What the application is told of: accounts, sessions and passwords; not what was tried in vain. */
const TOLD: ReadonlySet<JournalKind> = new Set([
  "account.registered",
  "account.changed",
  "account.set-up-removed",
  "account.erased",
  "sign-in.completed",
  "session.signed-out",
  "session.replaced",
  "session.ended-by-operator",
  "password.changed",
  "password.reset",
] satisfies JournalKind[]);

/** Queues what the application is told of an entry of the journal, if it is told of such. @param manager the entry's own transaction. */
export async function queueNotice(manager: EntityManager, entry: JournalEntryRow): Promise<void> {
  const { kind, accountId } = entry;
  if (!TOLD.has(kind) || accountId === null) return;
  const body: Notice = {
    type: kind,
    timestamp: entry.at.toISOString(),
    data: {
      journalEntryId: entry.id,
      accountId,
      reference: await findReference(manager, accountId),
      sessionId: entry.sessionId,
      actorId: entry.actorId,
      appId: entry.appId,
      outcome: entry.outcome,
      reason: entry.reason,
    },
  };
  await insertDelivery(manager, { type: kind, accountId, body: JSON.stringify(body), now: entry.at });
}
