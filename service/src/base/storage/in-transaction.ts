/** Transactions that roll back on any error and are tried again when the database chose them to break a deadlock. */
import { setTimeout as pause } from "node:timers/promises";
import type { DataSource, EntityManager } from "typeorm";
import { NO_ANSWER } from "./deadline.ts";
import { DEADLOCK, errorCode, MAX_TRIES, pauseBeforeNewTry } from "./deadlock.ts";

const LOCK_WAIT_TIMEOUT = "ER_LOCK_WAIT_TIMEOUT";
/** ER_STATEMENT_TIMEOUT, which the driver has no name for. */
const STATEMENT_TIMEOUT = 1969;

/**
 * Runs `work` in a transaction. `work` may run several times, so it does nothing outside the database.
 * @throws whatever `work` throws; a deadlock after the last try.
 */
export async function inTransaction<Result>(
  dataSource: DataSource,
  work: (manager: EntityManager) => Promise<Result>,
): Promise<Result> {
  for (let tries = 1; ; tries += 1) {
    try {
      return await dataSource.transaction(work);
    } catch (error) {
      if (tries === MAX_TRIES || errorCode(error) !== DEADLOCK) throw error;
      await pause(pauseBeforeNewTry());
    }
  }
}

/** Whether an insert failed because a unique key has the value already; `key` names the unique key. */
export function isDuplicateOf(error: unknown, key: string): boolean {
  return errorCode(error) === "ER_DUP_ENTRY" && error instanceof Error && error.message.includes(`'${key}'`);
}

/** What a server says that is away, or that cannot keep anything at the moment: its disk is full, or it only reads. */
const UNAVAILABLE = new Set([
  "ECONNREFUSED",
  "ECONNRESET",
  "EPIPE",
  "ETIMEDOUT",
  "ENOTFOUND",
  "EHOSTUNREACH",
  "ENETUNREACH",
  "PROTOCOL_CONNECTION_LOST",
  "POOL_CLOSED",
  "POOL_NONEONLINE",
  "ER_CON_COUNT_ERROR",
  "ER_SERVER_SHUTDOWN",
  "ER_CONNECTION_KILLED",
  "ER_ACCESS_DENIED_ERROR",
  "ER_OPTION_PREVENTS_STATEMENT",
  "ER_READ_ONLY_MODE",
  "ER_OPEN_AS_READONLY",
  "ER_DISK_FULL",
  "ER_RECORD_FILE_FULL",
  "ER_ERROR_ON_WRITE",
  "ER_ERROR_DURING_COMMIT",
  "ER_OUT_OF_RESOURCES",
  "ER_OUTOFMEMORY",
  "ER_LOCK_TABLE_FULL",
  "ER_UNKNOWN_COM_ERROR",
  NO_ANSWER,
]);

/** Whether an error means that the database cannot be reached or does not take work at the moment. */
export function isStorageUnavailable(error: unknown): boolean {
  const code = errorCode(error);
  if (isObject(error) && error["errno"] === STATEMENT_TIMEOUT) return true;
  if (UNAVAILABLE.has(code) || code === DEADLOCK || code === LOCK_WAIT_TIMEOUT) return true;
  // The driver marks what ends or prevents a connection as fatal.
  if (isObject(error) && error["fatal"] === true) return true;
  return (
    error instanceof Error && /closed state|Connection lost|Pool is closed|No space left/i.test(error.message)
  );
}

function isObject(value: unknown): value is Record<string, unknown> {
  return typeof value === "object" && value !== null;
}
