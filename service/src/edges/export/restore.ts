/**
 * An export taken back: the accounts as they were, with their ids, so that applications and passkeys know them again. It is an intake
 * like any other: it goes on where it stood, changes no account that is there, and gives no label of an operator.
 */
import { createHash, randomBytes } from "node:crypto";
import { createReadStream, statSync } from "node:fs";
import type { RestoreResult } from "@lucchetto/contract";
import { BUILT_IN_LABELS } from "@lucchetto/contract";
import {
  NONCE_LENGTH,
  PhcReadError,
  readEmail,
  readRecipe,
  readRecord,
  readSealedDigest,
  readUsername,
  RecipeError,
  SchemeError,
  schemeTextOf,
  seal,
  sealedUnder,
} from "@lucchetto/core";
import type { AttestationFormat, CoseAlgorithm } from "@lucchetto/core/passkey";
import type { EntityManager } from "typeorm";
import type { Configuration } from "../../base/config/index.ts";
import { linesOf, MAX_LINE_BYTES } from "../../base/lines.ts";
import type {
  AuthenticatorRow,
  ImportedPasswordRow,
  IntakeRow,
  PasskeyRow,
  PasswordRecordRow,
} from "../../base/storage/index.ts";
import { inTransaction } from "../../base/storage/index.ts";
import { findHeld } from "../../records/account/held.ts";
import { secretPlace } from "../../records/second-factor/secret.ts";
import type { OnProgress } from "../intake/check.ts";
import type { AccountRows } from "../intake/store.ts";
import {
  findErased,
  findExisting,
  findIntake,
  findRecipes,
  findUnfinished,
  insertRecipe,
} from "../intake/store.ts";
import type { IntakeNeeds } from "../intake/written.ts";
import { beginIntake, finishIntake, writePart } from "../intake/written.ts";
import type { ExportedAccount, ExportHead } from "./form.ts";
import { exportedAccount, exportEnd, exportHead } from "./form.ts";
import { checkLine, openSealKey, withoutSeal } from "./line-seal.ts";
import { ExportRefusal } from "./refusal.ts";
import { openWith } from "./sealed-secret.ts";

/** How it went. */
interface TakenBack extends Omit<RestoreResult, "report" | "wrapsLater"> {
  readonly intake: IntakeRow;
}

/** Accounts in one transaction. */
const AT_ONCE = 500;

interface Taking {
  readonly path: string;
  /** PEM of the private key that the authenticators' secrets were sealed to; `null`: they are left out. */
  readonly key: string | null;
  /** Takes it in even where its seals cannot be checked, or it has none. */
  readonly isUnsealedAllowed: boolean;
}

/** @throws ExportRefusal, IntakeRefusal. */
export async function restoreExport(
  needs: IntakeNeeds,
  { path, key, isUnsealedAllowed }: Taking,
  onProgress: OnProgress,
): Promise<TakenBack> {
  const { dataSource, configuration } = needs;
  if (key !== null && configuration.keyRing === null)
    throw new ExportRefusal(
      "The secrets of authenticator apps are encrypted with the key ring, but there is none. Create one with `lucchetto keys add`, and set keys.file.",
    );
  const open = key === null ? null : openWith(key);
  const file: SealedLines = { path, sealKey: null };
  const head = await readHead(path);
  if (head.sealKey !== null)
    file.sealKey = await openSealKey(head.sealKey, { keyRing: configuration.keyRing, openSealed: open });
  if (file.sealKey === null && !isUnsealedAllowed) throw new ExportRefusal(uncheckable(path, head));
  const accounts = await survey(file);
  const { size, mtimeMs } = statSync(path);
  const fingerprint = createHash("sha256")
    .update(JSON.stringify([path, size, mtimeMs]))
    .digest();
  const begun = await findUnfinished(dataSource, fingerprint);
  const intake = begun ?? (await begin(needs, { head, fingerprint, isChecked: file.sealKey !== null }));
  const from = Number(intake.position);
  const operators: string[] = [];
  let leftOut = 0;
  let position = 0;
  let batch: Line[] = [];
  const write = async (): Promise<void> => {
    await writeBatch(needs, intake, batch, { from: position - batch.length, to: position });
    batch = [];
    onProgress({ phase: "write", done: position, total: accounts, rows: position });
  };
  for await (const { line, text } of sealedLinesOf(file)) {
    if (line === 1 || line > accounts + 1) continue;
    position += 1;
    const read = await readAccount({ text, line, intake, configuration }, open);
    if ("account" in read) {
      leftOut += read.leftOut;
      if (read.isOperator) operators.push(read.account.email ?? read.account.username ?? read.account.id);
    }
    if (position <= from) continue;
    batch.push(read);
    if (batch.length === AT_ONCE) await write();
  }
  if (batch.length > 0) await write();
  await finishIntake(needs, intake, undefined);
  return {
    intake: (await findIntake(dataSource, intake.id)) ?? intake,
    operators,
    leftOut,
    otherRelyingParty:
      head.relyingPartyId === configuration.passkeys.relyingPartyId ? null : head.relyingPartyId,
    resumedAt: from,
  };
}

