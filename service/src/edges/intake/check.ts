/** A first pass over a source, before anything is written: what each row would become, what comes twice, and whether recipes fit known passwords. */
import type { DatabaseSource, FileSource, IntakeCheck } from "@lucchetto/contract";
import type { Peppers, RecipeInput } from "@lucchetto/core";
import {
  checkRecord,
  digestByRecipe,
  equalInConstantTime,
  preparePassword,
  readEmail,
  readRecipe,
  readRecord,
  readUsername,
  schemeTextOf,
} from "@lucchetto/core";
import type { DataSource } from "typeorm";
import { findHeld } from "../../records/account/held.ts";
import { rowsOf } from "./corrected.ts";
import { MaybeTwice } from "./duplicates.ts";
import type { Plan } from "./plan.ts";
import type { JudgedPassword, JudgedRow, LegacyHashInput, RowFault, SurveyedRow } from "./row.ts";
import { judgeRow, missingColumns, surveyRow } from "./row.ts";
import type { ReadSoFar, RowValues } from "./source-row.ts";
import { SourceError } from "./source-row.ts";
import { nameOf } from "./source.ts";
import { findExisting } from "./store.ts";

/** A password that is known, and whose: an address, a username or a reference. */
export interface KnownPassword {
  readonly who: string;
  readonly password: string;
}

/** Told now and then. */
export type OnProgress = (progress: {
  phase: "check" | "write";
  done: number;
  total: number;
  rows: number;
}) => void;

/** What one pass found. */
export interface Survey extends Pick<IntakeCheck, "rows" | "known"> {
  readonly twice: Twice;
  /** Rows by how their password is kept, in words. */
  readonly passwords: ReadonlyMap<string, number>;
  /** Rows by recipe. */
  readonly recipes: ReadonlyMap<string, number>;
  /** Recipes that a known password fits. */
  readonly proven: ReadonlySet<string>;
  readonly plainRows: number;
}

/** Faults that are told; the others are counted. */
const TOLD_FAULTS = 200;
/** Rows between two looks into the database, and two words of progress. */
const BATCH = 1_000;

/** The three by which nobody may be twice. */
interface Twice {
  readonly email: MaybeTwice;
  readonly username: MaybeTwice;
  readonly reference: MaybeTwice;
}

/** One pass over everything, without a look at the accounts that are there. @throws SourceError. */
export async function surveySource(
  plan: Plan,
  peppers: Peppers,
  { known, onProgress }: { known: readonly KnownPassword[]; onProgress: OnProgress },
): Promise<Survey> {
  const twice = { email: new MaybeTwice(), username: new MaybeTwice(), reference: new MaybeTwice() };
  const pepperIds = new Set(peppers.keys());
  const pairs = known.map((one) => new Pair(one));
  const passwords = new Map<string, number>();
  const recipes = new Map<string, number>();
  let rows = 0;
  const soFar: Partial<ReadSoFar> = {};
  for await (const row of rowsOf(plan, soFar)) {
    if (rows === 0 && "values" in row) assertColumns(plan, row.values.keys());
    rows += 1;
    if (rows % BATCH === 0) onProgress({ phase: "check", rows, ...progressOf(soFar) });
    if ("fault" in row) continue;
    const surveyed = surveyRow(plan, row.values, pepperIds);
    if (surveyed === null) continue;
    const { account, password } = surveyed;
    if (account.email !== null) twice.email.add(account.email.key);
    if (account.username !== null) twice.username.add(account.username.key);
    if (account.reference !== null) twice.reference.add(account.reference);
    count(passwords, wordsOf(password));
    if (password.kind === "digest") count(recipes, password.recipe);
    // Of several rows of one person the first is taken.
    for (const pair of pairs)
      if (pair.outcome === "nobody" && pair.isOf(surveyed)) await pair.try(password, peppers);
  }
  const proven = new Set(
    pairs.flatMap(({ outcome, recipe }) => (outcome === "right" && recipe !== null ? [recipe] : [])),
  );
  return {
    rows,
    twice,
    passwords,
    recipes,
    proven,
    known: pairs.map(({ who, outcome }) => ({ who, outcome })),
    plainRows: passwords.get(PLAIN) ?? 0,
  };
}

