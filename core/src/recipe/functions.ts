/** The functions of the recipe language: what each takes, how large and how dear its result can become, and how it is computed. */
import { createHash, createHmac, pbkdf2 as nodePbkdf2 } from "node:crypto";
import { ALGORITHMS } from "../password/algorithms/index.ts";
import { readScheme, SchemeError } from "../password/scheme.ts";

/** Text is Unicode, bytes are bytes. Where bytes are wanted, text stands for its UTF-8; never the other way round. */
export type Kind = "text" | "bytes";
export type Value = string | Uint8Array;

/** How long a value is: bytes, or the characters (code points) of a text. */
export interface Size {
  readonly least: number;
  readonly most: number;
  /** Of a text: each character is one byte. */
  readonly isAscii?: boolean;
}

/** Bytes of a character of UTF-8 at most. */
const WIDEST = 4;

/** The size of a text's UTF-8. */
export function sizeInBytes({ least, most, isAscii = false }: Size): Size {
  return { least, most: isAscii ? most : WIDEST * most };
}

/** What a parameter takes: `any` of text and bytes; `number` and `digest` (a digest's name) only as they are written. */
export type Parameter = Kind | "any" | "number" | "digest";

/** Arguments as a function sees them: values, numbers, and the names of digests. */
export type Given = ReadonlyArray<Value | number>;

export interface RecipeFunction {
  readonly parameters: readonly Parameter[];
  /** The last parameter may come any number of times. */
  readonly isOpen?: true;
  /** Whether it is a digest: what comes out tells nothing of what went in. */
  readonly digests?: true;
  /** Whether it is made to be dear. */
  readonly isDear?: true;
  /** Without it: the kind of what is given. */
  readonly kind?: Kind;
  size(given: readonly Size[], written: Given): Size;
  /** What is wrong with the numbers, in words; `null` if nothing. */
  fault?(written: Given): string | null;
  /** @returns `null` where it cannot be computed from this. */
  run(...given: never[]): Value | null | Promise<Value | null>;
}

/** Digests by name, with their bytes. */
const DIGESTS: ReadonlyMap<string, number> = new Map([
  ["md5", 16],
  ["sha1", 20],
  ["sha256", 32],
  ["sha384", 48],
  ["sha512", 64],
]);
export const DIGEST_NAMES = [...DIGESTS.keys()];

/**
 * The digest that so many letters of hexadecimal are; `null` if it is none of these.
 * @example
 * ```ts
 * digestOfHexLength(40) // → "sha1"
 * ```
 */
export function digestOfHexLength(letters: number): string | null {
  return DIGEST_NAMES.find((name) => 2 * (DIGESTS.get(name) ?? 0) === letters) ?? null;
}

const exactly = (bytes: number): Size => ({ least: bytes, most: bytes });
const NOTHING: Size = { least: 0, most: 0 };
const isAscii = true;

function digestOf(name: string, bytes: number): RecipeFunction {
  return {
    parameters: ["bytes"],
    digests: true,
    kind: "bytes",
    size: () => exactly(bytes),
    run: (value: Uint8Array) => createHash(name).update(value).digest(),
  };
}

/** Asks the rules for schemes, so that a recipe cannot cost what a record may not. */
function faultOfScheme(text: string): string | null {
  try {
    readScheme(text);
    return null;
  } catch (error) {
    if (error instanceof SchemeError) return error.message;
    throw error;
  }
}

const MAX_OUTPUT = 1_024;
function faultOfLength(length: number): string | null {
  return length >= 1 && length <= MAX_OUTPUT ? null : `the length goes from 1 to ${MAX_OUTPUT} bytes`;
}

const hmac: RecipeFunction = {
  parameters: ["digest", "bytes", "bytes"],
  digests: true,
  kind: "bytes",
  size: (_given, [name]) => exactly(DIGESTS.get(String(name)) ?? 0),
  run: (name: string, key: Uint8Array, message: Uint8Array) => createHmac(name, key).update(message).digest(),
};

