import type { Identifier, readIdentifier } from "@lucchetto/core";
import { FIRST_PASSWORD_LIFE } from "@lucchetto/core";
import type { DataSource, EntityManager } from "typeorm";
import { Brackets, In, IsNull, LessThanOrEqual, Not } from "typeorm";
import { grant } from "../../base/storage/granted.ts";
import type { AccountRow, Granted, PageQuery } from "../../base/storage/index.ts";
import { AccountEntity, readCursor } from "../../base/storage/index.ts";
import type { ByFactor } from "../second-factor/by-factor.ts";
import { whereFactor } from "../second-factor/by-factor.ts";
import type { SecondFactorPolicy } from "../second-factor/duty.ts";
import { assertNotHeld, isHeldFrom } from "./held.ts";

/** @returns what sets it up besides, since it is nobody else's yet. */
export async function insertAccount(manager: EntityManager, row: AccountRow): Promise<Granted> {
  // A copy: the given object would come back with the values as the driver writes them.
  await manager.getRepository(AccountEntity).insert({ ...row });
  const { id: accountId, emailKey, usernameKey, createdAt: now } = row;
  await assertNotHeld(manager, { kind: "email", key: emailKey }, { accountId, now });
  await assertNotHeld(manager, { kind: "username", key: usernameKey }, { accountId, now });
  return grant(manager);
}

export function findAccount(dataSource: DataSource, id: string): Promise<AccountRow | null> {
  return dataSource.getRepository(AccountEntity).findOneBy({ id });
}

/** Those that have one of these ids or references; of one that is being erased applications see nothing. */
export function findAccounts(
  dataSource: DataSource,
  { ids, references }: { ids: readonly string[]; references: readonly string[] },
): Promise<AccountRow[]> {
  return dataSource.getRepository(AccountEntity).findBy([
    { id: In([...ids]), state: Not("closed") },
    { reference: In([...references]), state: Not("closed") },
  ]);
}

/** Whoever has this identifier, in its normal form. */
export function findByIdentifier(
  dataSource: DataSource,
  identifier: NonNullable<ReturnType<typeof readIdentifier>>,
): Promise<AccountRow | null> {
  const column = identifier.kind === "email" ? "emailKey" : "usernameKey";
  return dataSource.getRepository(AccountEntity).findOneBy({ [column]: identifier.key });
}

/** The account, locked against changes until the transaction ends. */
export function lockAccount(manager: EntityManager, id: string): Promise<AccountRow | null> {
  return manager.getRepository(AccountEntity).findOne({ where: { id }, lock: { mode: "pessimistic_write" } });
}

/** The account, held as it is until the transaction ends; others may hold it, too. */
export function holdAccount(manager: EntityManager, id: string): Promise<AccountRow | null> {
  return manager.getRepository(AccountEntity).findOne({ where: { id }, lock: { mode: "pessimistic_read" } });
}

/** What is wanted of an account no longer once its password is its owner's own. */
export const OWN_PASSWORD = { mustChangePassword: false, firstPasswordUntil: null } as const;

/** Somebody else chose its password: enough by itself, once, for some days. */
export function firstPassword(now: Date) {
  return {
    mustChangePassword: true,
    firstPasswordUntil: new Date(now.getTime() + FIRST_PASSWORD_LIFE),
    wantsMailedProof: false,
  } as const;
}

/** Everything that belongs to it goes with it. */
export async function deleteAccount(manager: Granted, id: string): Promise<void> {
  await manager.getRepository(AccountEntity).delete({ id });
}

/** Closed accounts whose time is over, some of them. */
export function listToErase(dataSource: DataSource, now: Date): Promise<Array<Pick<AccountRow, "id">>> {
  return dataSource
    .getRepository(AccountEntity)
    .find({ select: { id: true }, where: { eraseAt: LessThanOrEqual(now) }, take: 100 });
}

/** The application's own id for the person. */
export async function findReference(manager: EntityManager, id: string): Promise<string | null> {
  const row = await manager
    .getRepository(AccountEntity)
    .findOne({ select: { id: true, reference: true }, where: { id } });
  return row?.reference ?? null;
}

/**
 * A new address comes with the time at which it was proved: one that is held for another account is refused as taken. One
 * that is proved is no longer an operator's correction alone.
 */
export async function updateAccount(
  manager: Granted,
  id: string,
  change:
    | Partial<Omit<AccountRow, "id" | "emailKey">>
    | (Partial<Omit<AccountRow, "id">> & { emailVerifiedAt: Date }),
): Promise<void> {
  const provedAt = change.emailVerifiedAt instanceof Date ? change.emailVerifiedAt : null;
  await manager
    .getRepository(AccountEntity)
    .update({ id }, { ...change, ...(provedAt === null ? {} : { isAddressCorrected: false }) });
  if (provedAt !== null)
    await manager
      .getRepository(AccountEntity)
      .update({ id, firstProvedAt: IsNull() }, { firstProvedAt: provedAt });
  if ("emailKey" in change)
    await assertNotHeld(
      manager,
      { kind: "email", key: change.emailKey ?? null },
      { accountId: id, now: change.emailVerifiedAt },
    );
}

