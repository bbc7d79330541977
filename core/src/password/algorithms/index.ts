/** The known algorithms, by their PHC name. */
import type { Algorithm } from "./algorithm.ts";
import { argon2id } from "./argon2id.ts";
import { bcrypt2a, bcrypt2b, bcrypt2y, fromBcrypt } from "./bcrypt.ts";
import { pbkdf2Sha256, pbkdf2Sha512 } from "./pbkdf2.ts";
import { scrypt } from "./scrypt.ts";
import { fromUnixCrypt, md5Crypt, sha256Crypt, sha512Crypt } from "./unix-crypt.ts";

export * from "./algorithm.ts";
export { BCRYPT_MAX_BYTES } from "./bcrypt.ts";

/** Every algorithm that a record may name, by its identifier in PHC strings. */
export const ALGORITHMS: ReadonlyMap<string, Algorithm> = new Map(
  [
    ...[scrypt, argon2id, pbkdf2Sha256, pbkdf2Sha512],
    ...[bcrypt2a, bcrypt2b, bcrypt2y, md5Crypt, sha256Crypt, sha512Crypt],
  ].map((one) => [one.id, one]),
);

/**
 * Rewrites what other systems write in modular crypt format (`$2b$…`, `$1$…`, `$5$…`, `$6$…`) as the PHC string kept here.
 * @returns `null` if it is not of such a form.
 * @example
 * ```ts
 * fromModularCrypt("$2b$10$abcdefghijklmnopqrstuuOeOeOeOeOeOeOeOeOeOeOeOeOeOeOeO").startsWith("$bcrypt-2b$cost=10$") // → true
 * ```
 */
export function fromModularCrypt(text: string): string | null {
  return fromBcrypt(text) ?? fromUnixCrypt(text);
}
