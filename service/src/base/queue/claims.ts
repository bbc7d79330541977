/**
 * Claiming rows that wait to be sent: by one committed UPDATE, so that each has one sender over all instances. A claim
 * lapses by the database's own clock, which all instances share and nobody moves.
 */
import type { DataSource, EntitySchema, FindOptionsWhere } from "typeorm";
import { In } from "typeorm";
import type { QueuedRow } from "../storage/index.ts";
import { HAS_LAPSED, HOLDS_UNTIL } from "../storage/index.ts";

/** Seconds that a claim holds unless it is renewed: whoever made it may have died. */
export const CLAIM_SECONDS = 8;

/** The claims of one table. */
export interface Claims<Row> {
  /** Claims what is due, the longest due first. @param claim unique to this call. */
  take(claim: string, now: Date, limit: number): Promise<Row[]>;
  /** Lets claims hold on. */
  renew(claims: readonly string[]): Promise<void>;
  /** Gives back what was not tried, so that no other instance need wait. */
  giveBack(rows: readonly Row[]): Promise<void>;
  /** Notes that these arrived. @param noted what else is written, the same for all. */
  noteArrived(ids: readonly string[], noted: object): Promise<void>;
  /** Notes that one did not. @param nextTryAt `null`: it is given up. */
  noteFailed(row: QueuedRow, lastAnswer: string, nextTryAt: Date | null): Promise<void>;
}

const FREE = { claim: null, claimedUntil: null };

/** @param entity of a table with the columns of `QueuedRow`. */
export function claimsOf<Row extends QueuedRow>(
  dataSource: DataSource,
  entity: EntitySchema<Row>,
): Claims<Row> {
  const repository = dataSource.getRepository(entity);
  // The columns that every queue has, whatever else its rows hold.
  const queued = dataSource.getRepository(entity as unknown as EntitySchema<QueuedRow>);
  const table = repository.metadata.tableName;
  return {
    async take(claim, now, limit) {
      const { affectedRows } = await dataSource.query<{ affectedRows: number }>(
        `UPDATE ${table} SET claim = ?, claimedUntil = ${HOLDS_UNTIL}, tries = tries + 1, lastTryAt = ?
         WHERE state = 'waiting' AND nextTryAt <= ? AND ${HAS_LAPSED}
         ORDER BY nextTryAt LIMIT ?`,
        [claim, CLAIM_SECONDS, now, now, limit],
      );
      return affectedRows === 0 ? [] : repository.findBy({ claim } as FindOptionsWhere<Row>);
    },

    async renew(claims) {
      await dataSource.query(
        `UPDATE ${table} SET claimedUntil = ${HOLDS_UNTIL} WHERE claim IN (?) AND state = 'waiting'`,
        [CLAIM_SECONDS, claims],
      );
    },

    async giveBack(rows) {
      await dataSource.query(
        `UPDATE ${table} SET claim = NULL, claimedUntil = NULL, tries = GREATEST(0, tries - 1)
         WHERE id IN (?) AND claim IN (?) AND state = 'waiting'`,
        [rows.map(({ id }) => id), rows.map(({ claim }) => claim)],
      );
    },

    async noteArrived(ids, noted) {
      await queued.update({ id: In([...ids]) }, { ...noted, ...FREE });
    },

    async noteFailed({ id, claim }, lastAnswer, nextTryAt) {
      const state = nextTryAt === null ? "given-up" : "waiting";
      const own = claim === null ? { id } : { id, claim };
      await queued.update(own, { state, lastAnswer, nextTryAt, ...FREE });
    },
  };
}
