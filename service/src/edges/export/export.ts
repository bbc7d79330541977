/** An export: all accounts with what they sign in with, streamed into a file that only its owner may read. */
import { once } from "node:events";
import type { WriteStream } from "node:fs";
import { createWriteStream } from "node:fs";
import { rm } from "node:fs/promises";
import { finished } from "node:stream/promises";
import type { ExportResult } from "@lucchetto/contract";
import { writeBase32 } from "@lucchetto/core";
import type { DataSource } from "typeorm";
import { In, IsNull, MoreThan, Not } from "typeorm";
import type {
  AccountRow,
  AuthenticatorRow,
  ImportedPasswordRow,
  PasskeyRow,
  PasswordRecordRow,
  RecoveryCodeRow,
} from "../../base/storage/index.ts";
import {
  AccountEntity,
  AuthenticatorEntity,
  ImportedPasswordEntity,
  inTransaction,
  PasskeyEntity,
  PasswordRecordEntity,
  RecipeEntity,
  RecoveryCodeEntity,
} from "../../base/storage/index.ts";
import { BY_COMMAND } from "../../records/context.ts";
import { record } from "../../records/journal/journal.ts";
import { recordAndTell } from "../../records/journal/mails.ts";
import { openSecret } from "../../records/second-factor/secret.ts";
import type { IntakeNeeds } from "../intake/written.ts";
import type { ExportedAccount, ExportHead } from "./form.ts";
import { EXPORT_VERSION } from "./form.ts";
import { newLineSealer } from "./line-seal.ts";
import { ExportRefusal } from "./refusal.ts";
import { sealTo } from "./sealed-secret.ts";

const AT_ONCE = 500;

/**
 * Writes it. Accounts that are being erased are left out; so are factors that were removed.
 * @param to the file; it must not be there yet. @param key PEM of the public key that secrets are sealed to; `null`: they are left out.
 * @throws ExportRefusal.
 */
export async function exportAccounts(
  needs: IntakeNeeds,
  { to, key }: { to: string; key: string | null },
  onProgress: (rows: number) => void,
): Promise<ExportResult> {
  const sealed = key === null ? null : await sealTo(key);
  const file = createWriteStream(to, { flags: "wx", mode: 0o600 });
  await once(file, "open").catch((error: unknown) => {
    throw new ExportRefusal(`${to} cannot be written: ${(error as Error).message}`, { cause: error });
  });
  try {
    // Before anything is read: whoever breaks it off has what was written until then.
    await tell(needs);
    return await writeAccounts(needs, { file, sealed }, onProgress);
  } catch (error) {
    file.destroy();
    await rm(to, { force: true });
    if (!(error instanceof Error && "syscall" in error && "path" in error)) throw error;
    throw new ExportRefusal(`${to} could not be written completely, and was removed: ${error.message}`, {
      cause: error,
    });
  }
}

async function writeAccounts(
  { configuration, dataSource, clock }: IntakeNeeds,
  { file, sealed }: { file: WriteStream; sealed: Awaited<ReturnType<typeof sealTo>> | null },
  onProgress: (rows: number) => void,
): Promise<ExportResult> {
  const { keyRing } = configuration;
  const isSealed = keyRing !== null || sealed !== null;
  const result = { accounts: 0, passwords: 0, passkeys: 0, authenticators: 0, leftOut: 0, isSealed };
  // Write errors surface at the next write.
  const ended = finished(file);
  ended.catch(() => undefined);
  const sealer = await newLineSealer(keyRing, sealed);
  let line = 0;
  const write = async (value: object): Promise<void> => {
    line += 1;
    if (!file.write(`${sealer.write(line, value)}\n`)) await Promise.race([once(file, "drain"), ended]);
  };
  const recipes = await dataSource.getRepository(RecipeEntity).find({ order: { id: "ASC" } });
  await write({
    lucchettoExport: EXPORT_VERSION,
    madeAt: clock.now().toISOString(),
    site: configuration.site.name,
    relyingPartyId: configuration.passkeys.relyingPartyId,
    sealedTo: sealed?.thumbprint ?? null,
    sealKey: sealer.sealKey,
    recipes: recipes.map(({ id, text }) => ({ id, text })),
  } satisfies ExportHead);
  let after = "00000000-0000-0000-0000-000000000000";
  for (;;) {
    const accounts = await dataSource
      .getRepository(AccountEntity)
      .find({ where: { id: MoreThan(after), state: Not("closed") }, order: { id: "ASC" }, take: AT_ONCE });
    if (accounts.length === 0) break;
    const parts = await partsOf(dataSource, accounts);
    for (const account of accounts) {
      const { authenticators, ...rest } = parts(account.id);
      const shown: ExportedAccount["authenticators"] = [];
      for (const row of authenticators) {
        const secret = sealed === null || keyRing === null ? null : openSecret({ sealingKeys: keyRing }, row);
        if (secret === null || sealed === null) result.leftOut += 1;
        else shown.push(showAuthenticator(row, await sealed.seal(writeBase32(secret))));
      }
      await write(showAccount(account, { ...rest, authenticators: shown }));
      result.accounts += 1;
      result.passwords += rest.password === null ? 0 : 1;
      result.passkeys += rest.passkeys.length;
      result.authenticators += shown.length;
    }
    after = accounts.at(-1)?.id ?? after;
    onProgress(result.accounts);
  }
  await write({ accounts: result.accounts });
  file.end();
  await ended;
  return result;
}

