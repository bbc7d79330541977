import type { Account } from "@lucchetto/contract";
import type { AccountRow } from "../storage/index.ts";

/** An account as the contract shows it. */
export function showAccount(row: AccountRow): Account {
  return {
    id: row.id,
    reference: row.reference,
    email: row.email,
    emailVerified: row.emailVerifiedAt !== null,
    username: row.username,
    displayName: row.displayName,
    state: row.state,
    labels: row.labels,
    createdAt: row.createdAt.toISOString(),
  };
}