const pbkdf2: RecipeFunction = {
  parameters: ["digest", "bytes", "bytes", "number", "number"],
  digests: true,
  isDear: true,
  kind: "bytes",
  size: (_given, written) => exactly(Number(written[4])),
  fault([name, , , iterations, length]) {
    const id = name === "sha384" || name === "sha512" ? "pbkdf2-sha512" : "pbkdf2-sha256";
    // A result longer than the digest costs all the iterations once more for each part.
    const parts = Math.ceil(Number(length) / (DIGESTS.get(String(name)) ?? 1));
    return faultOfLength(Number(length)) ?? faultOfScheme(`$${id}$i=${Number(iterations) * parts}`);
  },
  run: (name: string, password: Uint8Array, salt: Uint8Array, iterations: number, length: number) =>
    new Promise((resolve, reject) => {
      nodePbkdf2(password, salt, iterations, length, name, (error, hash) => {
        if (error) reject(error);
        else resolve(hash);
      });
    }),
};

const scrypt: RecipeFunction = {
  parameters: ["bytes", "bytes", "number", "number", "number", "number"],
  digests: true,
  isDear: true,
  kind: "bytes",
  size: (_given, written) => exactly(Number(written[5])),
  fault: ([, , ln, r, p, length]) =>
    faultOfLength(Number(length)) ?? faultOfScheme(`$scrypt$ln=${ln},r=${r},p=${p}`),
  run: (password: Uint8Array, salt: Uint8Array, ln: number, r: number, p: number, length: number) =>
    ALGORITHMS.get("scrypt")?.digest(password, salt, { ln, r, p }, length) ?? null,
};

/** Its 23 bytes, of a salt of 16; a password longer than it takes matches nothing. */
const bcrypt: RecipeFunction = {
  parameters: ["bytes", "bytes", "number"],
  digests: true,
  isDear: true,
  kind: "bytes",
  size: () => exactly(23),
  fault: ([, , cost]) => faultOfScheme(`$bcrypt-2b$cost=${cost}`),
  run: (password: Uint8Array, salt: Uint8Array, cost: number) =>
    ALGORITHMS.get("bcrypt-2b")?.digest(password, salt, { cost }, 23) ?? null,
};

const argon2id: RecipeFunction = {
  parameters: ["bytes", "bytes", "number", "number", "number", "number"],
  digests: true,
  isDear: true,
  kind: "bytes",
  size: (_given, written) => exactly(Number(written[5])),
  fault: ([, , m, t, p, length]) =>
    faultOfLength(Number(length)) ?? faultOfScheme(`$argon2id$v=19$m=${m},t=${t},p=${p}`),
  run: (password: Uint8Array, salt: Uint8Array, m: number, t: number, p: number, length: number) =>
    ALGORITHMS.get("argon2id")?.digest(password, salt, { m, t, p }, length) ?? null,
};

/** The digests that Unix systems stir over and over; by the names of these here. */
const CRYPT_BYTES: ReadonlyMap<string, number> = new Map([
  ["md5", 16],
  ["sha256", 32],
  ["sha512", 64],
]);

const crypt: RecipeFunction = {
  parameters: ["digest", "bytes", "bytes", "number"],
  digests: true,
  isDear: true,
  kind: "bytes",
  size: (_given, [name]) => exactly(CRYPT_BYTES.get(String(name)) ?? 0),
  fault: ([name, , , rounds]) =>
    CRYPT_BYTES.has(String(name))
      ? faultOfScheme(`$${name}-crypt$rounds=${rounds}`)
      : `there are ${[...CRYPT_BYTES.keys()].join(", ")}`,
  run: (name: string, password: Uint8Array, salt: Uint8Array, rounds: number) =>
    ALGORITHMS.get(`${name}-crypt`)?.digest(password, salt, { rounds }, CRYPT_BYTES.get(name) ?? 0) ?? null,
};

const HEX = /^(?:[0-9a-f]{2})*$/i;
const BASE64 = /^[A-Za-z0-9+/]*={0,2}$/;

function encoder(encoding: "utf8" | "utf16le" | "latin1", least: number, most: number): RecipeFunction {
  return {
    parameters: ["text"],
    kind: "bytes",
    size: ([of = NOTHING]) => ({
      least: of.least * least,
      most: of.most * (of.isAscii === true ? least : most),
    }),
    run(text: string) {
      const bytes = Buffer.from(text, encoding);
      return bytes.toString(encoding) === text ? bytes : null;
    },
  };
}

function caseOf(change: (text: string) => string): RecipeFunction {
  return {
    parameters: ["text"],
    kind: "text",
    // Some letters become up to three: ﬃ is FFI.
    size: ([of = NOTHING]) => (of.isAscii === true ? of : { least: of.least, most: 3 * of.most }),
    run: change,
  };
}

