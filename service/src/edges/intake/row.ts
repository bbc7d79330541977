/** One row of a source, judged by a plan: the account that it becomes, or why it becomes none. Rows are judged one by one. */
import { BUILT_IN_LABELS, hasControlCharacter, label } from "@lucchetto/contract";
import type { Identifier, Language, PasswordRecord, TotpSettings } from "@lucchetto/core";
import {
  Base32Error,
  bytesOfRecipeValue,
  fromModularCrypt,
  fromTaggedDigest,
  isWeakAtRest,
  KeyUriError,
  LANGUAGES,
  MAX_OLD_DIGEST,
  MIN_SECRET_BYTES,
  PhcReadError,
  preparePassword,
  readBase32,
  readEmail,
  readKeyUri,
  readRecord,
  readUsername,
  recipeOfScheme,
  SchemeError,
  untaggedCrypt,
  USUAL_TOTP,
} from "@lucchetto/core";
import type { Condition, Flag, Plan, Way } from "./plan.ts";
import type { RowValues } from "./source-row.ts";

/** What a row says of a person. */
interface JudgedAccount {
  readonly email: Identifier<"email"> | null;
  readonly username: Identifier<"username"> | null;
  readonly displayName: string | null;
  readonly reference: string | null;
  readonly labels: readonly string[];
  readonly language: Language | null;
  readonly isVerified: boolean;
  readonly isSuspended: boolean;
  readonly createdAt: Date | null;
  readonly lastSignInAt: Date | null;
}

/** What comes along with an old digest. */
export interface LegacyHashInput {
  readonly salt: Uint8Array | string | null;
  readonly username: string | null;
  readonly email: string | null;
}

/** How the password of a row is kept. */
export type JudgedPassword =
  | { readonly kind: "none" }
  /** Prepared; to be hashed. */
  | { readonly kind: "plain"; readonly text: string }
  /** A record that may lie as it is. */
  | { readonly kind: "record"; readonly record: string }
  /** To be wrapped. */
  | {
      readonly kind: "digest";
      readonly recipe: string;
      readonly digest: Uint8Array;
      readonly along: LegacyHashInput;
    };

export interface JudgedRow {
  readonly account: JudgedAccount;
  readonly password: JudgedPassword;
  readonly authenticator: { readonly secret: Uint8Array; readonly settings: TotpSettings } | null;
}

/** Why a row is not taken. `member`: which part of the plan; never with a secret in the reason. */
export interface RowFault {
  readonly member: string;
  readonly reason: string;
}

type Values = Pick<RowValues, "get">;

class RowRejected extends Error {
  readonly member: string;
  constructor(member: string, reason: string) {
    super(reason);
    this.member = member;
  }
}

/** @param pepperIds keys of the ring: a record that is peppered under another one can never be checked. */
export function judgeRow(plan: Plan, values: Values, pepperIds: ReadonlySet<string>): JudgedRow | RowFault {
  try {
    return {
      account: accountOf(plan, values),
      password: passwordOf(plan, values, pepperIds),
      authenticator: authenticatorOf(plan, values),
    };
  } catch (error) {
    if (error instanceof RowRejected) return { member: error.member, reason: error.message };
    throw error;
  }
}

/** What a first pass has to know of a row; it costs half of a whole judgement. */
export interface SurveyedRow {
  readonly account: Pick<JudgedAccount, "email" | "username" | "reference">;
  readonly password: JudgedPassword;
}

/** @returns `null` for a row that is refused for this already. */
export function surveyRow(plan: Plan, values: Values, pepperIds: ReadonlySet<string>): SurveyedRow | null {
  try {
    return { account: identifiersOf(plan, values), password: passwordOf(plan, values, pepperIds) };
  } catch (error) {
    if (error instanceof RowRejected) return null;
    throw error;
  }
}

/** The columns that a plan names. */
function namedColumns({ columns, ways }: Plan): ReadonlySet<string> {
  const named = new Set<string>();
  for (const one of Object.values(columns)) {
    if (typeof one === "string") named.add(one);
    else if (typeof one === "object" && "column" in one) named.add(one.column);
  }
  for (const way of ways) {
    if (way.when !== undefined) named.add(way.when.column);
    if (way.kind === "none") continue;
    named.add(way.column);
    if (way.kind !== "recipe") continue;
    for (const one of [way.salt, way.username, way.email]) if (one !== undefined) named.add(one);
  }
  return named;
}

