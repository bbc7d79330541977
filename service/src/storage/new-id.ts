import { v7 } from "uuid";

/** A fresh UUIDv7 whose time is `now`, so that ids sort as things happened by the service's clock. */
export function newId(now: Date): string {
  return v7({ msecs: now.getTime() });
}
