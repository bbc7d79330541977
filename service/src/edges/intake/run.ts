/**
 * An intake: the rows of a source written as accounts, some hundred in one transaction with the place up to which they are done. Whoever
 * kills it and runs the same plan again goes on from there: nothing twice, nothing left out.
 */
import { createHash, randomBytes } from "node:crypto";
import { availableParallelism } from "node:os";
import type { Peppers, Scheme } from "@lucchetto/core";
import {
  digestByRecipe,
  makeRecord,
  NONCE_LENGTH,
  readRecipe,
  readRecord,
  SALT_LENGTH,
  schemeTextOf,
  sealDigest,
  withRecipe,
  wrapDigest,
} from "@lucchetto/core";
import type { DataSource } from "typeorm";
import type { Configuration } from "../../base/config/index.ts";
import { errorCode } from "../../base/storage/deadlock.ts";
import type { AccountRow, ImportedPasswordRow, IntakeRow } from "../../base/storage/index.ts";
import { inTransaction } from "../../base/storage/index.ts";
import { newAccount } from "../../people/account/new-account.ts";
import { newAuthenticator } from "../../people/second-factor/new-authenticator.ts";
import { createHashing, peppersOf, schemeOfNewRecords } from "../../records/password/hashing.ts";
import type { ExistingMatch, KnownPassword, OnProgress, PlacedRow, Survey } from "./check.ts";
import {
  faultOfFilling,
  isSelfDescribing,
  judgedRows,
  matchAccounts,
  matchReserved,
  surveySource,
} from "./check.ts";
import type { Plan } from "./plan.ts";
import type { JudgedPassword, JudgedRow, LegacyHashInput, RowFault } from "./row.ts";
import { reportableColumns } from "./row.ts";
import type { ReadSoFar } from "./source-row.ts";
import { identityOf, nameOf } from "./source.ts";
import type { AccountRows, Fill } from "./store.ts";
import { findIntake, findUnfinished, insertRecipe, listRecipes, rewriteRecipe } from "./store.ts";
import type { BegunBy, IntakeNeeds, Part } from "./written.ts";
import { beginIntake, finishIntake, IntakeRefusal, writePart } from "./written.ts";

/** `now`: everything is hashed as it comes; `later`: digests come in sealed, and the service wraps them beside its other work. */
const WRAPPINGS = ["auto", "now", "later"] as const;

interface RunOptions {
  readonly known: readonly KnownPassword[];
  /** Recipes that no known password fits are taken all the same. */
  readonly unproven: boolean;
  readonly wrap: (typeof WRAPPINGS)[number];
  readonly onProgress: OnProgress;
  /** Where it hashes; left out: on all cores of this process, which does nothing else. */
  readonly hasher?: Hasher;
  /** Who began it in the console; left out: whoever runs the service, on its machine. */
  readonly by?: BegunBy;
}

export interface Hasher {
  /** Hashes at once. */
  readonly width: number;
  /** Milliseconds that one takes. */
  measured(): Promise<number>;
  run<Result>(work: () => Promise<Result>): Promise<Result>;
}

const allCores = (configuration: Configuration): Hasher => ({
  width: availableParallelism(),
  measured: () => createHashing(configuration).measured,
  run: (work) => work(),
});

/** Rows in one transaction, at most. */
const MAX_ROWS = 1_000;
/** Hashes for each core between two transactions: what a kill costs. */
const HASHES_EACH = 25;
/** Seconds of hashing that a person waits for; what takes longer is done afterwards. */
const WORTH_WAITING = 600;
/** How plain passwords are kept until they are hashed: not so that anybody could read them. */
const PLAIN_RECIPE = 'hmac("sha512", salt, password)';

/**
 * Runs it, or goes on with it.
 * @returns the intake's row, and whether digests are left to be wrapped. @throws IntakeRefusal, SourceError.
 */
