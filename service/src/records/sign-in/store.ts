import type { Grounds, HashedToken } from "@lucchetto/core";
import { MAX_WRONG_PROOFS } from "@lucchetto/core";
import type { DataSource, EntityManager } from "typeorm";
import { IsNull, LessThan, MoreThan, MoreThanOrEqual, Not } from "typeorm";
import { dayOf } from "../../base/clock/by-day.ts";
import { grant } from "../../base/storage/granted.ts";
import type { Granted, SignInCountRow, SignInRow } from "../../base/storage/index.ts";
import { earliestIdAt, SignInCountEntity, SignInEntity, sweepRows } from "../../base/storage/index.ts";

export async function insertSignIn(manager: EntityManager, row: SignInRow): Promise<void> {
  await manager.getRepository(SignInEntity).insert(row);
}

/** One, ended or not. */
export function findSignIn(dataSource: DataSource, id: string): Promise<SignInRow | null> {
  return dataSource.getRepository(SignInEntity).findOneBy({ id });
}

/** Notes whose sign-in it is that was begun for nobody in particular. */
export async function knowSignIn(
  manager: EntityManager,
  id: string,
  whose: { accountId: string } | { registrationId: string },
): Promise<void> {
  await manager
    .getRepository(SignInEntity)
    .update({ id, accountId: IsNull(), registrationId: IsNull() }, whose);
}

/** Keeps the code that its link was swapped for. @returns whether it can still go on. */
export async function setMailCode(
  manager: EntityManager,
  id: string,
  { mailCodeHash, now }: { mailCodeHash: Buffer; now: Date },
): Promise<boolean> {
  const { affected } = await manager
    .getRepository(SignInEntity)
    .update({ id, endedAt: IsNull(), expiresAt: MoreThan(now) }, { mailCodeHash });
  return affected === 1;
}

/** Counts a proof as wrong before it is looked at. @returns whether there was a try left. */
export async function reserveProof(dataSource: DataSource, id: string, now: Date): Promise<boolean> {
  const { affected } = await dataSource
    .getRepository(SignInEntity)
    .createQueryBuilder()
    .update()
    .set({ wrongProofs: () => "wrongProofs + 1" })
    .where({ id, endedAt: IsNull(), expiresAt: MoreThan(now), wrongProofs: LessThan(MAX_WRONG_PROOFS) })
    .execute();
  return affected === 1;
}

/** Notes a first proof, after which more is wanted. @returns whether this call was the one that did. */
export async function advanceSignIn(
  manager: EntityManager,
  id: string,
  { amr, grounds, expiresAt, now }: { amr: string[]; grounds: Grounds; expiresAt: Date; now: Date },
): Promise<boolean> {
  const { affected } = await manager
    .getRepository(SignInEntity)
    .createQueryBuilder()
    .update()
    .set({ amr, ...grounds, expiresAt, mailCodeHash: null, wrongProofs: 0 })
    .where({ id, endedAt: IsNull(), expiresAt: MoreThan(now) })
    .andWhere("JSON_LENGTH(amr) = 0")
    .execute();
  return affected === 1;
}

/** Notes a further proof, after which more is wanted. @returns whether this call was the one that did. */
export async function noteFurtherProof(
  manager: EntityManager,
  { id, amr: before }: Pick<SignInRow, "id" | "amr">,
  { amr, grounds, expiresAt, now }: { amr: string[]; grounds: Grounds; expiresAt: Date; now: Date },
): Promise<boolean> {
  const { affected } = await manager
    .getRepository(SignInEntity)
    .createQueryBuilder()
    .update()
    .set({ amr, ...grounds, expiresAt, mailCodeHash: null })
    .where({ id, endedAt: IsNull(), expiresAt: MoreThan(now) })
    .andWhere("JSON_LENGTH(amr) = :shown", { shown: before.length })
    .execute();
  return affected === 1;
}

/** The one of this token that can still go on. */
export function findOpenSignIn(
  dataSource: DataSource,
  tokenHash: HashedToken<"sign-in">,
  now: Date,
): Promise<SignInRow | null> {
  return dataSource
    .getRepository(SignInEntity)
    .findOneBy({ tokenHash, endedAt: IsNull(), expiresAt: MoreThan(now) });
}

/** Locks one that can still go on until the transaction ends; who carries it may change what it is for. @returns `null`: it cannot. */
export async function holdOpenSignIn(manager: EntityManager, id: string, now: Date): Promise<Granted | null> {
  const open = await manager.getRepository(SignInEntity).findOne({
    where: { id, endedAt: IsNull(), expiresAt: MoreThan(now) },
    lock: { mode: "pessimistic_write" },
  });
  return open === null ? null : grant(manager);
}

/** Spends it. @returns whether this call was the one that did. */
export async function spendSignIn(manager: EntityManager, id: string, now: Date): Promise<Granted | null> {
  const { affected } = await manager
    .getRepository(SignInEntity)
    .update({ id, endedAt: IsNull(), expiresAt: MoreThan(now) }, { endedAt: now });
  return affected === 1 ? grant(manager) : null;
}

/** Ends all of an account, but perhaps one: what was proved before no longer counts. */
export async function endSignInsOf(
  manager: Granted,
  accountId: string,
  now: Date,
  { except }: { except?: string } = {},
): Promise<void> {
  const which = { accountId, endedAt: IsNull(), ...(except === undefined ? {} : { id: Not(except) }) };
  await manager.getRepository(SignInEntity).update(which, { endedAt: now });
}

/** Forgets those that expired before a time. */
export async function sweepSignIns(dataSource: DataSource, before: Date): Promise<void> {
  await sweepRows(dataSource, "sign_in WHERE expiresAt < ?", [before]);
}

/** How many signed in in which way on each day, by the journal. @param from the first day; `null`: all that the journal remembers. */
export async function countWays(dataSource: DataSource, from: string | null): Promise<SignInCountRow[]> {
  const rows = await dataSource.query<Array<Omit<SignInCountRow, "signIns"> & { signIns: string }>>(
    `SELECT DATE_FORMAT(at, '%Y-%m-%d') AS day, reason AS way, COUNT(*) AS signIns FROM journal_entry
     WHERE id >= ? AND kind = 'sign-in.completed' AND reason IS NOT NULL GROUP BY day, way ORDER BY day, way`,
    [earliestIdAt(new Date(from === null ? 0 : `${from}T00:00:00Z`))],
  );
  return rows.map((row) => ({ ...row, signIns: Number(row.signIns) }));
}

export async function findLastCountedDay(dataSource: DataSource): Promise<string | null> {
  const last = await dataSource
    .getRepository(SignInCountEntity)
    .findOne({ where: {}, order: { day: "DESC" } });
  return last?.day ?? null;
}

/** Notes them, whatever was noted of these days and ways before. */
export async function storeSignInCounts(
  dataSource: DataSource,
  counts: readonly SignInCountRow[],
): Promise<void> {
  await dataSource.getRepository(SignInCountEntity).upsert([...counts], ["day", "way"]);
}

/** The noted counts from a day on. */
export function listSignInCounts(dataSource: DataSource, from: string): Promise<SignInCountRow[]> {
  return dataSource
    .getRepository(SignInCountEntity)
    .find({ where: { day: MoreThanOrEqual(from) }, order: { day: "ASC", way: "ASC" } });
}

/** Removes counts of days long past. */
export async function sweepSignInCounts(dataSource: DataSource, before: Date): Promise<void> {
  await sweepRows(dataSource, "sign_in_count WHERE day < ?", [dayOf(before)]);
}
