/** Being chosen by the database to break a deadlock: nothing was done, and a new try gets through. */
import { randomInt } from "node:crypto";

/** 1213: also a certification failure between cluster nodes. Whoever waited for a lock in vain waits no second time. */
export const DEADLOCK = "ER_LOCK_DEADLOCK";
/** How often anything is tried. */
export const MAX_TRIES = 8;
/** Milliseconds before a new try, at most. */
const MAX_PAUSE_MILLISECONDS = 30;

/** Milliseconds before a new try; by chance, so that those that met once do not meet again. */
export function pauseBeforeNewTry(): number {
  return randomInt(MAX_PAUSE_MILLISECONDS);
}

/** The database's or the system's name of an error; empty if it has none. */
export function errorCode(error: unknown): string {
  return typeof error === "object" && error !== null && "code" in error ? String(error.code) : "";
}