export async function runIntake(
  needs: IntakeNeeds,
  plan: Plan,
  options: RunOptions,
): Promise<{ intake: IntakeRow; wrapsLater: boolean; resumedAt: number }> {
  const { dataSource, configuration } = needs;
  const peppers = peppersOf(configuration.keyRing);
  const fingerprint = createHash("sha256")
    .update(plan.text)
    .update("\n")
    .update(identityOf(plan.source))
    .digest();
  const survey = await surveySource(plan, peppers, options);
  assertFits(survey);
  const begun = await findUnfinished(dataSource, fingerprint);
  await assertProven(dataSource, plan, { survey, begun, unproven: options.unproven });
  const hasher = options.hasher ?? allCores(configuration);
  const wrapsLater = await decideWrapping(configuration, survey, { wrap: options.wrap, hasher });
  if (plan.columns.totpSecret !== undefined && configuration.keyRing === null)
    throw new IntakeRefusal(
      "The secrets of authenticator apps are encrypted with the key ring, but there is none. Create one with `lucchetto keys add`, and set keys.file.",
    );
  const intake =
    begun ??
    (await beginIntake(needs, {
      source: nameOf(plan.source),
      plan: plan.text,
      fingerprint,
      by: options.by,
    }));
  const recipes = await keepRecipes(needs, plan, { intake, survey, wrapsLater });
  const writer: Writer = {
    ...needs,
    plan,
    peppers,
    scheme: schemeOfNewRecords(configuration),
    recipes,
    wrapsLater,
    told: reportableColumns(plan),
    intake,
    hasher,
    by: options.by,
  };
  await writeRows(writer, survey, options.onProgress);
  const ended = await findIntake(dataSource, intake.id);
  return { intake: ended ?? intake, wrapsLater, resumedAt: Number(intake.position) };
}

/** A known password that does not fit stops it before anything is written. */
function assertFits({ known }: Survey): void {
  const wrong = known.filter(({ outcome }) => outcome !== "right");
  if (wrong.length === 0) return;
  const said = wrong.map(({ who, outcome }) =>
    outcome === "wrong" ? `the password of ${who} does not match its row` : `no row belongs to ${who}`,
  );
  throw new IntakeRefusal(
    `Nothing was changed: ${said.join("; ")}. Correct the plan, and test it with: lucchetto import check`,
  );
}

async function assertProven(
  dataSource: DataSource,
  plan: Plan,
  { survey, begun, unproven }: { survey: Survey; begun: IntakeRow | null; unproven: boolean },
): Promise<void> {
  if (unproven) return;
  const before = begun === null ? [] : await listRecipes(dataSource, begun.id);
  const open = [...survey.recipes.keys()].filter(
    (text) =>
      !survey.proven.has(text) &&
      !isSelfDescribing(plan, text) &&
      // Whoever began it had shown one, or had said that there is none.
      !before.some((one) => one.text === text),
  );
  if (open.length > 0)
    throw new IntakeRefusal(
      `Nothing was changed: no known password proves that ${open.length === 1 ? "this recipe is" : "these recipes are"} right: ${open.join(", ")}. Name somebody whose password you know with --known, or import ${open.length === 1 ? "it as it is" : "them as they are"} with --unproven.`,
    );
}

/** Whether digests come in sealed, to be wrapped afterwards. */
async function decideWrapping(
  configuration: Configuration,
  { recipes, plainRows }: Survey,
  { wrap, hasher }: { wrap: RunOptions["wrap"]; hasher: Hasher },
): Promise<boolean> {
  if (wrap === "now") return false;
  if (configuration.keyRing === null) {
    if (wrap === "auto") return false;
    throw new IntakeRefusal(
      "--wrap later seals the old digests under the key ring, and there is none: make one with `lucchetto keys add`, and name it in keys.file.",
    );
  }
  if (wrap === "later") return true;
  const hashes = [...recipes.values()].reduce((sum, rows) => sum + rows, 0) + plainRows;
  if (hashes === 0) return false;
  return (hashes * (await hasher.measured())) / 1_000 / hasher.width > WORTH_WAITING;
}

