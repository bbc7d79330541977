/** Notices: each is written in the transaction of its cause, as the journal's entry of it is. */
import type { Notice } from "@lucchetto/contract";
import type { JournalKind } from "@lucchetto/core";
import type { EntitySubscriberInterface, InsertEvent } from "typeorm";
import { findReference } from "../account/store.ts";
import type { JournalEntryRow } from "../storage/index.ts";
import { JournalEntryEntity } from "../storage/index.ts";
import { insertDelivery } from "./store.ts";

/** What the application is told of: accounts, sessions and passwords; not what was tried in vain. */
const TOLD: ReadonlySet<JournalKind> = new Set([
  "account.registered",
  "account.changed",
  "account.erased",
  "sign-in.completed",
  "session.signed-out",
  "session.replaced",
  "session.ended-by-operator",
  "password.changed",
  "password.reset",
] satisfies JournalKind[]);

/** Listens to the journal: what was recorded is told, what was rolled back never was. */
export const noticeSubscriber: EntitySubscriberInterface<JournalEntryRow> = {
  async afterInsert({ entity, manager, metadata }: InsertEvent<JournalEntryRow>) {
    if (metadata.name !== JournalEntryEntity.options.name) return;
    const { kind, accountId } = entity;
    if (!TOLD.has(kind) || accountId === null) return;
    const body: Notice = {
      type: kind,
      timestamp: entity.at.toISOString(),
      data: {
        journalEntryId: entity.id,
        accountId,
        reference: await findReference(manager, accountId),
        sessionId: entity.sessionId,
        actorId: entity.actorId,
        outcome: entity.outcome,
        reason: entity.reason,
      },
    };
    await insertDelivery(manager, {
      type: kind,
      accountId,
      body: JSON.stringify(body),
      now: entity.at,
    });
  },
};