/** Looks at all of it, and says what would become of each row. Nothing is written. @throws SourceError. */
export async function checkSource(
  { dataSource, peppers, now }: { dataSource: DataSource; peppers: Peppers; now: Date },
  plan: Plan,
  options: { known: readonly KnownPassword[]; onProgress: OnProgress },
): Promise<IntakeCheck> {
  const survey = await surveySource(plan, peppers, options);
  const { rows, twice, passwords, recipes, proven, known } = survey;
  const pepperIds = new Set(peppers.keys());
  const faults = await findFaults({ dataSource, now }, plan, { twice, pepperIds });
  return {
    source: nameOf(plan.source),
    rows,
    wouldBeTaken: rows - faults.count - faults.there,
    thereAlready: faults.there,
    faultCount: faults.count,
    faults: faults.told,
    filledByUsername: faults.filledByUsername,
    passwords: [...passwords].map(([words, some]) => ({ words, rows: some })),
    recipes: [...recipes].map(([text, some]) => ({
      text,
      rows: some,
      isProven: proven.has(text) || isSelfDescribing(plan, text),
    })),
    known,
  };
}

/** A recipe that a hash named itself, and nobody had to guess. */
export function isSelfDescribing({ ways }: Plan, text: string): boolean {
  return !ways.some((way) => way.kind === "recipe" && way.read.text === text);
}

function progressOf({ total = 0, done }: Partial<ReadSoFar>): { done: number; total: number } {
  return { done: done?.() ?? 0, total };
}

function assertColumns(plan: Plan, found: Iterable<string>): void {
  const there = [...found];
  const missing = missingColumns(plan, there);
  // A member of JSON that is empty may be left out.
  if (missing.length === 0 || isJson(plan.source)) return;
  throw new SourceError(
    `${nameOf(plan.source)} has no column ${missing.map((one) => `"${one}"`).join(", ")}; it has ${there.map((one) => `"${one}"`).join(", ")}.`,
  );
}

function isJson(source: FileSource | DatabaseSource): boolean {
  return !("database" in source) && source.format === "json-lines";
}

const PLAIN = "plain text";

function wordsOf(password: JudgedPassword): string {
  switch (password.kind) {
    case "none":
      return "no password";
    case "plain":
      return PLAIN;
    case "record":
      return schemeTextOf(password.record);
    case "digest":
      return password.recipe;
  }
}

function count(counts: Map<string, number>, key: string): void {
  counts.set(key, (counts.get(key) ?? 0) + 1);
}

/** A row with its place: judged, or why it is not taken. */
export interface PlacedRow {
  /** From 1, whatever a line is. */
  readonly position: number;
  readonly line: number;
  readonly values: RowValues;
  readonly judged: JudgedRow | RowFault;
}

/** The rows of a source, of which none has what one before it has. */
export async function* judgedRows(
  plan: Plan,
  { twice, pepperIds }: { twice: Twice; pepperIds: ReadonlySet<string> },
  soFar: Partial<ReadSoFar>,
): AsyncGenerator<PlacedRow> {
  const first = new Map<string, number>();
  let position = 0;
  for await (const row of rowsOf(plan, soFar)) {
    position += 1;
    const { line } = row;
    if ("fault" in row) {
      yield { position, line, values: new Map(), judged: { member: "row", reason: row.fault } };
      continue;
    }
    const judged = judgeRow(plan, row.values, pepperIds);
    const fault = "reason" in judged ? null : sameAsBefore(judged, { twice, first, line });
    yield { position, line, values: row.values, judged: fault ?? judged };
  }
}

function sameAsBefore(
  { account }: JudgedRow,
  { twice, first, line }: { twice: Twice; first: Map<string, number>; line: number },
): RowFault | null {
  const keys = [
    ["email", account.email?.key, "address"],
    ["username", account.username?.key, "username"],
    ["reference", account.reference, "reference"],
  ] as const;
  const noted: string[] = [];
  for (const [member, key, word] of keys) {
    if (key === undefined || key === null || !twice[member].has(key)) continue;
    const name = `${member}:${key}`;
    const before = first.get(name);
    if (before !== undefined) return { member, reason: `the same ${word} as line ${before}` };
    noted.push(name);
  }
  for (const name of noted) first.set(name, line);
  return null;
}