/**
 * The columns whose values may stand in reports: those that a plan names, without the secret ones. What is in a column that it does
 * not name nobody knows.
 */
export function reportableColumns(plan: Plan): ReadonlySet<string> {
  const told = new Set(namedColumns(plan));
  if (plan.columns.totpSecret !== undefined) told.delete(plan.columns.totpSecret);
  for (const way of plan.ways) {
    // What is looked at by its form, and not by a word, is a hash.
    if (way.when !== undefined && way.when.is === undefined) told.delete(way.when.column);
    if (way.kind !== "none") told.delete(way.column);
    if (way.kind === "recipe" && way.salt !== undefined) told.delete(way.salt);
  }
  return told;
}

/** Columns that a plan names and a source lacks. */
export function missingColumns(plan: Plan, found: Iterable<string>): string[] {
  const there = new Set(found);
  return [...namedColumns(plan)].filter((one) => !there.has(one));
}

/** What stands in a column; `null` for nothing. */
function textIn(values: Values, column: string | undefined): string | null {
  const text = column === undefined ? null : (values.get(column) ?? null);
  return text === null || text === "" ? null : text;
}

function identifiersOf({ columns }: Plan, values: Values): SurveyedRow["account"] {
  const email = identifierIn(values, columns.email, "email", readEmail, "not a valid e-mail address");
  const username = identifierIn(
    values,
    columns.username,
    "username",
    readUsername,
    "not a valid username: 2 to 40 letters, digits, dots, dashes and underscores",
  );
  if (email === null && username === null)
    throw new RowRejected("email", "neither an e-mail address nor a username, so nobody could sign in");
  return { email, username, reference: lineIn(values, columns.reference, "reference", 190) };
}

function accountOf(plan: Plan, values: Values): JudgedAccount {
  const { columns } = plan;
  const { email, username, reference } = identifiersOf(plan, values);
  return {
    email,
    username,
    reference,
    displayName: lineIn(values, columns.displayName, "displayName", 80),
    labels: labelsOf(columns.labels, values),
    language: languageOf(columns.language, values),
    isVerified: email !== null && readFlag(columns.verified, values, "verified"),
    isSuspended: readFlag(columns.suspended, values, "suspended"),
    createdAt: timeIn(values, columns.createdAt, "createdAt"),
    lastSignInAt: timeIn(values, columns.lastSignInAt, "lastSignInAt"),
  };
}

function identifierIn<Kind extends "email" | "username">(
  values: Values,
  column: string | undefined,
  member: Kind,
  read: (typed: string) => Identifier<Kind> | null,
  fault: string,
): Identifier<Kind> | null {
  const text = textIn(values, column)?.trim() ?? "";
  if (text === "") return null;
  const found = read(text);
  if (found === null) throw new RowRejected(member, `column "${column}": ${fault}`);
  return found;
}

/** What needs no further look. */
const PRINTED_ASCII = /^[ -~]*$/;

function lineIn(values: Values, column: string | undefined, member: string, most: number): string | null {
  const typed = textIn(values, column)?.trim() ?? "";
  if (typed === "") return null;
  const isPlain = PRINTED_ASCII.test(typed);
  const text = isPlain ? typed : typed.normalize("NFC");
  if (!isPlain && hasControlCharacter(text))
    throw new RowRejected(member, `column "${column}": control characters`);
  if (text.length > most) throw new RowRejected(member, `column "${column}": longer than ${most} characters`);
  return text;
}

const MAX_LABELS = 20;

function labelsOf(from: Plan["columns"]["labels"], values: Values): readonly string[] {
  if (from === undefined) return [];
  if ("value" in from) return from.value;
  const found = (textIn(values, from.column) ?? "")
    .split(from.separator)
    .map((one) => one.trim().toLowerCase())
    .filter((one) => one !== "" && (from.only === undefined || from.only.includes(one)));
  for (const one of found) {
    if (BUILT_IN_LABELS.includes(one))
      throw new RowRejected(
        "labels",
        `column "${from.column}": an import cannot assign ${one}; do it in the console afterwards`,
      );
    if (!label.safeParse(one).success)
      throw new RowRejected(
        "labels",
        `column "${from.column}": not a valid label: a-z, 0-9, dot, dash, underscore`,
      );
  }
  if (found.length > MAX_LABELS)
    throw new RowRejected("labels", `column "${from.column}": more than ${MAX_LABELS} labels`);
  return [...new Set(found)];
}