/** A session begins: whatever proof by mail was wanted of it has been shown. */
export async function noteSignIn(manager: EntityManager, id: string, now: Date): Promise<void> {
  await manager.getRepository(AccountEntity).update({ id }, { lastSignInAt: now, wantsMailedProof: false });
}

/**
 * Gives it an address that an operator corrected: nobody registered with it or proved it, and a mailbox that may be mistyped
 * opens nothing alone. One that is held for another account is refused as taken.
 * @returns what became of the account.
 */
export async function correctAddress(
  manager: Granted,
  id: string,
  { address, now }: { address: Identifier<"email">; now: Date },
) {
  const corrected = {
    email: address.shown,
    emailKey: address.key,
    emailVerifiedAt: null,
    isAddressCorrected: true,
    emailSetAt: now,
    registrationBrowserHash: null,
    isOpenlyRegistered: false,
  };
  await manager.getRepository(AccountEntity).update({ id }, corrected);
  await assertNotHeld(manager, { kind: "email", key: address.key }, { accountId: id, now });
  return corrected;
}

/** Which of these normal forms are in use. */
export async function findTaken(
  dataSource: DataSource,
  { emailKey, usernameKey, now }: Pick<AccountRow, "emailKey" | "usernameKey"> & { now: Date },
): Promise<{ email: boolean; username: boolean }> {
  const repository = dataSource.getRepository(AccountEntity);
  return {
    email:
      emailKey !== null &&
      ((await repository.existsBy({ emailKey })) ||
        (await isHeldFrom(dataSource, { kind: "email", key: emailKey }, { accountId: null, now }))),
    username:
      usernameKey !== null &&
      ((await repository.existsBy({ usernameKey })) ||
        (await isHeldFrom(dataSource, { kind: "username", key: usernameKey }, { accountId: null, now }))),
  };
}

/** Which accounts are wanted. `notScheme`: with a record of any other scheme; `schemeStart`: of one that begins so. */
export interface AccountFilter {
  readonly search?: string | undefined;
  readonly scheme?: string | undefined;
  readonly notScheme?: string | undefined;
  readonly schemeStart?: string | undefined;
  readonly bySecondFactor?: { readonly wanted: ByFactor; readonly who: SecondFactorPolicy };
  /** For applications: without those that carry one of these, or are being erased. */
  readonly withoutLabels?: readonly string[];
}

/** One more row than the page holds, newest first. */
export function listAccounts(
  dataSource: DataSource,
  { search, scheme, notScheme, schemeStart, bySecondFactor, withoutLabels }: AccountFilter,
  page: PageQuery,
): Promise<AccountRow[]> {
  const query = dataSource
    .getRepository(AccountEntity)
    .createQueryBuilder("account")
    .orderBy("account.id", "DESC")
    .take(page.limit + 1);
  const cursor = readCursor(page);
  if (cursor !== null) query.andWhere("account.id < :cursor", { cursor });
  if (search !== undefined) {
    const start = `${search.trim().replace(/[\\%_]/g, "\\$&")}%`;
    query.andWhere(
      new Brackets((either) => {
        either
          .where("account.emailKey LIKE LOWER(:start)", { start })
          .orWhere("account.usernameKey LIKE LOWER(:start)")
          .orWhere("account.displayName COLLATE utf8mb4_unicode_ci LIKE :start")
          .orWhere("account.reference = :exact", { exact: search.trim() });
        if (UUID.test(search.trim())) either.orWhere("account.id = :exact");
      }),
    );
  }
  if (withoutLabels !== undefined) query.andWhere("account.state <> 'closed'");
  for (const [index, label] of (withoutLabels ?? []).entries())
    query.andWhere(`NOT JSON_CONTAINS(account.labels, :label${index})`, {
      [`label${index}`]: JSON.stringify(label),
    });
  if (bySecondFactor !== undefined) whereFactor(query, bySecondFactor.wanted, bySecondFactor.who);
  if (scheme !== undefined || notScheme !== undefined || schemeStart !== undefined) {
    query.innerJoin("password_record", "record", "record.accountId = account.id");
    if (notScheme !== undefined) query.andWhere("record.scheme <> :notScheme", { notScheme });
    if (scheme !== undefined) query.andWhere("record.scheme = :scheme", { scheme });
    if (schemeStart !== undefined)
      query.andWhere("record.scheme LIKE :schemeStart", {
        schemeStart: `${schemeStart.replace(/[\\%_]/g, "\\$&")}%`,
      });
  }
  return query.getMany();
}

const UUID = /^[0-9a-fA-F]{8}(-[0-9a-fA-F]{4}){3}-[0-9a-fA-F]{12}$/;