/** Everything that would be refused, and how many accounts are there already. */
async function findFaults(
  { dataSource, now }: { dataSource: DataSource; now: Date },
  plan: Plan,
  parts: { twice: Twice; pepperIds: ReadonlySet<string> },
): Promise<
  Pick<IntakeCheck, "filledByUsername"> & { count: number; there: number; told: IntakeCheck["faults"] }
> {
  const told: IntakeCheck["faults"] = [];
  const byUsername: IntakeCheck["filledByUsername"] = [];
  let faults = 0;
  let there = 0;
  const tell = (line: number, { member, reason }: RowFault): void => {
    faults += 1;
    if (told.length < TOLD_FAULTS) told.push({ line, member, reason });
  };
  let batch: Array<PlacedRow & { judged: JudgedRow }> = [];
  const look = async (): Promise<void> => {
    const met = await matchAccounts(dataSource, batch, now);
    for (const [index, { line }] of batch.entries()) {
      const found = met[index] ?? null;
      if (found === null) continue;
      if ("fault" in found) tell(line, found.fault);
      else {
        const fault = plan.existing === "fill" ? faultOfFilling(plan, found) : null;
        if (fault !== null) tell(line, fault);
        else there += 1;
        if (fault === null && plan.existing === "fill" && found.by === "username")
          byUsername.push({ line, username: found.account.usernameKey ?? "", accountId: found.account.id });
      }
    }
    batch = [];
  };
  for await (const row of judgedRows(plan, parts, {})) {
    if ("reason" in row.judged) tell(row.line, row.judged);
    else batch.push({ ...row, judged: row.judged });
    if (batch.length === BATCH) await look();
  }
  await look();
  return { count: faults, there, told, filledByUsername: byUsername };
}

/** The account that a row would be, where it is there already; or why it can be none. */
export type ExistingMatch =
  | {
      readonly account: Awaited<ReturnType<typeof findExisting>>[number];
      /** By what they are the same. */
      readonly by: "email" | "username";
    }
  | { readonly fault: RowFault };

/**
 * Why an account that is there gets nothing from a row: an address that nobody proved may be anybody's, and so may a username. `null`: the
 * plan says that it is filled.
 */
export function faultOfFilling(
  { existing, fillByUsername }: Pick<Plan, "existing" | "fillByUsername">,
  { account: { id, state, emailVerifiedAt }, by }: Exclude<ExistingMatch, { fault: RowFault }>,
): RowFault | null {
  const because = state === "closed" ? ", and is being erased" : "";
  if (existing === "refuse" || state === "closed")
    return { member: "row", reason: `the account already exists${because}: ${id}` };
  if (by === "email" && emailVerifiedAt === null)
    return {
      member: "email",
      reason: `an account with this address exists, but nobody has verified the address, so it may be somebody else's: ${id}`,
    };
  if (by === "username" && !fillByUsername)
    return {
      member: "username",
      reason: `only the username is the same as that of ${id}; with fillByUsername: true in the plan it is filled`,
    };
  return null;
}

/** Why a row cannot have what it wants: somebody had it until a short while ago. */
function faultOfHeld(
  { account }: JudgedRow,
  held: Awaited<ReturnType<typeof findHeld>>,
): Extract<ExistingMatch, { fault: RowFault }> | null {
  const reason = (what: string) => `the ${what} is reserved for the account that had it until recently`;
  if (held.emails.has(account.email?.key ?? ""))
    return { fault: { member: "email", reason: reason("address") } };
  if (held.usernames.has(account.username?.key ?? ""))
    return { fault: { member: "username", reason: reason("username") } };
  return null;
}

