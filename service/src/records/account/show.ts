import type { Account, OperatorAccount } from "@lucchetto/contract";
import type { AccountFacts, AccountRow } from "../../base/storage/index.ts";

/** An account as the contract shows it. */
export function showAccount(row: AccountFacts): Account {
  return {
    id: row.id,
    reference: row.reference,
    email: row.email,
    emailVerified: row.emailVerifiedAt !== null,
    username: row.username,
    displayName: row.displayName,
    state: row.state,
    labels: row.labels,
    language: row.language,
    createdAt: row.createdAt.toISOString(),
  };
}

/** An account as operators see it. @param scheme of its password record; `null` if it has no password. */
export function showToOperator(row: AccountRow, scheme: string | null): OperatorAccount {
  return {
    ...showAccount(row),
    scheme,
    lastSignInAt: row.lastSignInAt?.toISOString() ?? null,
    mustChangePassword: row.mustChangePassword,
  };
}