/** A file, and the key of its lines' seals; `null` where they are not looked at. */
interface SealedLines {
  readonly path: string;
  sealKey: Uint8Array | null;
}

/** What the file says of itself; nothing of it is believed before its seal was looked at. */
async function readHead(path: string): Promise<ExportHead> {
  for await (const { text } of sealedLinesOf({ path, sealKey: null })) {
    const head = readOrNull(exportHead, text);
    if (head === null) throw new ExportRefusal(`${path} is not an export of this version.`);
    return head;
  }
  throw new ExportRefusal(`${path} is empty.`);
}

function uncheckable(path: string, { sealKey }: ExportHead): string {
  const anyway = "To import it all the same, as it stands: --unsealed. Nothing was changed.";
  if (sealKey === null)
    return `${path} carries no seal, so nobody can tell whether it was changed since it was made. ${anyway}`;
  const ways = [
    ...(sealKey.recipient === null ? [] : ["give its private key with --key"]),
    ...(sealKey.keyRing === null
      ? []
      : [`use the key ring it was made with (key ${sealedUnder(sealKey.keyRing)})`]),
  ];
  return `The seal of ${path} cannot be checked here: ${ways.join(", or ")}. ${anyway}`;
}

/** Looks whether it is whole and as it was made, before anything is written. @returns how many accounts it holds. */
async function survey(file: SealedLines): Promise<number> {
  let last = "";
  let lines = 0;
  for await (const { line, text } of sealedLinesOf(file)) {
    last = text;
    lines = line;
  }
  const end = readOrNull(exportEnd, last);
  if (end === null || end.accounts !== lines - 2)
    throw new ExportRefusal(
      `${file.path} is incomplete: its last line should give the number of accounts. Nothing was changed.`,
    );
  return end.accounts;
}

/** Its lines without their seals, each looked at as it comes. @throws ExportRefusal at the first that is not as it was made. */
async function* sealedLinesOf({
  path,
  sealKey,
}: SealedLines): AsyncGenerator<{ line: number; text: string }> {
  let line = 0;
  try {
    for await (const bytes of linesOf(createReadStream(path) as AsyncIterable<Buffer>)) {
      line += 1;
      if (bytes === null)
        throw new ExportRefusal(
          `${path}, line ${line}: longer than ${MAX_LINE_BYTES / 2 ** 20} MiB. Nothing was changed.`,
        );
      const whole = sealKey === null ? withoutSeal(bytes) : checkLine(sealKey, line, bytes);
      if (whole === null)
        throw new ExportRefusal(
          `${path}, line ${line}: its seal does not fit; the line was changed, moved, added or cut off since the export was made. Take the file as it was exported.`,
        );
      yield { line, text: Buffer.from(whole, "latin1").toString("utf8") };
    }
  } catch (error) {
    if (error instanceof ExportRefusal) throw error;
    throw new ExportRefusal(`${path} cannot be read: ${(error as Error).message}`, { cause: error });
  }
}

function readOrNull<Value>(
  schema: { safeParse(value: unknown): { success: boolean; data?: Value } },
  text: string,
): Value | null {
  try {
    const parsed = schema.safeParse(JSON.parse(text));
    return parsed.success ? (parsed.data ?? null) : null;
  } catch {
    // No JSON: the caller says which line.
    return null;
  }
}

function begin(
  needs: IntakeNeeds,
  { head, fingerprint, isChecked }: { head: ExportHead; fingerprint: Buffer; isChecked: boolean },
): Promise<IntakeRow> {
  const source = `an export of ${head.site}, ${head.madeAt.slice(0, 10)}${isChecked ? "" : ", its seal not checked"}`;
  return beginIntake(needs, { source, plan: "", fingerprint, by: undefined }, async (manager, intake) => {
    const ids = head.recipes.map(({ id }) => id);
    const there = new Map((await findRecipes(manager, ids)).map(({ id, text }) => [id, text]));
    for (const { id, text } of head.recipes) {
      assertSound(id, text);
      const before = there.get(id);
      const recipe = { id, intakeId: intake.id, text, isProven: true, changedAt: intake.startedAt };
      if (before === undefined) await insertRecipe(manager, recipe);
      else if (before !== text)
        throw new ExportRefusal(`There is a different recipe ${id} here: ${before}. Nothing was changed.`);
    }
  });
}