/** Notes the recipes that this run needs, and which of them were shown to be right. @returns their ids, by their texts. */
async function keepRecipes(
  { dataSource, clock }: IntakeNeeds,
  plan: Plan,
  { intake, survey, wrapsLater }: { intake: IntakeRow; survey: Survey; wrapsLater: boolean },
): Promise<ReadonlyMap<string, string>> {
  const texts = new Set(survey.recipes.keys());
  if (wrapsLater && survey.plainRows > 0) texts.add(PLAIN_RECIPE);
  const ids = new Map((await listRecipes(dataSource, intake.id)).map(({ id, text }) => [text, id]));
  const changedAt = clock.now();
  for (const text of texts) {
    const isProven = survey.proven.has(text) || isSelfDescribing(plan, text);
    const before = ids.get(text);
    if (before !== undefined) {
      if (isProven) await rewriteRecipe(dataSource.manager, before, { text, isProven, changedAt });
      continue;
    }
    const id = `r${randomBytes(5).toString("hex")}`;
    await insertRecipe(dataSource.manager, { id, intakeId: intake.id, text, isProven, changedAt });
    ids.set(text, id);
  }
  return ids;
}

interface Writer extends IntakeNeeds {
  readonly plan: Plan;
  readonly peppers: Peppers;
  readonly scheme: Scheme;
  /** Their ids, by their texts. */
  readonly recipes: ReadonlyMap<string, string>;
  readonly wrapsLater: boolean;
  /** Columns that reports show. */
  readonly told: ReadonlySet<string>;
  readonly intake: IntakeRow;
  readonly hasher: Hasher;
  readonly by: BegunBy;
}

async function writeRows(
  writer: Writer,
  { twice, rows: total }: Survey,
  onProgress: OnProgress,
): Promise<void> {
  const pepperIds = new Set(writer.peppers.keys());
  const from = Number(writer.intake.position);
  const hashesAtOnce = HASHES_EACH * writer.hasher.width;
  let batch: PlacedRow[] = [];
  let hashes = 0;
  let position = from;
  // While one batch is written the next is read, judged and made ready.
  let making: Promise<unknown> = Promise.resolve();
  let writing: Promise<void> = Promise.resolve();
  const write = async (): Promise<void> => {
    const rows = batch;
    const place = { from: position, to: rows.at(-1)?.position ?? position };
    position = place.to;
    batch = [];
    hashes = 0;
    await making;
    const made = makeBatch(writer, rows);
    making = made;
    // The next `await` surfaces the error.
    made.catch(() => undefined);
    await writing;
    writing = made
      .then((ready) => writeBatch(writer, ready, place))
      .then(() => onProgress({ phase: "write", done: place.to, total, rows: place.to }));
    // The next `await` surfaces the error.
    writing.catch(() => undefined);
  };
  const soFar: Partial<ReadSoFar> = {};
  onProgress({ phase: "write", done: from, total, rows: from });
  for await (const row of judgedRows(writer.plan, { twice, pepperIds }, soFar)) {
    if (row.position <= from) continue;
    batch.push(row);
    if (!("reason" in row.judged) && isToBeHashed(row.judged.password, writer)) hashes += 1;
    if (batch.length === MAX_ROWS || hashes === hashesAtOnce) await write();
  }
  if (batch.length > 0) await write();
  await writing;
  await finishIntake(writer, writer.intake, writer.by);
}

function isToBeHashed({ kind }: JudgedPassword, { wrapsLater }: Writer): boolean {
  return !wrapsLater && (kind === "plain" || kind === "digest");
}

/** A batch, ready to be written. */
interface Batch {
  readonly fit: ReadonlyArray<{ readonly row: PlacedRow; readonly judged: JudgedRow }>;
  /** What is written of each of them. */
  readonly written: readonly AccountRows[];
  readonly refusedAtOnce: readonly Refused[];
}

