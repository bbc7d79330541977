import { randomFillSync } from "node:crypto";
import { v7 } from "uuid";

const BYTES_EACH = 16;
/** Randomness for many ids at once: asking for it costs more than making one. */
const pool = new Uint8Array(BYTES_EACH * 256);
let used = pool.length;

/** A fresh UUIDv7 whose time is `now`, so that ids sort as things happened by the service's clock. */
export function newId(now: Date): string {
  if (used === pool.length) {
    randomFillSync(pool);
    used = 0;
  }
  used += BYTES_EACH;
  return v7({ msecs: now.getTime(), random: pool.subarray(used - BYTES_EACH, used) });
}

/** The least id that could be made at a time; all that were made before it are smaller. */
export function earliestIdAt(at: Date): string {
  const time = at.getTime().toString(16).padStart(12, "0");
  return `${time.slice(0, 8)}-${time.slice(8)}-7000-8000-000000000000`;
}