/** An export is grave: it is journalled, and all operators hear of it. */
async function tell({ configuration, dataSource, clock }: IntakeNeeds): Promise<void> {
  const { keyRing } = configuration;
  const visit = BY_COMMAND;
  await inTransaction(dataSource, async (manager) => {
    const happening = { event: { kind: "accounts.exported" }, visit, now: clock.now() } as const;
    // Without a ring no mail waits sealed from one process to the other.
    if (keyRing === null) return record({ configuration }, manager, happening);
    const operators = { about: configuration.site.name, by: "lucchetto export" };
    const parts = { configuration, clock, sealingKeys: keyRing };
    await recordAndTell(parts, manager, { ...happening, readers: { operators } });
  });
}

interface Parts {
  readonly password: ExportedAccount["password"];
  readonly passkeys: ExportedAccount["passkeys"];
  readonly recoveryCodes: ExportedAccount["recoveryCodes"];
  readonly authenticators: readonly AuthenticatorRow[];
}

/** What some accounts have, each kind in one question. */
async function partsOf(
  dataSource: DataSource,
  accounts: readonly AccountRow[],
): Promise<(accountId: string) => Parts> {
  const of = { accountId: In(accounts.map(({ id }) => id)) };
  const stands = { ...of, removedAt: IsNull() };
  const records = await dataSource.getRepository(PasswordRecordEntity).findBy(of);
  const imported = await dataSource
    .getRepository(ImportedPasswordEntity)
    .findBy({ ...of, replacedAt: IsNull() });
  const passkeys = await dataSource
    .getRepository(PasskeyEntity)
    .find({ where: stands, order: { id: "ASC" } });
  const authenticators = await dataSource
    .getRepository(AuthenticatorEntity)
    .find({ where: { ...stands, activatedAt: Not(IsNull()) }, order: { id: "ASC" } });
  const codes = await dataSource
    .getRepository(RecoveryCodeEntity)
    .find({ where: stands, order: { codeHash: "ASC" } });
  return (accountId) => {
    const mine = <Row extends { accountId: string }>(rows: readonly Row[]): Row[] =>
      rows.filter((row) => row.accountId === accountId);
    const [stored = null] = mine(records);
    return {
      password: stored && showPassword(stored, mine(imported)[0] ?? null),
      passkeys: mine(passkeys).map(showPasskey),
      recoveryCodes: mine(codes).map(showCode),
      authenticators: mine(authenticators),
    };
  };
}

function showAccount(
  row: AccountRow,
  parts: Pick<ExportedAccount, "password" | "passkeys" | "recoveryCodes" | "authenticators">,
): ExportedAccount {
  const { id, reference, email, username, displayName, state, labels, language, mustChangePassword } = row;
  return {
    ...{ id, reference, email, emailVerifiedAt: iso(row.emailVerifiedAt), username, displayName },
    ...{ state, labels, language, mustChangePassword },
    createdAt: row.createdAt.toISOString(),
    lastSignInAt: iso(row.lastSignInAt),
    userHandle: text(row.userHandle),
    isOpenlyRegistered: row.isOpenlyRegistered,
    isAddressCorrected: row.isAddressCorrected,
    wantsMailedProof: row.wantsMailedProof,
    firstPasswordUntil: iso(row.firstPasswordUntil),
    ...parts,
  };
}

function showPassword(
  { record: stored, setAt, madeAt, isShort }: PasswordRecordRow,
  imported: ImportedPasswordRow | null,
): NonNullable<ExportedAccount["password"]> {
  return {
    record: stored,
    setAt: setAt.toISOString(),
    madeAt: madeAt.toISOString(),
    isShort,
    imported:
      imported === null
        ? null
        : {
            recipe: imported.recipe,
            salt: text(imported.salt),
            isSaltText: imported.isSaltText,
            username: imported.username,
            email: imported.email,
          },
  };
}

function showPasskey(row: PasskeyRow): ExportedAccount["passkeys"][number] {
  const { id, name, algorithm, signCount, userVerified, backupEligible, backedUp, transports } = row;
  return {
    ...{ id, name, algorithm, signCount, userVerified, backupEligible, backedUp, transports },
    credentialId: row.credentialId.toString("base64url"),
    publicKey: row.publicKey.toString("base64url"),
    aaguid: row.aaguid.toString("base64url"),
    attestation: row.attestation,
    relyingPartyId: row.relyingPartyId,
    createdAt: row.createdAt.toISOString(),
    lastUsedAt: iso(row.lastUsedAt),
  };
}

function showAuthenticator(row: AuthenticatorRow, secret: string): ExportedAccount["authenticators"][number] {
  const { id, name, algorithm, digits, period, lastStep, isShort, createdAt, activatedAt, lastUsedAt } = row;
  return {
    ...{ id, name, algorithm, digits, period, lastStep, isShort },
    createdAt: createdAt.toISOString(),
    activatedAt: (activatedAt ?? createdAt).toISOString(),
    lastUsedAt: iso(lastUsedAt),
    secret,
  };
}

function showCode({
  codeHash,
  keyId,
  createdAt,
  usedAt,
}: RecoveryCodeRow): ExportedAccount["recoveryCodes"][number] {
  return {
    codeHash: codeHash.toString("base64url"),
    keyId,
    createdAt: createdAt.toISOString(),
    usedAt: iso(usedAt),
  };
}

const iso = (at: Date | null): string | null => at?.toISOString() ?? null;
const text = (bytes: Buffer | null): string | null => bytes?.toString("base64url") ?? null;
