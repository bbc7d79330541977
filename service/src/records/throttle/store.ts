import type { ThrottleCount, ThrottleKind } from "@lucchetto/core";
import { MAX_FAILURES, MAX_FAILURES_OF_KNOWN_DEVICES, THROTTLE_KINDS } from "@lucchetto/core";
import type { DataSource, EntityManager } from "typeorm";
import { In, IsNull, MoreThanOrEqual, Not } from "typeorm";
import type { Granted, KnownDeviceRow, ThrottleCountRow } from "../../base/storage/index.ts";
import { KnownDeviceEntity, sweepRows, ThrottleCountEntity } from "../../base/storage/index.ts";

/** The count under an id; `null` if there is none. */
export async function findCount(dataSource: DataSource, id: Buffer): Promise<ThrottleCountRow | null> {
  const [row] = await dataSource.query<ThrottleCountRow[]>(
    "SELECT id, kind, subject, failures, waitUntil, windowBeganAt, changedAt FROM throttle_count WHERE id = ?",
    [id],
  );
  return row ?? null;
}

/** Puts a count in the place of exactly what was read, or of nothing. @returns whether that was still so. */
export async function putCount(
  dataSource: DataSource,
  { id, kind, subject }: Pick<ThrottleCountRow, "id" | "kind" | "subject">,
  { from, to, now }: { from: ThrottleCount | null; to: ThrottleCount; now: Date },
): Promise<boolean> {
  const put = [to.failures, to.waitUntil, to.windowBeganAt, now];
  const { affectedRows } = await (from === null
    ? dataSource.query<{ affectedRows: number }>(
        `INSERT IGNORE INTO throttle_count (id, kind, subject, failures, waitUntil, windowBeganAt, changedAt)
         VALUES (?, ?, ?, ?, ?, ?, ?)`,
        [id, kind, subject, ...put],
      )
    : dataSource.query<{ affectedRows: number }>(
        `UPDATE throttle_count SET failures = ?, waitUntil = ?, windowBeganAt = ?, changedAt = ?
         WHERE id = ? AND failures = ? AND waitUntil = ? AND windowBeganAt = ?`,
        [...put, id, from.failures, from.waitUntil, from.windowBeganAt],
      ));
  return affectedRows === 1;
}

/** Takes one failure back, with the wait that it brought. */
export async function giveBack(manager: EntityManager, id: Buffer, waitUntil: Date): Promise<void> {
  await manager.query(
    "UPDATE throttle_count SET failures = GREATEST(0, failures - 1), waitUntil = LEAST(waitUntil, ?) WHERE id = ?",
    [waitUntil, id],
  );
}

/** Forgets counts. @returns how many there were. */
export async function deleteCounts(manager: EntityManager, ids: readonly Buffer[]): Promise<number> {
  return (await manager.getRepository(ThrottleCountEntity).delete({ id: In(ids) })).affected ?? 0;
}

/** Counts from so many failures on, the latest first. */
export function listCounts(
  dataSource: DataSource,
  { atLeast, limit }: { atLeast: number; limit: number },
): Promise<ThrottleCountRow[]> {
  return dataSource.getRepository(ThrottleCountEntity).find({
    where: { failures: MoreThanOrEqual(atLeast) },
    order: { changedAt: "DESC" },
    take: limit,
  });
}

/** Until when counts of each kind stay: a day after their last change, as those of names, or until the account's next sign-in. */
const KEPT: Readonly<Record<ThrottleKind, "a-day" | "a-week" | "as-names" | "until-sign-in">> = {
  "account-strange": "until-sign-in",
  "account-known": "until-sign-in",
  "account-own": "until-sign-in",
  "account-factor": "until-sign-in",
  "account-factor-known": "until-sign-in",
  "account-factor-reset": "a-day",
  "account-codes-by-mail": "until-sign-in",
  "account-usernames": "a-week",
  "account-hashing": "a-day",
  "account-changes": "a-day",
  "account-copies": "a-day",
  "account-keys": "a-day",
  name: "as-names",
  "undo-link": "a-day",
  "link-hashing": "a-day",
  network: "a-day",
  "network-registrations": "a-day",
  "network-mail": "a-day",
  "network-challenges": "a-day",
  "address-mail": "a-day",
  "device-mail": "a-day",
  "app-work": "a-day",
};
const FORGOTTEN = THROTTLE_KINDS.filter((kind) => KEPT[kind] === "a-day");
const FORGOTTEN_AFTER_A_WEEK = THROTTLE_KINDS.filter((kind) => KEPT[kind] === "a-week");
const WEEK = 7 * 86_400_000;

/** Milliseconds that a typed name stays closed that somebody tried as often as an account may be tried. */
const CLOSED_NAMES_STAY = 30 * 86_400_000;

/**
 * Forgets counts that nothing was added to since `before`, some at a time. Typed names are forgotten alike, whether an
 * account has them or not.
 * @returns how many.
 */
