/** Accounts by their second factor: who has one, who must have one, and who must and has none. */
import type { DataSource, SelectQueryBuilder } from "typeorm";
import type { AccountRow } from "../../base/storage/index.ts";
import { AccountEntity } from "../../base/storage/index.ts";
import type { SecondFactorPolicy } from "./duty.ts";

/** `due`: they must have one, whether they have it or not; `missing`: they must, and have none that counts. */
export type ByFactor = "present" | "none" | "missing" | "due";

const AUTHENTICATOR =
  "EXISTS (SELECT 1 FROM authenticator WHERE accountId = account.id AND activatedAt IS NOT NULL AND removedAt IS NULL)";
const PASSKEY = "EXISTS (SELECT 1 FROM passkey WHERE accountId = account.id AND removedAt IS NULL)";
const ANY = `(${AUTHENTICATOR} OR ${PASSKEY})`;

/** Narrows a query of `account` to active ones by their factor. */
export function whereFactor(
  query: SelectQueryBuilder<AccountRow>,
  wanted: ByFactor,
  { everybody, labels, passkeyOnly }: SecondFactorPolicy,
): SelectQueryBuilder<AccountRow> {
  query.andWhere("account.state = 'active'");
  const carriesOneOf = (listed: readonly string[], name: string) => {
    const each = listed.map((_label, index) => `JSON_CONTAINS(account.labels, :${name}${index})`);
    for (const [index, label] of listed.entries())
      query.setParameter(`${name}${index}`, JSON.stringify(label));
    return each.length === 0 ? "FALSE" : `(${each.join(" OR ")})`;
  };
  const due = () => (everybody ? "TRUE" : carriesOneOf(labels, "due"));
  switch (wanted) {
    case "present":
      return query.andWhere(ANY);
    case "none":
      return query.andWhere(`NOT ${ANY}`);
    case "due":
      return query.andWhere(due());
    case "missing":
      return query
        .andWhere(due())
        .andWhere(`NOT IF(${carriesOneOf(passkeyOnly, "only")}, ${PASSKEY}, ${ANY})`);
  }
}

/** How many active accounts must have one, and how many of them have none that counts. */
export async function countDuty(
  dataSource: DataSource,
  who: SecondFactorPolicy,
): Promise<{ accounts: number; missing: number }> {
  if (!who.everybody && who.labels.length === 0) return { accounts: 0, missing: 0 };
  const count = (wanted: ByFactor) =>
    whereFactor(
      dataSource.getRepository(AccountEntity).createQueryBuilder("account"),
      wanted,
      who,
    ).getCount();
  return { accounts: await count("due"), missing: await count("missing") };
}

/** How many active accounts have which factor, counted from the factors: most accounts have none. */
export async function countFactors(
  dataSource: DataSource,
): Promise<{ active: number; withSecondFactor: number; withAuthenticator: number; withPasskey: number }> {
  const [row] = await dataSource.query<Array<Record<string, string>>>(
    `SELECT (SELECT COUNT(*) FROM account WHERE state = 'active') AS active,
       COUNT(*) AS withSecondFactor, SUM(app) AS withAuthenticator, SUM(passkey) AS withPasskey
     FROM (
       SELECT accountId, MAX(app) AS app, MAX(passkey) AS passkey
       FROM (
         SELECT accountId, 1 AS app, 0 AS passkey FROM authenticator WHERE activatedAt IS NOT NULL AND removedAt IS NULL
         UNION ALL
         SELECT accountId, 0, 1 FROM passkey WHERE removedAt IS NULL
       ) AS factor GROUP BY accountId
     ) AS holder JOIN account ON account.id = holder.accountId AND account.state = 'active'`,
  );
  const figure = (name: string) => Number(row?.[name] ?? 0);
  return {
    active: figure("active"),
    withSecondFactor: figure("withSecondFactor"),
    withAuthenticator: figure("withAuthenticator"),
    withPasskey: figure("withPasskey"),
  };
}
