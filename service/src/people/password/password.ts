/** Use cases of password records: read what is stored, re-make what is older than configured, explain it. */
import type { PasswordExplanation } from "@lucchetto/contract";
import type { Context, PasswordVerdict, Scheme } from "@lucchetto/core";
import {
  explainRecord,
  judgeNewPassword,
  MINIMUM_LENGTH_BESIDE_FACTOR,
  PhcReadError,
  readRecord,
  readScheme,
  SchemeError,
  SEALED_DIGEST_PREFIX,
  withoutDigest,
} from "@lucchetto/core";
import type { EntityManager } from "typeorm";
import type { Configuration } from "../../base/config/index.ts";
import type { Asker } from "../../base/queue/places.ts";
import type { PasswordRecordRow } from "../../base/storage/index.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { record } from "../../records/journal/journal.ts";
import type { StoredPassword } from "../../records/password/checking.ts";
import { isListed } from "../../records/password/common-passwords.ts";
import type { CompromisedList } from "../../records/password/compromised.ts";
import { countTry, findImported, noteReplaced } from "../../records/password/imported-store.ts";
import type { NewRecord } from "../../records/password/store.ts";
import { replaceRecord, replaceWrapped } from "../../records/password/store.ts";
import { requiredSecondFactor } from "../../records/second-factor/duty.ts";
import { faultOfLength } from "./stored.ts";

/** What new passwords are judged by. */
interface PasswordJudging {
  readonly configuration: Pick<Configuration, "passwords" | "site" | "secondFactor" | "mode">;
  /** `null`: the operator has no such list. */
  readonly compromised: CompromisedList | null;
}

/** Whose it is to be; by the labels it is known whether a second factor stands beside it. */
export type Person = Context & { readonly labels?: readonly string[] | undefined };

export type AcceptedPassword = Extract<PasswordVerdict, { ok: true }>;

/** Judges a new password by the configured rules, for whoever it is to be. */
export async function judge(
  { configuration, compromised }: PasswordJudging,
  typed: string,
  person: Person,
): Promise<PasswordVerdict> {
  const { passwords, site } = configuration;
  if (passwords.rules === "off") return judgeNewPassword(typed, { minimumLength: 1 });
  const context = { ...person, siteName: site.name };
  const isBesideFactor = requiredSecondFactor({ configuration }, { labels: person.labels ?? [] }) !== "none";
  const minimumLength = isBesideFactor
    ? Math.min(passwords.minimumLength, MINIMUM_LENGTH_BESIDE_FACTOR)
    : passwords.minimumLength;
  const verdict = judgeNewPassword(typed, { minimumLength, isListed, context });
  if (!verdict.ok || compromised === null) return verdict;
  // Lists hold what people typed elsewhere, which need not be in our normal form.
  const isKnown = (await compromised.holds(verdict.text)) || (await compromised.holds(typed));
  return isKnown ? { ok: false, code: "password-compromised", parameters: {} } : verdict;
}

/** The record of an accepted password. @throws ProblemReply `too-busy`. */
export async function makeRecordOf(
  { hashing, configuration }: Pick<ServiceContext, "hashing" | "configuration">,
  verdict: AcceptedPassword,
  asker: Asker,
): Promise<NewRecord> {
  return { record: await hashing.make(verdict.text, asker), isShort: isShort(configuration, verdict) };
}

/** Whether an accepted password is enough beside a second factor only. */
export function isShort(
  { passwords }: Pick<ServiceContext["configuration"], "passwords">,
  { codePoints }: Pick<AcceptedPassword, "codePoints">,
): boolean {
  return passwords.rules === "on" && codePoints < passwords.minimumLength;
}

/** Re-makes an outdated record from the password that was just shown right. Hashes outside any transaction. */
export async function remake(
  { hashing }: ServiceContext,
  stored: StoredPassword,
  { password, asker }: { password: string; asker: Asker },
): Promise<string | null> {
  return stored.isOutdated ? hashing.make(password, asker) : null;
}

/** Stores a re-made record, unless the password was changed meanwhile. */
export async function storeRemade(
  context: Pick<ServiceContext, "configuration">,
  manager: EntityManager,
  { row, remade, visit, now }: { row: PasswordRecordRow; remade: string; visit: RequestOrigin; now: Date },
): Promise<void> {
  const { accountId, record: from } = row;
  const change = { accountId, to: remade, now };
  const isStored =
    (await replaceRecord(manager, { ...change, from })) ||
    (await replaceWrapped(manager, { ...change, row }));
  if (!isStored) return;
  const imported = await noteReplaced(manager, accountId, now);
  if (imported !== null) await countTry(manager, imported, "firstSignIns");
  await record(context, manager, { event: { kind: "password.record-remade", accountId }, visit, now });
}

/** A stored record taken apart for operators; but for development, without a character of salt or digest. */
export async function explain(
  { hashing, configuration, dataSource }: ServiceContext,
  row: PasswordRecordRow,
): Promise<PasswordExplanation | { unreadable: string }> {
  try {
    if (!row.record.startsWith(SEALED_DIGEST_PREFIX)) {
      const fault = faultOfLength(readRecord(row.record), await findImported(dataSource, row.accountId));
      if (fault !== null) return { unreadable: fault };
    }
    const whole = explainRecord(row.record, hashing.scheme);
    const explanation = configuration.mode === "development" ? whole : withoutDigest(whole);
    return {
      ...explanation,
      segments: [...explanation.segments],
      configuredScheme: hashing.scheme.text,
      millisecondsHere: row.record.startsWith(SEALED_DIGEST_PREFIX)
        ? null
        : estimateMilliseconds(
            { configured: hashing.scheme, millisecondsPerHash: await hashing.measured },
            readScheme(explanation.scheme),
          ),
      setAt: row.setAt.toISOString(),
      recordMadeAt: row.madeAt.toISOString(),
    };
  } catch (error) {
    if (error instanceof PhcReadError || error instanceof SchemeError) return { unreadable: error.message };
    throw error;
  }
}

/** From what the configured scheme takes here; `null` for another algorithm, which nothing was measured of. */
function estimateMilliseconds(
  { configured, millisecondsPerHash }: { configured: Scheme; millisecondsPerHash: number },
  { algorithm, parameters }: Scheme,
): number | null {
  if (algorithm !== configured.algorithm) return null;
  const times = algorithm.work(parameters) / algorithm.work(configured.parameters);
  return Math.round(millisecondsPerHash * times * 10) / 10;
}

/** A record as it may be shown: in development the digest shortened, else scheme and parameters alone. */
export function shortened({ configuration }: Pick<ServiceContext, "configuration">, text: string): string {
  const lastDollar = text.lastIndexOf("$");
  if (configuration.mode === "development") return `${text.slice(0, lastDollar + 9)}…`;
  return `${text.slice(0, text.lastIndexOf("$", lastDollar - 1) + 1)}…`;
}