/** By their names. */
export const FUNCTIONS: ReadonlyMap<string, RecipeFunction> = new Map<string, RecipeFunction>([
  ...[...DIGESTS].map(([name, bytes]) => [name, digestOf(name, bytes)] as const),
  ["hmac", hmac],
  ["pbkdf2", pbkdf2],
  ["scrypt", scrypt],
  ["bcrypt", bcrypt],
  ["argon2id", argon2id],
  ["crypt", crypt],
  [
    "hex",
    {
      parameters: ["bytes"],
      kind: "text",
      size: ([of = NOTHING]) => ({ least: 2 * of.least, most: 2 * of.most, isAscii }),
      run: (bytes: Uint8Array) => Buffer.from(bytes).toString("hex"),
    },
  ],
  [
    "unhex",
    {
      parameters: ["text"],
      kind: "bytes",
      size: ([of = NOTHING]) => ({ least: Math.ceil(of.least / 2), most: Math.floor(of.most / 2) }),
      run: (text: string) => (HEX.test(text) ? Buffer.from(text, "hex") : null),
    },
  ],
  [
    "base64",
    {
      parameters: ["bytes"],
      kind: "text",
      size: ([of = NOTHING]) => ({
        least: 4 * Math.ceil(of.least / 3),
        most: 4 * Math.ceil(of.most / 3),
        isAscii,
      }),
      run: (bytes: Uint8Array) => Buffer.from(bytes).toString("base64"),
    },
  ],
  [
    "unbase64",
    {
      parameters: ["text"],
      kind: "bytes",
      size: ([of = NOTHING]) => ({
        least: Math.max(0, Math.floor((of.least - 2) * 0.75)),
        most: Math.ceil(of.most * 0.75),
      }),
      run: (text: string) => (BASE64.test(text) ? Buffer.from(text, "base64") : null),
    },
  ],
  ["utf8", encoder("utf8", 1, WIDEST)],
  ["utf16le", encoder("utf16le", 2, 4)],
  ["latin1", encoder("latin1", 1, 1)],
  ["lower", caseOf((text) => text.toLowerCase())],
  ["upper", caseOf((text) => text.toUpperCase())],
  [
    "concat",
    {
      parameters: ["any"],
      isOpen: true,
      size: (given) => ({
        least: given.reduce((sum, { least }) => sum + least, 0),
        most: given.reduce((sum, { most }) => sum + most, 0),
        isAscii: given.every((one) => one.isAscii === true),
      }),
      run: (...parts: Value[]) =>
        parts.every((part) => typeof part === "string") ? parts.join("") : Buffer.concat(parts.map(bytesOf)),
    },
  ],
  [
    "slice",
    {
      parameters: ["any", "number", "number"],
      size([of = NOTHING], [, from, to]) {
        const within = (length: number): number => Math.max(0, Math.min(length, Number(to)) - Number(from));
        return { ...of, least: within(of.least), most: within(of.most) };
      },
      fault: ([, from, to]) =>
        Number(from) < Number(to) ? null : "it goes from a place to a later one, counted from 0",
      run: (value: Value, from: number, to: number) =>
        typeof value === "string" ? sliceOfText(value, from, to) : value.slice(from, to),
    },
  ],
  [
    "repeat",
    {
      parameters: ["any", "number"],
      size: ([of = NOTHING], [, count]) => ({
        ...of,
        least: of.least * Number(count),
        most: of.most * Number(count),
      }),
      fault: ([, count]) => (Number(count) >= 1 ? null : "it is repeated once at least"),
      run: (value: Value, count: number) =>
        typeof value === "string" ? value.repeat(count) : Buffer.alloc(count * value.length, value),
    },
  ],
]);

/** Code points of a text, from one place up to another; what comes after them is not read. */
function sliceOfText(text: string, from: number, to: number): string {
  let place = 0;
  let begin = text.length;
  let end = 0;
  for (const point of text) {
    if (place === from) begin = end;
    if (place === to) break;
    end += point.length;
    place += 1;
  }
  return text.slice(begin, end);
}

/** A text's UTF-8. */
export function bytesOf(value: Value): Uint8Array {
  return typeof value === "string" ? Buffer.from(value, "utf8") : value;
}
