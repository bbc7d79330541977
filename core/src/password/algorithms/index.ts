/** The known algorithms, by their PHC name. */
import type { Algorithm } from "./algorithm.ts";
import { argon2id } from "./argon2id.ts";
import { bcrypt2a, bcrypt2b, bcrypt2y } from "./bcrypt.ts";
import { pbkdf2Sha256, pbkdf2Sha512 } from "./pbkdf2.ts";
import { scrypt } from "./scrypt.ts";

export * from "./algorithm.ts";
export { BCRYPT_MAX_BYTES, fromModularCrypt } from "./bcrypt.ts";

export const ALGORITHMS: ReadonlyMap<string, Algorithm> = new Map(
  [scrypt, argon2id, pbkdf2Sha256, pbkdf2Sha512, bcrypt2a, bcrypt2b, bcrypt2y].map((one) => [one.id, one]),
);