function assertSound(id: string, text: string): void {
  try {
    if (!/^r[0-9a-f]{10}$/.test(id))
      throw new ExportRefusal(`${JSON.stringify(id)} is not a valid recipe id.`);
    readRecipe(text);
  } catch (error) {
    if (error instanceof RecipeError)
      throw new ExportRefusal(`Recipe ${id}: ${error.message}`, { cause: error });
    throw error;
  }
}

/** Everything that one account becomes. */
interface Rows extends AccountRows {
  readonly line: number;
  readonly isOperator: boolean;
  readonly leftOut: number;
}
interface Refused {
  readonly line: number;
  readonly member: string;
  readonly reason: string;
  readonly values: Record<string, string | null>;
}
type Line = Rows | Refused;

async function readAccount(
  {
    text,
    line,
    intake,
    configuration,
  }: { text: string; line: number; intake: IntakeRow; configuration: Configuration },
  open: ((sealed: string) => Promise<string>) | null,
): Promise<Line> {
  const read = readOrNull<ExportedAccount>(exportedAccount, text);
  if (read === null) return { line, member: "row", reason: "it is not an exported account", values: {} };
  const refuse = (member: string, reason: string): Refused => ({
    line,
    member,
    reason,
    values: namesOf(read),
  });
  const email = read.email === null ? null : readEmail(read.email);
  const username = read.username === null ? null : readUsername(read.username);
  if (read.email !== null && email === null) return refuse("email", "not a valid e-mail address");
  if (read.username !== null && username === null) return refuse("username", "not a valid username");
  if (read.state === "closed") return refuse("row", "it is being erased");
  const fault = read.password === null ? null : faultOfRecord(read.password.record, configuration);
  if (fault !== null) return refuse("password", fault);
  const { id: accountId } = read;
  const labels = read.labels.filter((label) => !BUILT_IN_LABELS.includes(label));
  const { keyRing } = configuration;
  const authenticators: AuthenticatorRow[] = [];
  for (const one of read.authenticators) {
    if (open === null || keyRing === null) continue;
    const secret = await open(one.secret);
    authenticators.push({
      ...one,
      accountId,
      sealedSecret: seal(keyRing, secret, secretPlace(one.id), randomBytes(NONCE_LENGTH)),
      ...{ drift: 0, lastOffset: null, removedAt: null, provedSince: null },
      createdAt: new Date(one.createdAt),
      expiresAt: new Date(one.createdAt),
      activatedAt: new Date(one.activatedAt),
      lastUsedAt: dateOf(one.lastUsedAt),
    });
  }
  return {
    line,
    account: {
      id: accountId,
      reference: read.reference,
      email: email?.shown ?? null,
      emailKey: email?.key ?? null,
      emailVerifiedAt: dateOf(read.emailVerifiedAt),
      username: username?.shown ?? null,
      usernameKey: username?.key ?? null,
      displayName: read.displayName,
      state: read.state,
      labels,
      createdAt: new Date(read.createdAt),
      mustChangePassword: read.mustChangePassword,
      lastSignInAt: dateOf(read.lastSignInAt),
      language: read.language,
      ...{ registrationBrowserHash: null, eraseAt: null },
      isOpenlyRegistered: read.isOpenlyRegistered,
      isAddressCorrected: read.isAddressCorrected,
      wantsMailedProof: read.wantsMailedProof,
      firstPasswordUntil: dateOf(read.firstPasswordUntil),
      userHandle: bytesOf(read.userHandle),
      firstProvedAt: dateOf(read.emailVerifiedAt),
      ...{ emailSetAt: null, usernameSetAt: null, suspendedBy: null },
    },
    record: recordOf(read),
    imported: importedOf(read, intake),
    authenticators,
    passkeys: read.passkeys.map((one) => passkeyOf(one, accountId)),
    codes: read.recoveryCodes.map((one) => ({
      accountId,
      codeHash: Buffer.from(one.codeHash, "base64url"),
      keyId: one.keyId,
      createdAt: new Date(one.createdAt),
      usedAt: dateOf(one.usedAt),
      removedAt: null,
      provedSince: null,
    })),
    isOperator: labels.length < read.labels.length,
    leftOut: read.authenticators.length - authenticators.length,
  };
}

const dateOf = (text: string | null): Date | null => (text === null ? null : new Date(text));
const bytesOf = (text: string | null): Buffer | null =>
  text === null ? null : Buffer.from(text, "base64url");

function namesOf({ email, username, reference }: ExportedAccount): Record<string, string | null> {
  return { email, username, reference };
}

