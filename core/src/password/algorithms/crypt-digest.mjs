/**
 * The digests of `crypt(3)` on Unix systems, for records that come from elsewhere: `$5$` and `$6$` (SHA-crypt, version 0.6 of its
 * description of 2007) and `$1$`. The primitives are node's own.
 */
import { createHash } from "node:crypto";

/**
 * @param {Uint8Array} block @param {number} length
 * @returns {Buffer} the block over and over, so many bytes of it.
 */
function filled(block, length) {
  return Buffer.concat(Array(Math.ceil(length / block.length)).fill(block), length);
}

/**
 * SHA-crypt.
 * @param {"sha256" | "sha512"} digest
 * @param {{ password: Uint8Array, salt: Uint8Array, rounds: number }} of salt: at most 16 bytes.
 * @returns {Buffer} the digest in its own order, before it is written in letters.
 */
export function shaCrypt(digest, { password, salt, rounds }) {
  /** @param {Uint8Array[]} parts */
  const hash = (...parts) => {
    const made = createHash(digest);
    for (const part of parts) made.update(part);
    return made.digest();
  };
  const { length } = password;
  const alternate = hash(password, salt, password);
  const parts = [password, salt, length === 0 ? Buffer.alloc(0) : filled(alternate, length)];
  for (let bits = length; bits > 0; bits >>= 1) parts.push((bits & 1) === 1 ? alternate : password);
  let state = hash(...parts);
  const ofPassword = length === 0 ? Buffer.alloc(0) : filled(hash(...Array(length).fill(password)), length);
  const ofSalt = filled(hash(...Array(16 + (state[0] ?? 0)).fill(salt)), salt.length);
  for (let round = 0; round < rounds; round += 1) {
    const isOdd = (round & 1) === 1;
    const mixed = [isOdd ? ofPassword : state];
    if (round % 3 !== 0) mixed.push(ofSalt);
    if (round % 7 !== 0) mixed.push(ofPassword);
    mixed.push(isOdd ? state : ofPassword);
    state = createHash(digest).update(Buffer.concat(mixed)).digest();
  }
  return state;
}

const MD5_ROUNDS = 1_000;

/**
 * `$1$`: a thousand rounds of MD5.
 * @param {{ password: Uint8Array, salt: Uint8Array }} of salt: at most 8 bytes.
 * @returns {Buffer}
 */
export function md5Crypt({ password, salt }) {
  /** @param {Uint8Array[]} parts */
  const hash = (...parts) => createHash("md5").update(Buffer.concat(parts)).digest();
  const { length } = password;
  const alternate = hash(password, salt, password);
  const parts = [
    password,
    Buffer.from("$1$"),
    salt,
    length === 0 ? Buffer.alloc(0) : filled(alternate, length),
  ];
  for (let bits = length; bits > 0; bits >>= 1)
    parts.push((bits & 1) === 1 ? Buffer.alloc(1) : password.subarray(0, 1));
  let state = hash(...parts);
  for (let round = 0; round < MD5_ROUNDS; round += 1) {
    const isOdd = (round & 1) === 1;
    const mixed = [isOdd ? password : state];
    if (round % 3 !== 0) mixed.push(salt);
    if (round % 7 !== 0) mixed.push(password);
    mixed.push(isOdd ? state : password);
    state = hash(...mixed);
  }
  return state;
}
