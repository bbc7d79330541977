/** Records that say themselves what they are, as recipes: where such a record is weak, its hash is wrapped like any other old digest. */
import type { Scheme } from "../password/scheme.ts";

/**
 * The recipe that makes the hash of a record, of the password and the record's salt as bytes.
 * @param length bytes of the hash. @returns `null` for a record with a pepper or a recipe of its own.
 * @example
 * ```ts
 * recipeOfScheme(readScheme("$bcrypt-2b$cost=10"), 23) // → "bcrypt(password, salt, 10)"
 * ```
 */
export function recipeOfScheme(
  { algorithm, parameters, pepper, recipe }: Scheme,
  length: number,
): string | null {
  if (pepper !== null || recipe !== null) return null;
  const { cost, rounds, i, ln, r, p, m, t } = parameters;
  switch (algorithm.id) {
    case "bcrypt-2a":
    case "bcrypt-2b":
    case "bcrypt-2y":
      return `bcrypt(password, salt, ${cost})`;
    case "md5-crypt":
    case "sha256-crypt":
    case "sha512-crypt":
      return `crypt("${algorithm.id.replace("-crypt", "")}", password, salt, ${rounds})`;
    case "pbkdf2-sha256":
    case "pbkdf2-sha512":
      return `pbkdf2("${algorithm.id.replace("pbkdf2-", "")}", password, salt, ${i}, ${length})`;
    case "scrypt":
      return `scrypt(password, salt, ${ln}, ${r}, ${p}, ${length})`;
    case "argon2id":
      return `argon2id(password, salt, ${m}, ${t}, ${p}, ${length})`;
    default:
      return null;
  }
}
