/** In development nobody comes back for an account that a rehearsal closed: it goes with the next sweep. */
import type { DataSource } from "typeorm";
import type { ServiceContext } from "../../records/context.ts";

/** Whom the rehearsal registers; `.example` belongs to nobody (RFC 2606). */
const REHEARSED = "rehearsal-%@rehearsal.example";

/** Ends the wait of those that are closed; the sweep of closed accounts erases them. */
export async function expireRehearsalAccounts(
  dataSource: DataSource,
  now: Date,
  { configuration }: ServiceContext,
): Promise<void> {
  if (configuration.mode !== "development") return;
  await dataSource.query(
    "UPDATE account SET eraseAt = ? WHERE eraseAt > ? AND state = 'closed' AND emailKey LIKE ?",
    [now, now, REHEARSED],
  );
}