async function makeBatch(writer: Writer, rows: readonly PlacedRow[]): Promise<Batch> {
  const fit: Array<{ row: PlacedRow; judged: JudgedRow }> = [];
  const refusedAtOnce: Refused[] = [];
  for (const row of rows) {
    if ("reason" in row.judged) refusedAtOnce.push({ row, fault: row.judged });
    else fit.push({ row, judged: row.judged });
  }
  return { fit, written: await hashAll(writer, fit), refusedAtOnce };
}

async function writeBatch(
  writer: Writer,
  { fit, written, refusedAtOnce }: Batch,
  place: { from: number; to: number },
): Promise<void> {
  for (let tries = 1; ; tries += 1) {
    // Most tables meet nobody who is there: that is looked at only where somebody is.
    const looksFirst = tries > 1 || writer.plan.existing === "fill";
    try {
      await inTransaction(writer.dataSource, (manager) =>
        writePart(manager, writer, place, async () => {
          const now = writer.clock.now();
          const met = looksFirst
            ? await matchAccounts({ manager }, fit, now)
            : await matchReserved({ manager }, fit, now);
          const { taken, fills, refused } = partBy(writer, { fit, written, met });
          const told = [...refusedAtOnce, ...refused].map((one) => refusalOf(writer, one));
          return { taken, fills, refused: told };
        }),
      );
      return;
    } catch (error) {
      // Somebody is there, or registered meanwhile.
      if (tries === MAX_TRIES || errorCode(error) !== "ER_DUP_ENTRY") throw error;
    }
  }
}

const MAX_TRIES = 4;

interface Refused {
  readonly row: PlacedRow;
  readonly fault: RowFault;
}

function partBy(
  { plan }: Writer,
  { fit, written, met }: Pick<Batch, "fit" | "written"> & { met: ReadonlyArray<ExistingMatch | null> },
): { taken: AccountRows[]; fills: Fill[]; refused: Refused[] } {
  const taken: AccountRows[] = [];
  const fills: Fill[] = [];
  const refused: Refused[] = [];
  for (const [index, { row, judged }] of fit.entries()) {
    const found = met[index] ?? null;
    const made = written[index];
    if (found === null && made !== undefined) taken.push(made);
    else if (found !== null && "fault" in found) refused.push({ row, fault: found.fault });
    else if (found !== null) {
      const fault = faultOfFilling(plan, found) ?? faultOfOperators(found.account);
      if (fault === null) fills.push(fillOf(found.account, judged));
      else refused.push({ row, fault });
    }
  }
  return { taken, fills, refused };
}

type There = Extract<ExistingMatch, { account: unknown }>["account"];

/** An operator's account is left alone. */
function faultOfOperators({ id, labels }: There): RowFault | null {
  if (!labels.some((one) => one === "operator" || one === "auditor")) return null;
  return { member: "row", reason: `the account already exists, and is an operator's: ${id}` };
}

const MAX_LABELS = 20;

/** What it lacked; its address, password, factors and state are nobody's to change here. */
function fillOf(there: There, { account }: JudgedRow): Fill {
  const labels = [...new Set([...there.labels, ...account.labels])].slice(0, MAX_LABELS);
  return { id: there.id, displayName: account.displayName, reference: account.reference, labels };
}

const MAX_REASON_LENGTH = 300;

function refusalOf({ told }: Writer, { row, fault }: Refused): Part["refused"][number] {
  const values = Object.fromEntries([...row.values].filter(([column]) => told.has(column)));
  return {
    line: String(row.line),
    member: fault.member,
    reason: fault.reason.slice(0, MAX_REASON_LENGTH),
    values,
  };
}

/** Hashes on all cores, in the order of the rows. */
async function hashAll(writer: Writer, fit: ReadonlyArray<{ judged: JudgedRow }>): Promise<AccountRows[]> {
  const written: AccountRows[] = [];
  let next = 0;
  const worker = async (): Promise<void> => {
    for (let index = next; index < fit.length; index = next) {
      next += 1;
      const judged = fit[index]?.judged;
      if (judged !== undefined) written[index] = await writeOf(writer, judged);
    }
  };
  await Promise.all(Array.from({ length: writer.hasher.width }, worker));
  return written;
}