function languageOf(from: Plan["columns"]["language"], values: Values): Language | null {
  if (from === undefined) return null;
  if (typeof from !== "string") return from.value;
  const text = textIn(values, from)?.slice(0, 2).toLowerCase();
  return LANGUAGES.find((one) => one === text) ?? null;
}

const NO = /^(?:0|f|n|false|no|)$/i;

function readFlag(from: Flag, values: Values, member: string): boolean {
  if (typeof from === "boolean") return from;
  const text = textIn(values, from.column) ?? "";
  if (from.when.includes(text)) return true;
  if (from.not.includes(text) || NO.test(text)) return false;
  throw new RowRejected(
    member,
    `column "${from.column}": neither a yes (${from.when.join(", ")}) nor a no: ${["empty, 0, false, no", ...from.not].join(", ")}`,
  );
}

const DATE = /^(\d{4}-\d{2}-\d{2})(?:[T ](\d{2}:\d{2}(?::\d{2}(?:\.\d{1,6})?)?))?\s*(Z|[+-]\d{2}:?\d{2})?$/;
/** Before it nobody had an account on the web. */
const EARLIEST = Date.UTC(1990, 0, 1);
const LATEST = Date.UTC(2100, 0, 1);

/** A time as ISO 8601 or as databases write it, UTC unless it says otherwise; or seconds or milliseconds since 1970. */
function timeIn(values: Values, column: string | undefined, member: string): Date | null {
  const text = textIn(values, column)?.trim() ?? "";
  if (text === "" || /^0000-00-00/.test(text)) return null;
  const time = readTime(text);
  if (time === null || !(time >= EARLIEST && time < LATEST))
    throw new RowRejected(member, `column "${column}": not a time such as 2019-05-04 17:30:00 or 1556991000`);
  return new Date(time);
}

function readTime(text: string): number | null {
  if (/^\d{9,10}$/.test(text)) return Number(text) * 1_000;
  if (/^\d{12,13}$/.test(text)) return Number(text);
  const [, day, time = "00:00", offset = "Z"] = DATE.exec(text) ?? [];
  if (day === undefined) return null;
  const written = `${day}T${time.length === 5 ? `${time}:00` : time}${offset.replace(/^([+-]\d{2})(\d{2})$/, "$1:$2")}`;
  const read = Date.parse(written);
  // A day that is not in the calendar would be taken for one of the next month's.
  const isThere = !Number.isNaN(read) && new Date(Date.parse(day)).getUTCDate() === Number(day.slice(8));
  return isThere ? read : null;
}

function authenticatorOf({ columns }: Plan, values: Values): JudgedRow["authenticator"] {
  const text = textIn(values, columns.totpSecret)?.trim() ?? "";
  if (text === "") return null;
  const member = "totpSecret";
  const where = `column "${columns.totpSecret}"`;
  try {
    const { secret, settings } = /^otpauth:/i.test(text)
      ? readKeyUri(text, 0)
      : { secret: readBase32(text), settings: USUAL_TOTP };
    if (secret.length < MIN_SECRET_BYTES)
      throw new RowRejected(
        member,
        `${where}: ${secret.length * 8} bits; at least ${MIN_SECRET_BYTES * 8} are required`,
      );
    return { secret, settings };
  } catch (error) {
    if (error instanceof Base32Error || error instanceof KeyUriError)
      throw new RowRejected(member, `${where}: neither base32 nor a key URI`);
    throw error;
  }
}

function fits({ column, is, begins, hex }: Condition, values: Values): boolean {
  const text = values.get(column) ?? "";
  if (is !== undefined) return typeof is === "string" ? text === is : is.includes(text);
  if (begins !== undefined) return text.startsWith(begins);
  return text.length === hex && /^[0-9a-f]+$/i.test(text);
}

function passwordOf(plan: Plan, values: Values, pepperIds: ReadonlySet<string>): JudgedPassword {
  if (plan.ways.length === 0) return { kind: "none" };
  const way = plan.ways.find((one) => one.when === undefined || fits(one.when, values));
  if (way === undefined)
    throw new RowRejected(
      "passwords",
      "no entry under passwords matches its columns; add one in the plan (`kind: none` for rows without a usable password)",
    );
  if (way.kind === "none") return { kind: "none" };
  const text = values.get(way.column) ?? "";
  if (text === "")
    throw new RowRejected(
      "passwords",
      `column "${way.column}": it is empty; add an entry of kind none for such rows`,
    );
  switch (way.kind) {
    case "plain":
      return plainOf(text, way.column);
    case "hash":
      return hashOf(text, way.column, pepperIds);
    case "recipe":
      return digestOf(plan, way, text, values);
  }
}

