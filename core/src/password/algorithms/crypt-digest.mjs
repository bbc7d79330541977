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
 * The rounds, in which the state is digested again and again with password and salt.
 * @param {(bytes: Buffer) => Buffer} hash
 * @param {Buffer} first
 * @param {{ password: Uint8Array, salt: Uint8Array, rounds: number }} of
 * @returns {Buffer}
 */
function stirred(hash, first, { password, salt, rounds }) {
  let state = first;
  for (let round = 0; round < rounds; round += 1) {
    const isOdd = (round & 1) === 1;
    /** @type {Uint8Array[]} */
    const mixed = [isOdd ? password : state];
    if (round % 3 !== 0) mixed.push(salt);
    if (round % 7 !== 0) mixed.push(password);
    mixed.push(isOdd ? state : password);
    state = hash(Buffer.concat(mixed));
  }
  return state;
}

/**
 * SHA-crypt.
 * @param {"sha256" | "sha512"} digest
 * @param {{ password: Uint8Array, salt: Uint8Array, rounds: number }} of salt: at most 16 bytes.
 * @returns {Buffer} the digest in its own order, before it is written in letters.
 */
export function shaCrypt(digest, { password, salt, rounds }) {
  /** @param {Uint8Array} bytes */
  const hash = (bytes) => createHash(digest).update(bytes).digest();
  /** @param {Uint8Array} block @param {number} times */
  const hashTimes = (block, times) => hash(Buffer.concat(Array(times).fill(block)));
  const { length } = password;
  const alternate = hash(Buffer.concat([password, salt, password]));
  const parts = [password, salt, filled(alternate, length)];
  for (let bits = length; bits > 0; bits >>= 1) parts.push((bits & 1) === 1 ? alternate : password);
  const first = hash(Buffer.concat(parts));
  return stirred(hash, first, {
    password: filled(hashTimes(password, length), length),
    salt: filled(hashTimes(salt, 16 + (first[0] ?? 0)), salt.length),
    rounds,
  });
}

const MD5_ROUNDS = 1_000;

/**
 * `$1$`: a thousand rounds of MD5.
 * @param {{ password: Uint8Array, salt: Uint8Array }} of salt: at most 8 bytes.
 * @returns {Buffer}
 */
export function md5Crypt({ password, salt }) {
  /** @param {Uint8Array} bytes */
  const hash = (bytes) => createHash("md5").update(bytes).digest();
  const { length } = password;
  const alternate = hash(Buffer.concat([password, salt, password]));
  const parts = [password, Buffer.from("$1$"), salt, filled(alternate, length)];
  for (let bits = length; bits > 0; bits >>= 1)
    parts.push((bits & 1) === 1 ? Buffer.alloc(1) : password.subarray(0, 1));
  return stirred(hash, hash(Buffer.concat(parts)), { password, salt, rounds: MD5_ROUNDS });
}
