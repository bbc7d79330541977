import type { HashedToken, LinkPurpose, UndoPurpose } from "@lucchetto/core";
import { UNDO_PURPOSES } from "@lucchetto/core";
import type { DataSource, EntityManager } from "typeorm";
import { In, IsNull, LessThan, MoreThan, MoreThanOrEqual, Not } from "typeorm";
import { grant } from "../../base/storage/granted.ts";
import type { Granted, MailLinkRow } from "../../base/storage/index.ts";
import { MailLinkEntity, sweepRows } from "../../base/storage/index.ts";

export async function insertLink(manager: EntityManager, row: MailLinkRow): Promise<void> {
  await manager.getRepository(MailLinkEntity).insert(row);
}

export function findLink(
  dataSource: DataSource,
  secretHash: HashedToken<"mail-link">,
): Promise<MailLinkRow | null> {
  return dataSource.getRepository(MailLinkEntity).findOneBy({ secretHash });
}

/** Where somebody lands who accepts an invitation, by the newest one. */
export async function findLanding(manager: EntityManager, accountId: string): Promise<string | null> {
  const newest = await manager
    .getRepository(MailLinkEntity)
    .findOne({ where: { accountId, purpose: "invite" }, order: { createdAt: "DESC" } });
  return newest?.returnTo ?? null;
}

const living = (now: Date) => ({ spentAt: IsNull(), supersededAt: IsNull(), expiresAt: MoreThan(now) });

/** How many of a purpose could still be used. */
export function countLiving(
  manager: EntityManager,
  { accountId, purpose, now }: { accountId: string; purpose: LinkPurpose; now: Date },
): Promise<number> {
  return manager.getRepository(MailLinkEntity).countBy({ accountId, purpose, ...living(now) });
}

/** Voids the living ones of a purpose that the same browser asked for: of an account, or of an address that has none. */
export async function supersedeOf(
  manager: EntityManager,
  link: {
    accountId: string | null;
    emailKey: string;
    purpose: LinkPurpose;
    browserHash: Buffer;
    now: Date;
  },
): Promise<void> {
  const { accountId, emailKey, purpose, browserHash, now } = link;
  const whose = accountId === null ? { accountId: IsNull(), emailKey } : { accountId };
  await manager
    .getRepository(MailLinkEntity)
    .update({ ...whose, purpose, browserHash, ...living(now) }, { supersededAt: now });
}

/** Spends it. @returns whether this call was the one that did. */
export async function spendLink(manager: EntityManager, id: string, now: Date): Promise<Granted | null> {
  const { affected } = await manager
    .getRepository(MailLinkEntity)
    .update({ id, ...living(now) }, { spentAt: now });
  return affected === 1 ? grant(manager) : null;
}

/** Voids all living links of an account but those that undo something. */
export async function voidLinksOf(manager: Granted, accountId: string, now: Date): Promise<void> {
  const repository = manager.getRepository(MailLinkEntity);
  const purpose = Not(In([...UNDO_PURPOSES]));
  await repository.update({ accountId, purpose, ...living(now) }, { supersededAt: now });
  // What was exchanged for a code that nobody has typed yet.
  await repository.update({ accountId, codeHash: Not(IsNull()) }, { supersededAt: now, codeHash: null });
}

/** Voids those that undo a change of some time: another one took it back as well. */
export async function voidUndoLinks(
  manager: Granted,
  undone: { accountId: string; purposes: readonly UndoPurpose[]; since: Date; until: Date; now: Date },
): Promise<void> {
  const { accountId, purposes, since, until, now } = undone;
  await manager
    .getRepository(MailLinkEntity)
    .createQueryBuilder()
    .update()
    .set({ supersededAt: now })
    .where({ accountId, purpose: In([...purposes]), ...living(now) })
    .andWhere("createdAt >= :since AND createdAt <= :until", { since, until })
    .execute();
}

/** When an account's owner was first back after a change: by undoing it, or another one since. `null`: not yet. */
export async function findFirstUndo(
  manager: EntityManager,
  { accountId, since, except }: { accountId: string; since: Date; except: string },
): Promise<Date | null> {
  const first = await manager.getRepository(MailLinkEntity).findOne({
    where: {
      accountId,
      // Stopping an erasure puts nobody out.
      purpose: In(["undo-change", "undo-factor"]),
      spentAt: MoreThanOrEqual(since),
      id: Not(except),
    },
    order: { spentAt: "ASC" },
  });
  return first?.spentAt ?? null;
}

/** Until when something of an account can still be undone that makes another account of it; `null`: nothing can. */
export async function findLastUndoEnd(
  manager: EntityManager,
  accountId: string,
  now: Date,
): Promise<Date | null> {
  const last = await manager.getRepository(MailLinkEntity).findOne({
    where: { accountId, purpose: In(["undo-change", "undo-factor"]), ...living(now) },
    order: { expiresAt: "DESC" },
  });
  return last?.expiresAt ?? null;
}

/** The former addresses of an account that can still be restored. */
export async function listUndoAddresses(
  manager: EntityManager,
  accountId: string,
  now: Date,
): Promise<string[]> {
  const links = await manager
    .getRepository(MailLinkEntity)
    .findBy({ accountId, purpose: "undo-change", ...living(now) });
  return links.flatMap(({ newEmail }) => newEmail ?? []);
}

/** Forgets those that expired before a time. */
export async function sweepLinks(dataSource: DataSource, before: Date): Promise<void> {
  await sweepRows(dataSource, "mail_link WHERE expiresAt < ?", [before]);
}

/** Spends it for a code. @returns whether this call was the one that did. */
export async function spendForCode(
  manager: EntityManager,
  id: string,
  { codeHash, now }: { codeHash: Buffer; now: Date },
): Promise<boolean> {
  const { affected } = await manager
    .getRepository(MailLinkEntity)
    .update({ id, ...living(now) }, { spentAt: now, codeHash });
  return affected === 1;
}

/** The newest change of address of a session whose code is waited for. */
export function findAwaitingCode(
  dataSource: DataSource,
  { sessionId, now }: { sessionId: string; now: Date },
): Promise<MailLinkRow | null> {
  return dataSource.getRepository(MailLinkEntity).findOne({
    where: {
      sessionId,
      purpose: "change-email",
      codeHash: Not(IsNull()),
      supersededAt: IsNull(),
      expiresAt: MoreThan(now),
    },
    order: { createdAt: "DESC", id: "DESC" },
  });
}

/** Counts a code as wrong before it is looked at. @returns whether there was a try left. */
export async function reserveCode(dataSource: DataSource, id: string, most: number): Promise<boolean> {
  const { affected } = await dataSource
    .getRepository(MailLinkEntity)
    .createQueryBuilder()
    .update()
    .set({ wrongCodes: () => "wrongCodes + 1" })
    .where({ id, codeHash: Not(IsNull()), wrongCodes: LessThan(most) })
    .execute();
  return affected === 1;
}

/** Spends the code. @returns whether this call was the one that did. */
export async function spendCode(manager: EntityManager, id: string): Promise<Granted | null> {
  const { affected } = await manager
    .getRepository(MailLinkEntity)
    .update({ id, codeHash: Not(IsNull()), supersededAt: IsNull() }, { codeHash: null });
  return affected === 1 ? grant(manager) : null;
}
