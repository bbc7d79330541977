import { v7 } from "uuid";

/** A fresh UUIDv7 whose time is `now`, so that ids sort as things happened by the service's clock. */
export function newId(now: Date): string {
  return v7({ msecs: now.getTime() });
}

/** The least id that could be made at a time; all that were made before it are smaller. */
export function earliestIdAt(at: Date): string {
  const time = at.getTime().toString(16).padStart(12, "0");
  return `${time.slice(0, 8)}-${time.slice(8)}-7000-8000-000000000000`;
}