/** What could never be checked here is refused, in words. */
function faultOfRecord(record: string, { keyRing }: Configuration): string | null {
  const missing = (keyId: string): string => `it needs key ${keyId}, which is not in this key ring`;
  const sealed = readSealedDigest(record);
  if (sealed !== null) return keyRing?.keys.has(sealed.keyId) === true ? null : missing(sealed.keyId);
  try {
    const { pepper } = readRecord(record).scheme;
    return pepper === null || keyRing?.keys.has(pepper) === true ? null : missing(pepper);
  } catch (error) {
    if (error instanceof PhcReadError || error instanceof SchemeError)
      return `not a readable record: ${error.message}`;
    throw error;
  }
}

function recordOf({ id: accountId, password }: ExportedAccount): PasswordRecordRow | null {
  if (password === null) return null;
  const { record, setAt, madeAt, isShort } = password;
  return {
    ...{ accountId, record, scheme: schemeTextOf(record), isShort },
    setAt: new Date(setAt),
    madeAt: new Date(madeAt),
    ...{ provedSince: null, standsSince: null, setInBrowser: null },
  };
}

function importedOf(
  { id: accountId, password }: ExportedAccount,
  intake: IntakeRow,
): ImportedPasswordRow | null {
  const imported = password?.imported ?? null;
  if (imported === null) return null;
  return {
    ...imported,
    accountId,
    intakeId: intake.id,
    salt: bytesOf(imported.salt),
    hashBytes: null,
    replacedAt: null,
  };
}

function passkeyOf(one: ExportedAccount["passkeys"][number], accountId: string): PasskeyRow {
  return {
    ...one,
    accountId,
    credentialId: Buffer.from(one.credentialId, "base64url"),
    publicKey: Buffer.from(one.publicKey, "base64url"),
    aaguid: Buffer.from(one.aaguid, "base64url"),
    algorithm: one.algorithm as CoseAlgorithm,
    attestation: one.attestation as AttestationFormat,
    createdAt: new Date(one.createdAt),
    lastUsedAt: dateOf(one.lastUsedAt),
    removedAt: null,
    provedSince: null,
  };
}

async function writeBatch(
  { dataSource, clock }: IntakeNeeds,
  intake: IntakeRow,
  lines: readonly Line[],
  place: { from: number; to: number },
): Promise<void> {
  await inTransaction(dataSource, (manager) =>
    writePart(manager, { intake, by: undefined }, place, async () => {
      const { taken, refused } = await partBy(manager, lines, clock.now());
      return { taken, refused: refused.map((one) => ({ ...one, line: String(one.line) })) };
    }),
  );
}

/** Whoever is there already stays as they are. */
async function partBy(
  manager: EntityManager,
  lines: readonly Line[],
  now: Date,
): Promise<{ taken: Rows[]; refused: Refused[] }> {
  const fit = lines.filter((one): one is Rows => "account" in one);
  const refused = lines.filter((one): one is Refused => !("account" in one));
  const emails = fit.flatMap(({ account }) => account.emailKey ?? []);
  const usernames = fit.flatMap(({ account }) => account.usernameKey ?? []);
  const there = await findExisting(manager, {
    emails,
    usernames,
    references: fit.flatMap(({ account }) => account.reference ?? []),
    ids: fit.map(({ account }) => account.id),
  });
  const held = await findHeld(manager, { emails, usernames }, now);
  const erased = await findErased(
    manager,
    fit.map(({ account }) => account.id),
  );
  const known = new Set(
    there.flatMap((one) => [one.id, `e:${one.emailKey}`, `u:${one.usernameKey}`, `r:${one.reference}`]),
  );
  const taken: Rows[] = [];
  for (const one of fit) {
    const { id, emailKey, usernameKey, reference, email, username } = one.account;
    const keys = [
      id,
      ...(emailKey === null ? [] : [`e:${emailKey}`]),
      ...(usernameKey === null ? [] : [`u:${usernameKey}`]),
      ...(reference === null ? [] : [`r:${reference}`]),
    ];
    const isThere = keys.some((key) => known.has(key));
    const isErased = erased.has(id);
    const isHeld = held.emails.has(emailKey ?? "") || held.usernames.has(usernameKey ?? "");
    if (!isThere && !isErased && !isHeld) {
      taken.push(one);
      // Two lines of one export must not be the same person either.
      for (const key of keys) known.add(key);
    } else
      refused.push({
        line: one.line,
        member: "row",
        reason: isThere
          ? "an account with this id, address, username or reference already exists"
          : isErased
            ? "the account was erased after this export was made, and stays erased"
            : "the address or username is reserved for its former owner",
        values: { email, username, reference },
      });
  }
  return { taken, refused };
}
