/**
 * bcrypt, for records that come from elsewhere; none are made. It is written as a PHC string (`$bcrypt-2b$cost=12$…`)
 * like all others; `fromBcrypt` reads the customary form. It takes 72 bytes at most and silently drops the rest,
 * so a longer password is never matched here: its first 72 bytes would open the account as well.
 */
import type { Algorithm } from "./algorithm.ts";
import { digestInThread } from "./threads.ts";

/** Bytes of a password that bcrypt can tell apart. */
export const BCRYPT_MAX_BYTES = 72;

const SALT_LENGTH = 16;
const HASH_LENGTH = 23;

function bcryptOf(variant: "2a" | "2b" | "2y"): Algorithm {
  return {
    id: `bcrypt-${variant}`,
    title: `bcrypt (${variant}), from another system; takes ${BCRYPT_MAX_BYTES} bytes of password at most`,
    parameters: new Map([["cost", "cost factor"]]),
    makes: false,
    usual: { cost: 12 },
    floors: [],
    fixedLength: HASH_LENGTH,
    fault: ({ cost = 0 }) => (cost < 4 || cost > 31 ? "cost goes from 4 to 31" : null),
    memoryBytes: () => 4 * 1024,
    work: ({ cost = 0 }) => 2 ** cost,
    describe: ({ cost = 0 }) =>
      new Map([["cost", `2^${cost} = ${(2 ** cost).toLocaleString("en")} rounds of key set-up`]]),
    async digest(password, salt, { cost = 0 }) {
      if (password.length > BCRYPT_MAX_BYTES || salt.length !== SALT_LENGTH) return null;
      const hash = await digestInThread({ algorithm: "bcrypt", password, salt, cost });
      return hash.slice(0, HASH_LENGTH);
    },
  };
}

export const bcrypt2a = bcryptOf("2a");
export const bcrypt2b = bcryptOf("2b");
export const bcrypt2y = bcryptOf("2y");

const MODULAR_CRYPT = /^\$(2[aby])\$([0-9]{2})\$([./A-Za-z0-9]{22})([./A-Za-z0-9]{31})$/;
const BCRYPT_ALPHABET = "./ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789";
const BASE64_ALPHABET = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";

/**
 * Rewrites bcrypt's customary form `$2b$12$<salt><hash>` as the PHC string kept here.
 * @returns `null` if it is not of that form; a salt or hash with surplus bits is none either.
 */
export function fromBcrypt(text: string): string | null {
  const match = MODULAR_CRYPT.exec(text);
  if (match === null) return null;
  const [, variant, cost, salt = "", hash = ""] = match;
  return `$bcrypt-${variant}$cost=${Number(cost)}$${withoutSurplusBits(translate(salt))}$${withoutSurplusBits(translate(hash))}`;
}

/** From bcrypt's alphabet to that of base64, by the code of a letter. */
const BASE64_OF = new Uint8Array(128);
for (const [index, letter] of [...BCRYPT_ALPHABET].entries())
  BASE64_OF[letter.charCodeAt(0)] = BASE64_ALPHABET.charCodeAt(index);

function translate(part: string): string {
  const codes = Buffer.from(part, "latin1");
  for (let index = 0; index < codes.length; index += 1) codes[index] = BASE64_OF[codes[index] ?? 0] ?? 0;
  return codes.toString("latin1");
}

/** Some systems leave stray bits in the last letter of a salt; they never took part in the hash. */
function withoutSurplusBits(base64: string): string {
  const surplus = (base64.length * 6) % 8;
  const last = BASE64_ALPHABET.indexOf(base64.at(-1) ?? "");
  return base64.slice(0, -1) + BASE64_ALPHABET.charAt((last >> surplus) << surplus);
}