export async function sweepCounts(dataSource: DataSource, before: Date): Promise<number> {
  const longBefore = new Date(before.getTime() - CLOSED_NAMES_STAY);
  let removed = 0;
  for (const kind of FORGOTTEN)
    removed += await sweepRows(dataSource, "throttle_count WHERE kind = ? AND changedAt < ?", [kind, before]);
  for (const kind of FORGOTTEN_AFTER_A_WEEK)
    removed += await sweepRows(dataSource, "throttle_count WHERE kind = ? AND changedAt < ?", [
      kind,
      new Date(before.getTime() - WEEK),
    ]);
  const closedAt = MAX_FAILURES - MAX_FAILURES_OF_KNOWN_DEVICES;
  const open = "throttle_count WHERE kind = 'name' AND changedAt < ? AND failures < ?";
  removed += await sweepRows(dataSource, open, [before, closedAt]);
  const names = "throttle_count WHERE kind = 'name' AND changedAt < ?";
  return removed + (await sweepRows(dataSource, names, [longBefore]));
}

/** Forgets devices that nobody signed in from since a time. */
export async function sweepDevices(dataSource: DataSource, before: Date): Promise<void> {
  await sweepRows(dataSource, "known_device WHERE lastUsedAt < ?", [before]);
}

/** Forgets altogether those that were forgotten before a time. */
export async function sweepForgottenDevices(dataSource: DataSource, before: Date): Promise<void> {
  await sweepRows(dataSource, "known_device WHERE forgottenAt < ?", [before]);
}

export function isKnownDevice(manager: EntityManager, accountId: string, markHash: Buffer): Promise<boolean> {
  return manager.getRepository(KnownDeviceEntity).existsBy({ accountId, markHash, forgottenAt: IsNull() });
}

/** All devices that an account is known to use. */
export function listKnownDevices(manager: EntityManager, accountId: string): Promise<KnownDeviceRow[]> {
  return manager.getRepository(KnownDeviceEntity).findBy({ accountId, forgottenAt: IsNull() });
}

/** Those, and the ones that it was known to use. */
export function listDevicesOnce(manager: EntityManager, accountId: string): Promise<KnownDeviceRow[]> {
  return manager.getRepository(KnownDeviceEntity).findBy({ accountId });
}

/** What the account knows of a browser, or knew. */
export function findDevice(
  manager: EntityManager,
  accountId: string,
  markHash: Buffer,
): Promise<KnownDeviceRow | null> {
  return manager.getRepository(KnownDeviceEntity).findOneBy({ accountId, markHash });
}

/**
 * Remembers a device of an account, or that it was used again. One that was forgotten, or ended, stands anew, unless what was shown now
 * goes back as far as what was shown there before.
 * @param provedSince since when what was shown there now counts; `null`: nothing but the mailbox. @param there what is known of it already.
 */
export async function rememberDevice(
  manager: EntityManager,
  {
    accountId,
    markHash,
    provedSince,
    there,
    now,
  }: Pick<KnownDeviceRow, "accountId" | "markHash" | "provedSince"> & {
    there: KnownDeviceRow | null;
    now: Date;
  },
): Promise<void> {
  if (there === null) {
    await manager.query(
      `INSERT INTO known_device (accountId, markHash, createdAt, lastUsedAt, provedSince) VALUES (?, ?, ?, ?, ?)
       ON DUPLICATE KEY UPDATE lastUsedAt = VALUES(lastUsedAt), forgottenAt = NULL`,
      [accountId, markHash, now, now, provedSince],
    );
    return;
  }
  await manager
    .getRepository(KnownDeviceEntity)
    .update(
      { accountId, markHash },
      { lastUsedAt: now, forgottenAt: null, ...worthOf(there, provedSince, now) },
    );
}

/** What a device tells of who was there before, after it was used once more. */
function worthOf(
  { provedSince: before, forgottenAt, endedAt }: KnownDeviceRow,
  provedSince: Date | null,
  now: Date,
): Partial<KnownDeviceRow> {
  const isAsOld = before !== null && provedSince !== null && provedSince <= before;
  // Of one that its owner ended the mailbox alone says nothing new.
  if (endedAt !== null) return provedSince === null ? {} : { createdAt: now, provedSince, endedAt: null };
  if (isAsOld) return { provedSince };
  return before !== null && forgottenAt === null ? {} : { createdAt: now, provedSince };
}

/** Knows none of an account's devices any more. For a while they still tell that their owner was there before. */
export async function forgetDevices(manager: Granted, accountId: string, now: Date): Promise<void> {
  await manager
    .getRepository(KnownDeviceEntity)
    .update({ accountId, forgottenAt: IsNull() }, { forgottenAt: now });
}

/** All but one tell nothing any more of who was there before; they are known as before. */
export async function endOtherDevices(
  manager: Granted,
  accountId: string,
  { except, now }: { except: Buffer | null; now: Date },
): Promise<void> {
  const others = { accountId, endedAt: IsNull(), ...(except === null ? {} : { markHash: Not(except) }) };
  await manager.getRepository(KnownDeviceEntity).update(others, { endedAt: now });
}

/** Forgets all that counts against an account, under whatever name it was typed. */
export async function forgetCountsOfAccount(manager: Granted, accountId: string): Promise<void> {
  await manager.getRepository(ThrottleCountEntity).delete({ subject: accountId });
}
