/**
 * A stored password of whatever kind, as something that a typed one is checked against: a record of our own or of another system, an
 * old digest that was wrapped, and one that lies sealed until it is.
 */
import type { PasswordRecord, Peppers, Recipe, RecipeInput } from "@lucchetto/core";
import {
  checkRecord,
  checkWrapped,
  digestByRecipe,
  equalInConstantTime,
  HASH_LENGTH,
  isOutdated,
  openDigest,
  PhcReadError,
  readRecipe,
  readRecord,
  readSealedDigest,
  RecipeError,
  SchemeError,
  schemeTextOf,
} from "@lucchetto/core";
import type { ServiceContext } from "../../records/context.ts";
import type { StoredPassword, TypedPassword } from "../../records/password/checking.ts";
import type { Imported } from "../../records/password/imported-store.ts";
import { findImported } from "../../records/password/imported-store.ts";

/** A stored text that no password can be checked against, and why. */
export interface UnusableRecord {
  readonly unusable: "unreadable" | `pepper-key-missing ${string}`;
}

const UNREADABLE: UnusableRecord = { unusable: "unreadable" };

type Needs = Pick<ServiceContext, "hashing" | "dataSource" | "sealingKeys">;

/**
 * A stored text as what it is, or why it is nothing that can be computed.
 * @param accountId `null`: a registration that waits, with which nothing came along.
 * @param insteadOfRecipe a recipe that is tried in place of the account's.
 */
export async function readStored(
  context: Needs,
  { record: text, accountId }: { readonly record: string; readonly accountId: string | null },
  insteadOfRecipe?: string,
): Promise<StoredPassword | UnusableRecord> {
  const { hashing, dataSource } = context;
  const sealed = readSealedDigest(text);
  const record = sealed === null ? readOrNull(text) : null;
  if (sealed === null && record === null) return UNREADABLE;
  const isOld = record === null || isOutdated(record, hashing.scheme) || record.hash.length !== HASH_LENGTH;
  // Whatever is exactly as ours are was made here.
  const found = accountId !== null && isOld ? await findImported(dataSource, accountId) : null;
  const imported =
    found === null || insteadOfRecipe === undefined ? found : { ...found, recipeText: insteadOfRecipe };
  if (record !== null && faultOfLength(record, found) !== null) return UNREADABLE;
  if (record !== null) return readUsual(hashing.peppers, record, { isOld, imported });
  if (sealed === null || accountId === null) return UNREADABLE;
  const digest = openDigest(context.sealingKeys, sealed, accountId);
  if (digest === null) return { unusable: `pepper-key-missing ${sealed.keyId}` };
  const old = oldWayOf(imported);
  if (old === null || imported === null) return UNREADABLE;
  return {
    schemeText: schemeTextOf(text),
    isOutdated: true,
    intakeId: intakeOf(imported),
    matches: (shown) =>
      anySpelling(shown, async (password) => {
        const made = await old(password);
        return made !== null && equalInConstantTime(made, digest);
      }),
  };
}

function readUsual(
  peppers: Peppers,
  record: PasswordRecord,
  { isOld, imported }: { isOld: boolean; imported: Imported | null },
): StoredPassword | UnusableRecord {
  const { pepper, recipe, text: schemeText } = record.scheme;
  if (pepper !== null && !peppers.has(pepper)) return { unusable: `pepper-key-missing ${pepper}` };
  const base = { schemeText, isOutdated: isOld, intakeId: intakeOf(imported) };
  if (recipe === null)
    return {
      ...base,
      matches: (shown) =>
        imported === null
          ? checkRecord(shown.prepared, record, peppers)
          : anySpelling(shown, (password) => checkRecord(password, record, peppers)),
    };
  const old = oldWayOf(imported);
  if (old === null) return UNREADABLE;
  return {
    ...base,
    matches: (shown) =>
      anySpelling(shown, async (password) => checkWrapped(await old(password), record, peppers)),
  };
}

/**
 * Why a record's hash has not the length that its scheme makes: the beginning of a hash would match as well as the whole. One that came from
 * elsewhere has the length that it came with.
 */
export function faultOfLength({ hash, scheme }: PasswordRecord, imported: Imported | null): string | null {
  const cameAsItIs = imported !== null && imported.replacedAt === null && imported.recipe === null;
  const wanted = cameAsItIs ? imported.hashBytes : (scheme.algorithm.fixedLength ?? HASH_LENGTH);
  if (wanted === null || hash.length === wanted) return null;
  return `the hash has ${hash.length} bytes; as it was stored it had ${wanted}`;
}

/** The record to check a password against: none where there is none or it cannot be used. */
export function checkable(stored: StoredPassword | UnusableRecord | null): StoredPassword | null {
  return stored === null || "unusable" in stored ? null : stored;
}

function readOrNull(text: string): PasswordRecord | null {
  try {
    return readRecord(text);
  } catch (error) {
    if (error instanceof PhcReadError || error instanceof SchemeError) return null;
    throw error;
  }
}

/** While it stands as it came. */
function intakeOf(imported: Imported | null): string | null {
  return imported === null || imported.replacedAt !== null ? null : imported.intakeId;
}

/** Prepared, and where that differs as it was typed: old systems hashed it raw. */
async function anySpelling(
  { prepared, typed }: TypedPassword,
  fits: (password: string) => Promise<boolean>,
): Promise<boolean> {
  return (await fits(prepared)) || (typed !== prepared && (await fits(typed)));
}

/** Makes the old digest of a password, with what the account brought along. */
function oldWayOf(imported: Imported | null): ((password: string) => Promise<Uint8Array | null>) | null {
  if (imported === null || imported.recipeText === null) return null;
  const recipe = readRecipeOrNull(imported.recipeText);
  if (recipe === null) return null;
  const along = inputOf(imported);
  return (password) => digestByRecipe(recipe, { ...along, password });
}

/** What an account brought along, as recipes take it. */
function inputOf({
  salt,
  isSaltText,
  username,
  email,
}: Pick<Imported, "salt" | "isSaltText" | "username" | "email">): Omit<RecipeInput, "password"> {
  return {
    ...(salt === null ? {} : { salt: isSaltText ? salt.toString("utf8") : salt }),
    ...(username === null ? {} : { username }),
    ...(email === null ? {} : { email }),
  };
}

function readRecipeOrNull(text: string): Recipe | null {
  try {
    return readRecipe(text);
  } catch (error) {
    if (error instanceof RecipeError) return null;
    throw error;
  }
}
