/**
 * CBOR (RFC 8949) as authenticators write it: the CTAP2 canonical form, read strictly. What is announced is checked before
 * any of it is taken into memory.
 */
import type { DecodeOptions } from "cborg";
import { decodeFirst, Tokenizer, Type } from "cborg";

export type CborKey = number | string;
export type CborValue = number | string | boolean | null | Uint8Array | CborValue[] | CborMap;
// oxlint-disable-next-line typescript/no-empty-object-type -- an alias cannot name itself
export interface CborMap extends ReadonlyMap<CborKey, CborValue> {}

/** The bytes are no CBOR that an authenticator may write. */
export class CborError extends Error {
  override readonly name = "CborError";
}

/** Levels of nesting: the attestation object holds a statement, which holds a list of certificates. */
const MAX_DEPTH = 4;
/** Items in all. */
const MAX_ITEMS = 1_000;

const STRICT: DecodeOptions = {
  strict: true,
  allowIndefinite: false,
  allowUndefined: false,
  allowNaN: false,
  allowInfinity: false,
  allowBigInt: false,
  useMaps: true,
  rejectDuplicateMapKeys: true,
};

/** Reads bytes that are one item. @throws CborError also for bytes after it. */
export function decodeCbor(bytes: Uint8Array): CborValue {
  const { value, length } = decodeFirstCbor(bytes);
  if (length !== bytes.length) throw new CborError("there are bytes after the item");
  return value;
}

/** Reads the item at the beginning. @returns it, and how many bytes it takes. @throws CborError. */
export function decodeFirstCbor(bytes: Uint8Array): { value: CborValue; length: number } {
  try {
    assertBounded(bytes);
    const [value, rest] = decodeFirst(bytes, STRICT);
    return { value, length: bytes.length - rest.length };
  } catch (error) {
    if (error instanceof CborError) throw error;
    throw new CborError(error instanceof Error ? error.message : "unreadable");
  }
}

/** A map, or `null`. */
export function asMap(value: CborValue | undefined): CborMap | null {
  return value instanceof Map ? value : null;
}

/** A byte string, or `null`. */
export function asBytes(value: CborValue | undefined): Uint8Array | null {
  return value instanceof Uint8Array ? value : null;
}

/**
 * Walks over the item without building anything: nesting, number of items and kinds are what an authenticator writes. Map
 * keys are integers or text; floats (which could pass for the same integer) and tags occur nowhere.
 */
function assertBounded(bytes: Uint8Array): void {
  const tokens = new Tokenizer(bytes, STRICT);
  /** Of each open array or map: how many items are still to come, and whether every other one is a key. */
  const open: Array<{ left: number; isMap: boolean }> = [];
  let items = 0;
  do {
    if (tokens.done()) throw new CborError("it ends too early");
    const { type, value } = tokens.next();
    items += 1;
    if (items > MAX_ITEMS) throw new CborError("it has too many items");
    const parent = open.at(-1);
    const isKey = parent?.isMap === true && parent.left % 2 === 0;
    if (isKey && type !== Type.uint && type !== Type.negint && type !== Type.string)
      throw new CborError("a map key is neither an integer nor text");
    if (type === Type.float || type === Type.tag || type === Type.undefined || type === Type.break)
      throw new CborError(`it holds a ${type.name}`);
    if (parent !== undefined) parent.left -= 1;
    if (type === Type.array || type === Type.map) {
      const isMap = type === Type.map;
      const left = Number(value) * (isMap ? 2 : 1);
      // Each item takes a byte at least.
      if (left > bytes.length) throw new CborError("it announces more than there is");
      open.push({ left, isMap });
      if (open.length > MAX_DEPTH) throw new CborError("it is nested too deeply");
    }
    while (open.at(-1)?.left === 0) open.pop();
  } while (open.length > 0);
}