/** Looks which rows have an address or a username that is held. Accounts that are there are met by who writes. */
export async function matchReserved(
  { manager }: Pick<DataSource, "manager">,
  rows: ReadonlyArray<{ readonly judged: JudgedRow }>,
  now: Date,
): Promise<Array<ExistingMatch | null>> {
  const emails = rows.flatMap(({ judged }) => judged.account.email?.key ?? []);
  const usernames = rows.flatMap(({ judged }) => judged.account.username?.key ?? []);
  const held = await findHeld(manager, { emails, usernames }, now);
  return rows.map(({ judged }) => faultOfHeld(judged, held));
}

/** Looks which rows meet accounts that are there. Two different accounts are never taken for one. */
export async function matchAccounts(
  { manager }: Pick<DataSource, "manager">,
  rows: ReadonlyArray<{ readonly judged: JudgedRow }>,
  now: Date,
): Promise<Array<ExistingMatch | null>> {
  const emails = rows.flatMap(({ judged: { account } }) => account.email?.key ?? []);
  const usernames = rows.flatMap(({ judged: { account } }) => account.username?.key ?? []);
  const references = rows.flatMap(({ judged: { account } }) => account.reference ?? []);
  const there = await findExisting(manager, { emails, usernames, references });
  const held = await findHeld(manager, { emails, usernames }, now);
  const finderBy = (name: "emailKey" | "usernameKey" | "reference") => {
    const map = new Map(there.map((one) => [one[name], one]));
    return (key: string | null) => (key === null ? null : (map.get(key) ?? null));
  };
  const [byEmail, byUsername, byReference] = [
    finderBy("emailKey"),
    finderBy("usernameKey"),
    finderBy("reference"),
  ];
  return rows.map(({ judged }): ExistingMatch | null => {
    const { account } = judged;
    const email = byEmail(account.email?.key ?? null);
    const username = byUsername(account.username?.key ?? null);
    const reference = byReference(account.reference);
    // Where the row has an address, this alone says whose account it is.
    const main = account.email === null ? username : email;
    const fault = main === null ? faultOfHeld(judged, held) : null;
    if (fault !== null) return fault;
    if (username !== null && username.id !== main?.id)
      return { fault: { member: "username", reason: `another account has it: ${username.id}` } };
    if (reference !== null && reference.id !== main?.id)
      return { fault: { member: "reference", reason: `another account has it: ${reference.id}` } };
    return main === null ? null : { account: main, by: account.email === null ? "username" : "email" };
  });
}

/** A known password, tried on the row that it belongs to. */
class Pair {
  readonly who: string;
  outcome: IntakeCheck["known"][number]["outcome"] = "nobody";
  /** The recipe that was tried. */
  recipe: string | null = null;
  readonly #password: string;
  readonly #keys: ReadonlySet<string>;

  constructor({ who, password }: KnownPassword) {
    this.who = who;
    this.#password = password;
    this.#keys = new Set([who, readEmail(who)?.key ?? who, readUsername(who)?.key ?? who]);
  }

  isOf({ account: { email, username, reference } }: SurveyedRow): boolean {
    return [email?.key, username?.key, reference].some(
      (key) => typeof key === "string" && this.#keys.has(key),
    );
  }

  async try(password: JudgedPassword, peppers: Peppers): Promise<void> {
    this.recipe = password.kind === "digest" ? password.recipe : null;
    const prepared = preparePassword(this.#password);
    const isRight =
      (prepared.ok && (await fitsJudged(password, prepared.text, peppers))) ||
      (await fitsJudged(password, this.#password, peppers));
    this.outcome = isRight ? "right" : "wrong";
  }
}

async function fitsJudged(judged: JudgedPassword, typed: string, peppers: Peppers): Promise<boolean> {
  switch (judged.kind) {
    case "none":
      return false;
    case "plain":
      return judged.text === typed;
    case "record":
      return checkRecord(typed, readRecord(judged.record), peppers);
    case "digest": {
      const made = await digestByRecipe(readRecipe(judged.recipe), {
        ...inputOf(judged.along),
        password: typed,
      });
      return made !== null && equalInConstantTime(made, judged.digest);
    }
  }
}

function inputOf({ salt, username, email }: LegacyHashInput): Omit<RecipeInput, "password"> {
  return {
    ...(salt === null ? {} : { salt }),
    ...(username === null ? {} : { username }),
    ...(email === null ? {} : { email }),
  };
}
