/** Adds an operator straight into the database: the first one, or one more when no operator can sign in any more. */
import { randomBytes } from "node:crypto";
import { fieldError } from "@lucchetto/contract";
import { makeRecord, OPERATOR_LABEL, readEmail, SALT_LENGTH } from "@lucchetto/core";
import type { DataSource } from "typeorm";
import type { Clock } from "../../base/clock/clock.ts";
import type { Configuration } from "../../base/config/index.ts";
import { inTransaction, isDuplicateOf } from "../../base/storage/index.ts";
import { newAccount } from "../../people/account/new-account.ts";
import { isShort, judge } from "../../people/password/password.ts";
import type { DirectEnrolment } from "../../people/second-factor/enrol-directly.ts";
import { insertAccount } from "../../records/account/store.ts";
import { BY_COMMAND } from "../../records/context.ts";
import { record } from "../../records/journal/journal.ts";
import { openCompromisedList } from "../../records/password/compromised.ts";
import { peppersOf, schemeOfNewRecords } from "../../records/password/hashing.ts";
import type { NewRecord } from "../../records/password/store.ts";
import { insertRecord } from "../../records/password/store.ts";

/** What was wrong, for the person at the keyboard. */
export class OperatorRefusal extends Error {
  override readonly name = "OperatorRefusal";
}

/**
 * @param wanted `secondFactor`: set one up at once, as production wants it of operators.
 * @returns the account's id, and the second factor, which is shown this once. @throws OperatorRefusal.
 */
export async function addOperator(
  {
    configuration,
    dataSource,
    clock,
  }: { configuration: Configuration; dataSource: DataSource; clock: Clock },
  wanted: { email: string; displayName: string | null; password: string; secondFactor?: boolean },
): Promise<{ id: string; secondFactor: DirectEnrolment | null }> {
  const email = readEmail(wanted.email);
  if (email === null) throw new OperatorRefusal("--email: this is not an e-mail address");
  const passwordRecord = await makeOperatorsRecord(configuration, wanted);
  const now = clock.now();
  const account = newAccount(now, {
    email,
    displayName: wanted.displayName,
    labels: [OPERATOR_LABEL],
    emailVerifiedAt: now,
  });
  const { keyRing, site } = configuration;
  const name = email.shown;
  try {
    return await inTransaction(dataSource, async (outside) => {
      const manager = await insertAccount(outside, account);
      await insertRecord(manager, { accountId: account.id, made: passwordRecord, setAt: now });
      const event = { kind: "account.registered", accountId: account.id } as const;
      await record({ configuration }, manager, { event, visit: BY_COMMAND, now });
      const { id } = account;
      if (wanted.secondFactor !== true || keyRing === null) return { id, secondFactor: null };
      const { enrolDirectly } = await import("../../people/second-factor/enrol-directly.ts");
      const enrolling = { sealingKeys: keyRing, issuer: site.name, account: { id, name }, now };
      return { id, secondFactor: await enrolDirectly(manager, enrolling) };
    });
  } catch (error) {
    if (!isDuplicateOf(error, "account_email")) throw error;
    throw new OperatorRefusal(
      `${email.shown} has an account already; give it the label "${OPERATOR_LABEL}" in the console, or take another address`,
    );
  }
}

/** The record of a password that is typed where the service's own machine is. @throws OperatorRefusal. */
export async function makeOperatorsRecord(
  configuration: Configuration,
  wanted: { email: string; displayName?: string | null; password: string },
): Promise<NewRecord> {
  const { compromisedList } = configuration.passwords;
  const compromised = compromisedList === undefined ? null : await openCompromisedList(compromisedList);
  const verdict = await judge({ configuration, compromised }, wanted.password, {
    ...wanted,
    labels: [OPERATOR_LABEL],
  });
  await compromised?.close();
  if (!verdict.ok)
    throw new OperatorRefusal(
      `the password: ${fieldError("password", verdict.code, verdict.parameters).message}`,
    );
  const record = await makeRecord(
    verdict.text,
    schemeOfNewRecords(configuration),
    randomBytes(SALT_LENGTH),
    peppersOf(configuration.keyRing),
  );
  return { record, isShort: isShort(configuration, verdict) };
}