async function writeOf(
  writer: Writer,
  { account: said, password, authenticator }: JudgedRow,
): Promise<AccountRows> {
  const now = writer.clock.now();
  const account: AccountRow = {
    ...newAccount(now, {
      email: said.email,
      username: said.username,
      displayName: said.displayName,
      labels: said.labels,
      reference: said.reference,
      language: said.language,
      emailVerifiedAt: said.isVerified ? (said.createdAt ?? now) : null,
      state: said.isSuspended ? "suspended" : "active",
      isOpenlyRegistered: false,
    }),
    createdAt: said.createdAt ?? now,
    lastSignInAt: said.lastSignInAt,
  };
  const accountId = account.id;
  const kept = await keep(writer, accountId, password);
  const { keyRing } = writer.configuration;
  return {
    account,
    record:
      kept === null
        ? null
        : {
            accountId,
            record: kept.record,
            scheme: schemeTextOf(kept.record),
            setAt: now,
            madeAt: now,
            ...{ provedSince: null, standsSince: null, setInBrowser: null },
            isShort: false,
          },
    imported: kept?.imported ?? null,
    authenticators:
      authenticator === null || keyRing === null
        ? []
        : [newAuthenticator(keyRing, { accountId, ...authenticator, expiresAt: null }, now)],
    passkeys: [],
    codes: [],
  };
}

interface Kept {
  readonly record: string;
  readonly imported: ImportedPasswordRow | null;
}

/** The record of a password, and what is kept beside it. */
async function keep(writer: Writer, accountId: string, password: JudgedPassword): Promise<Kept | null> {
  const { scheme, peppers, intake, wrapsLater, hasher } = writer;
  const base = { accountId, intakeId: intake.id, recipe: null, ...NOTHING_ALONG, replacedAt: null };
  switch (password.kind) {
    case "none":
      return null;
    case "record":
      return {
        record: password.record,
        imported: { ...base, hashBytes: readRecord(password.record).hash.length },
      };
    case "plain": {
      // An ordinary record at once, of which nothing from elsewhere is left.
      if (!wrapsLater)
        return {
          record: await hasher.run(() =>
            makeRecord(password.text, scheme, randomBytes(SALT_LENGTH), peppers),
          ),
          imported: null,
        };
      const salt = randomBytes(SALT_LENGTH);
      const digest = await digestByRecipe(readRecipe(PLAIN_RECIPE), { salt, password: password.text });
      if (digest === null) throw new Error("a digest of ours could not be made");
      const along = { salt, username: null, email: null };
      return keepDigest(writer, base, { recipe: PLAIN_RECIPE, digest, along });
    }
    case "digest":
      return keepDigest(writer, base, password);
  }
}

const NOTHING_ALONG = { salt: null, isSaltText: false, username: null, email: null, hashBytes: null };

async function keepDigest(
  { scheme, peppers, recipes, wrapsLater, configuration, hasher }: Writer,
  base: ImportedPasswordRow,
  { recipe, digest, along }: { recipe: string; digest: Uint8Array; along: LegacyHashInput },
): Promise<Kept> {
  const id = recipes.get(recipe);
  const { keyRing } = configuration;
  if (id === undefined || (wrapsLater && keyRing === null))
    throw new Error("a recipe of this intake is missing");
  const record =
    wrapsLater && keyRing !== null
      ? sealDigest(keyRing, { digest, recipe: id, accountId: base.accountId }, randomBytes(NONCE_LENGTH))
      : await hasher.run(() => wrapDigest(digest, withRecipe(scheme, id), randomBytes(SALT_LENGTH), peppers));
  const { salt, username, email } = along;
  return {
    record,
    imported: {
      ...base,
      recipe: id,
      salt: salt === null ? null : Buffer.from(salt),
      isSaltText: typeof salt === "string",
      username,
      email,
    },
  };
}