function plainOf(text: string, column: string): JudgedPassword {
  const prepared = preparePassword(text);
  if (!prepared.ok)
    throw new RowRejected(
      "passwords",
      `column "${column}": this password cannot be used here: ${prepared.fault}`,
    );
  return { kind: "plain", text: prepared.text };
}

const NO_LEGACY_INPUT: LegacyHashInput = { salt: null, username: null, email: null };

/** A hash that says itself what it is. */
function hashOf(text: string, column: string, pepperIds: ReadonlySet<string>): JudgedPassword {
  const tagged = fromTaggedDigest(text);
  if (tagged !== null)
    return {
      kind: "digest",
      recipe: tagged.recipe,
      digest: tagged.digest,
      along: { ...NO_LEGACY_INPUT, salt: tagged.salt },
    };
  const bare = untaggedCrypt(text) ?? text;
  const phc = fromModularCrypt(bare) ?? bare;
  const record = readRecordOf(phc, column);
  const { scheme, salt, hash } = record;
  if (scheme.recipe !== null)
    throw new RowRejected("passwords", `column "${column}": a wrapped record, whose recipe is not here`);
  if (scheme.pepper !== null && !pepperIds.has(scheme.pepper))
    throw new RowRejected(
      "passwords",
      `column "${column}": peppered with key ${scheme.pepper}, which is not in the key ring`,
    );
  const recipe = isWeakAtRest(scheme) ? recipeOfScheme(scheme, hash.length) : null;
  if (recipe === null) return { kind: "record", record: phc };
  return { kind: "digest", recipe, digest: hash, along: { ...NO_LEGACY_INPUT, salt } };
}

function readRecordOf(phc: string, column: string): PasswordRecord {
  try {
    return readRecord(phc);
  } catch (error) {
    if (error instanceof PhcReadError || error instanceof SchemeError)
      throw new RowRejected("passwords", `column "${column}": not a readable hash: ${error.message}`);
    throw error;
  }
}

type RecipeWay = Extract<Way, { kind: "recipe" }>;

function digestOf(plan: Plan, way: RecipeWay, text: string, values: Values): JudgedPassword {
  const { read } = way;
  const stored = way.stored ?? (read.kind === "text" ? "text" : "hex");
  const digest = decoded(stored, text);
  const where = `column "${way.column}"`;
  if (digest === null) throw new RowRejected("passwords", `${where}: it is not ${stored}`);
  const bytes = bytesOfRecipeValue(digest);
  if (bytes.length > MAX_OLD_DIGEST)
    throw new RowRejected("passwords", `${where}: longer than ${MAX_OLD_DIGEST} bytes`);
  if (read.exactly !== null && bytes.length !== read.exactly)
    throw new RowRejected("passwords", `${where}: ${bytes.length} long; the recipe returns ${read.exactly}`);
  const brought = (name: "salt" | "username" | "email", column: string | undefined): string | null => {
    if (!read.uses.includes(name)) return null;
    const value = column === undefined ? undefined : values.get(column);
    if (value === undefined || value === null)
      throw new RowRejected("passwords", `column "${column}": the recipe uses it, but it is empty`);
    return value;
  };
  const salt = brought("salt", way.salt);
  const saltValue = salt === null ? null : decoded(way.saltAs, salt);
  if (salt !== null && saltValue === null)
    throw new RowRejected("passwords", `column "${way.salt}": it is not ${way.saltAs}`);
  return {
    kind: "digest",
    recipe: read.text,
    digest: bytes,
    along: {
      salt: saltValue,
      username: brought("username", way.username ?? plan.columns.username),
      email: brought("email", way.email ?? plan.columns.email),
    },
  };
}

function decoded(as: "text" | "hex" | "base64", text: string): string | Uint8Array | null {
  if (as === "text") return text;
  if (as === "hex") return /^(?:[0-9a-f]{2})+$/i.test(text) ? new Uint8Array(Buffer.from(text, "hex")) : null;
  return /^[A-Za-z0-9+/]+={0,2}$/.test(text) ? new Uint8Array(Buffer.from(text, "base64")) : null;
}
