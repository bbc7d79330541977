/** Writing the journal: each event in the transaction that caused it, so that neither is there without the other. */
import type { JournalEntry } from "@lucchetto/contract";
import type { JournalKind, JournalOutcome } from "@lucchetto/core";
import type { EntityManager } from "typeorm";
import type { JournalEntryRow } from "../../base/storage/index.ts";
import { newId } from "../../base/storage/index.ts";
import type { RequestOrigin, ServiceContext } from "../context.ts";
import { queueNotice } from "./notice.ts";
import { insertEntry } from "./store.ts";

/** An event to record. What is left out is not known or does not apply. */
export interface SecurityEvent {
  readonly kind: JournalKind;
  readonly outcome?: JournalOutcome;
  /** The inner reason of a refusal, which the reply may hide. */
  readonly reason?: string;
  readonly accountId?: string | null;
  /** The account that did it, where it was somebody else. */
  readonly actorId?: string | null;
  readonly appId?: string | null;
  readonly sessionId?: string | null;
}

/** What happened, for whom, and when. */
export interface Happening {
  readonly event: SecurityEvent;
  readonly visit: RequestOrigin;
  readonly now: Date;
}

/** Records an event; the application hears of it by a notice. Of what people read of by mail: `recordAndTell`. @param manager the transaction of its cause. */
export async function record(
  { configuration }: Pick<ServiceContext, "configuration">,
  manager: EntityManager,
  { event, visit, now }: Happening,
): Promise<void> {
  const entry: JournalEntryRow = {
    id: newId(now),
    at: now,
    kind: event.kind,
    outcome: event.outcome ?? "done",
    reason: event.reason ?? null,
    accountId: event.accountId ?? null,
    actorId: event.actorId ?? null,
    appId: event.appId ?? null,
    sessionId: event.sessionId ?? null,
    network: visit.network,
    requestId: visit.requestId,
  };
  await insertEntry(manager, entry);
  if (configuration.webhooks.notify.url !== undefined) await queueNotice(manager, entry);
}

/** An entry as the contract shows it. */
export function showEntry(row: JournalEntryRow): JournalEntry {
  return { ...row, at: row.at.toISOString() };
}
