/**
 * Former addresses and usernames. Whoever had one changed away keeps it from others for as long as the change can be undone: otherwise whoever
 * took the account would only have to register what became free, and applications may know people by their names.
 */
import type { DataSource, EntityManager } from "typeorm";
import { sweepRows } from "../../base/storage/index.ts";

/** An address or a username, in normal form. */
interface HeldName {
  readonly kind: "email" | "username";
  readonly key: string;
}

const TABLES = {
  email: { table: "held_address", column: "emailKey", unique: "account_email" },
  username: { table: "held_username", column: "usernameKey", unique: "account_username" },
} as const;

/** Stands for the unique key of addresses, or of usernames: whoever meets it answers as for any taken one. */
class NameHeld extends Error {
  override readonly name = "NameHeld";
  readonly code = "ER_DUP_ENTRY";
  constructor(kind: HeldName["kind"]) {
    super(`it is held for an account that had it: duplicate for key '${TABLES[kind].unique}'`);
  }
}

/** Holds it for an account. */
export async function holdName(
  manager: EntityManager,
  { kind, key }: HeldName,
  { accountId, heldUntil }: { accountId: string; heldUntil: Date },
): Promise<void> {
  const { table, column } = TABLES[kind];
  await manager.query(
    `INSERT INTO ${table} (${column}, accountId, heldUntil) VALUES (?, ?, ?)
     ON DUPLICATE KEY UPDATE accountId = VALUES(accountId), heldUntil = VALUES(heldUntil)`,
    [key, accountId, heldUntil],
  );
}

/** Lets go of it: its owner has it again. */
export async function releaseName(manager: EntityManager, { kind, key }: HeldName): Promise<void> {
  const { table, column } = TABLES[kind];
  await manager.query(`DELETE FROM ${table} WHERE ${column} = ?`, [key]);
}

interface Wanted {
  /** Who wants it; `null`: an account that is not there yet. */
  readonly accountId: string | null;
  readonly now: Date;
}

/** For whom it is held; `null`: for nobody. */
async function holderOf(
  source: DataSource | EntityManager,
  { kind, key }: HeldName,
  { now, isLocked = false }: { now: Date; isLocked?: boolean },
): Promise<string | null> {
  const { table, column } = TABLES[kind];
  const lock = isLocked ? " LOCK IN SHARE MODE" : "";
  const [row] = await source.query<Array<{ accountId: string }>>(
    `SELECT accountId FROM ${table} WHERE ${column} = ? AND heldUntil > ?${lock}`,
    [key, now],
  );
  return row?.accountId ?? null;
}

/** Whether it is held for somebody else. */
export async function isHeldFrom(
  source: DataSource | EntityManager,
  name: HeldName,
  { accountId, now }: Wanted,
): Promise<boolean> {
  const holder = await holderOf(source, name, { now });
  return holder !== null && holder !== accountId;
}

/** Whether it is held for this account. */
export async function isHeldFor(
  manager: EntityManager,
  name: HeldName,
  { accountId, now }: { accountId: string; now: Date },
): Promise<boolean> {
  return (await holderOf(manager, name, { now })) === accountId;
}

/**
 * Asserts that a name that was just written may stay. Asked afterwards and under a lock: whoever waited for it to become free sees what was
 * decided when it did.
 * @throws an error like that of a duplicate; the transaction goes back.
 */
export async function assertNotHeld(
  manager: EntityManager,
  { kind, key }: { kind: HeldName["kind"]; key: string | null },
  { accountId, now }: Wanted,
): Promise<void> {
  if (key === null) return;
  const holder = await holderOf(manager, { kind, key }, { now, isLocked: true });
  if (holder !== null && holder !== accountId) throw new NameHeld(kind);
}

/** Of these addresses and usernames those that are held for somebody who had them. */
export async function findHeld(
  manager: EntityManager,
  { emails, usernames }: { emails: readonly string[]; usernames: readonly string[] },
  now: Date,
): Promise<{ emails: ReadonlySet<string>; usernames: ReadonlySet<string> }> {
  const held = async (kind: HeldName["kind"], keys: readonly string[]) => {
    if (keys.length === 0) return new Set<string>();
    const { table, column } = TABLES[kind];
    const rows = await manager.query<Array<{ name: string }>>(
      `SELECT ${column} AS name FROM ${table} WHERE ${column} IN (?) AND heldUntil > ?`,
      [[...keys], now],
    );
    return new Set(rows.map(({ name }) => name));
  };
  return { emails: await held("email", emails), usernames: await held("username", usernames) };
}

/** Forgets those that are held no longer. */
export function sweepHeld(
  kind: HeldName["kind"],
): (dataSource: DataSource, before: Date) => Promise<unknown> {
  return (dataSource, before) => sweepRows(dataSource, `${TABLES[kind].table} WHERE heldUntil < ?`, [before]);
}
