/** The queries of the journal's chain. */
import type { ChainedEvent, ChainLink, ChainPoint } from "@lucchetto/core";
import type { DataSource, EntityManager } from "typeorm";
import type { JournalEntryRow, Leased, LinkedEntryRow } from "../../base/storage/index.ts";
import { JournalChainEntity, JournalEntryEntity } from "../../base/storage/index.ts";

/** Chaining is for one instance at a time. */
export const CHAIN_LEASE: Leased = { table: "journal_chain", id: 1, seconds: 5 };

/** A point with its seal; `null` at the very beginning. */
export interface SealedPoint extends ChainPoint {
  readonly seal: string | null;
}

export interface ChainEnds {
  readonly base: SealedPoint;
  readonly head: SealedPoint;
}

export type ChainedEntry = ChainedEvent & ChainLink;

const COLUMNS = "id, at, kind, outcome, reason, accountId, actorId, appId, sessionId, network, requestId";

/** Where the chain begins and ends. */
export async function readEnds(manager: EntityManager): Promise<ChainEnds> {
  const row = await manager.getRepository(JournalChainEntity).findOneByOrFail({ id: 1 });
  return {
    base: { position: Number(row.basePosition), digest: row.baseDigest, seal: row.baseSeal },
    head: { position: Number(row.headPosition), digest: row.headDigest, seal: row.headSeal },
  };
}

/**
 * Moves one end on, if it still is where it was. @param claim the claim that must still hold, where it is for one instance alone.
 * @returns whether it was.
 */
export async function moveEnd(
  manager: EntityManager,
  { end, from, to, claim }: { end: "base" | "head"; from: ChainPoint; to: ChainLink; claim?: string },
): Promise<boolean> {
  const { affectedRows } = await manager.query<{ affectedRows: number }>(
    `UPDATE journal_chain SET ${end}Position = ?, ${end}Digest = ?, ${end}Seal = ? 
     WHERE id = 1 AND ${end}Position = ? AND ${end}Digest = ?${claim === undefined ? "" : " AND claim = ?"}`,
    [
      ...[to.position, bytes(to.digest), to.seal, from.position, bytes(from.digest)],
      ...(claim === undefined ? [] : [claim]),
    ],
  );
  return affectedRows === 1;
}

/** Whether any entry is not chained yet. */
export async function isAnyUnchained(dataSource: DataSource): Promise<boolean> {
  return (await dataSource.query("SELECT 1 FROM journal_entry WHERE position IS NULL LIMIT 1")).length > 0;
}

/** When the oldest entry was written that is not chained yet; `null`: all are. */
export async function findOldestUnchained(manager: EntityManager): Promise<Date | null> {
  const [row] = await listUnchained(manager, 1);
  return row?.at ?? null;
}

/** An entry that claims a position which the chain has left behind, or never had: what is listed there was never verified. */
export async function findOutside(
  manager: EntityManager,
  { base }: Pick<ChainEnds, "base">,
): Promise<{ id: string; position: number } | null> {
  const [row] = await manager.query<Array<{ id: string; position: string | number }>>(
    "SELECT id, position FROM journal_entry WHERE position <= ? ORDER BY position LIMIT 1",
    [base.position],
  );
  return row === undefined ? null : { id: row.id, position: Number(row.position) };
}

/** How many entries are not chained yet. */
export async function countUnchained(manager: EntityManager): Promise<number> {
  const [row] = await manager.query<Array<{ waiting: number }>>(
    "SELECT COUNT(*) AS waiting FROM journal_entry WHERE position IS NULL",
  );
  return Number(row?.waiting ?? 0);
}

/** Entries that are not chained yet, as they were written. */
export function listUnchained(manager: EntityManager, most: number): Promise<JournalEntryRow[]> {
  return manager.query(`SELECT ${COLUMNS} FROM journal_entry WHERE position IS NULL ORDER BY id LIMIT ?`, [
    most,
  ]);
}

/** Gives entries their links. @returns how many had none. */
export async function writeLinks(
  manager: EntityManager,
  links: ReadonlyArray<ChainLink & { readonly id: string }>,
): Promise<number> {
  const rows = links.map(() => "SELECT CAST(? AS uuid) AS id, ? AS position, ? AS digest, ? AS seal");
  const { affectedRows } = await manager.query<{ affectedRows: number }>(
    `UPDATE journal_entry entry JOIN (${rows.join(" UNION ALL ")}) link ON link.id = entry.id
     SET entry.position = link.position, entry.digest = link.digest, entry.seal = link.seal WHERE entry.position IS NULL`,
    links.flatMap(({ id, position, digest, seal }) => [id, position, bytes(digest), seal]),
  );
  return affectedRows;
}

/** Chained entries behind a position, in order. */
export async function listChained(
  manager: EntityManager,
  { after, most }: { after: number; most: number },
): Promise<ChainedEntry[]> {
  const rows = await manager.query<LinkedEntryRow[]>(
    `SELECT ${COLUMNS}, position, digest, seal FROM journal_entry WHERE position > ? ORDER BY position LIMIT ?`,
    [after, most],
  );
  return rows.map(readLinked);
}

/** The entry at a position; `null` if none is there. */
export async function findAtPosition(manager: EntityManager, position: number): Promise<ChainedEntry | null> {
  const [entry] = await listChained(manager, { after: position - 1, most: 1 });
  return entry?.position === position ? entry : null;
}

/** Removes chained entries up to a position. */
export async function deleteUpTo(manager: EntityManager, position: number): Promise<void> {
  await manager.query("DELETE FROM journal_entry WHERE position <= ?", [position]);
}

/** Chained entries of a range of positions whose seal is not under this key. */
export async function listSealedOtherwise(
  dataSource: DataSource,
  { keyId, after, upTo }: { keyId: string; after: number; upTo: number },
): Promise<ChainedEntry[]> {
  const rows = await dataSource.query<LinkedEntryRow[]>(
    `SELECT ${COLUMNS}, position, digest, seal FROM journal_entry WHERE position > ? AND position <= ? AND seal NOT LIKE ?`,
    [after, upTo, `${keyId}:%`],
  );
  return rows.map(readLinked);
}

/** Puts a seal in the place of exactly the one that was read. @returns whether it did. */
export async function replaceSeal(
  dataSource: DataSource,
  { id, seal: from }: Pick<ChainedEntry, "id" | "seal">,
  to: string,
): Promise<boolean> {
  const { affected } = await dataSource
    .getRepository(JournalEntryEntity)
    .update({ id, seal: from }, { seal: to });
  return affected === 1;
}

/** Entries, and ends of the chain, whose seal needs a key of the ring. */
export async function countChainedUnder(dataSource: DataSource, keyId: string): Promise<number> {
  const [row] = await dataSource.query<Array<{ seals: number }>>(
    `SELECT (SELECT COUNT(*) FROM journal_entry WHERE seal LIKE ?)
       + (SELECT COALESCE(SUM((baseSeal LIKE ?) + (headSeal LIKE ?)), 0) FROM journal_chain) AS seals`,
    Array.from({ length: 3 }, () => `${keyId}:%`),
  );
  return Number(row?.seals ?? 0);
}

/** What a change by somebody else left without a link's part reads as a part that nothing fits. */
function readLinked(row: LinkedEntryRow): ChainedEntry {
  const { position, digest, seal, ...event } = row;
  return { ...event, position: Number(position), digest: digest ?? Buffer.alloc(0), seal: seal ?? "" };
}

const bytes = (digest: Uint8Array): Buffer => Buffer.from(digest);
