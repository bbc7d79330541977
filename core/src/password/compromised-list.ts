/**
 * The compiled list of compromised passwords, a format of this project. It answers whether a password stands on the
 * list without holding the list in memory: a digest is looked up by reading one stretch of the file.
 *
 * A listed password is known by the first seven bytes of its SHA-1 digest. The first `indexBytes` of them choose a
 * bucket; the rest stands in it, sorted. No listed password is ever missed; an unlisted one is taken for a listed one
 * once in 2^56 / entries (ten million entries: once in seven thousand million).
 *
 *     16 bytes  "lucchetto-pwlist"
 *      1 byte   version, 1          1 byte  indexBytes, 1 to 3        6 bytes  zero
 *      8 bytes  number of entries, little-endian
 *     (256^indexBytes + 1) × 5 bytes, big-endian: number of the first entry of each bucket, and the end of the last
 *     entries × (7 − indexBytes) bytes
 */
import { createHash } from "node:crypto";

/** Bytes of a digest that are kept. */
export const KEPT_BYTES = 7;
/** Bytes before the index. */
export const HEADER_LENGTH = 32;
/** Bytes of one number in the index. */
const INDEX_ENTRY_LENGTH = 5;

const MAGIC = "lucchetto-pwlist";
const VERSION = 1;
const LINE = /^([0-9A-Fa-f]{40})(?::[0-9]{1,15})?$/;
/** A bucket holds some hundreds of entries on average, a few kilobytes to read. */
const ENTRIES_PER_BUCKET = 1024;

/** How a compiled file is laid out. */
export interface ListLayout {
  readonly entries: number;
  readonly indexBytes: number;
}

/** A file that is no compiled list. The message says why. */
export class ListReadError extends Error {
  override readonly name = "ListReadError";
}

/** The layout for so many entries. */
export function layoutFor(entries: number): ListLayout {
  let indexBytes = 1;
  while (indexBytes < 3 && entries / 256 ** indexBytes > ENTRIES_PER_BUCKET) indexBytes += 1;
  return { entries, indexBytes };
}

/** Where things stand in a file of this layout; all in bytes. */
export function placesOf({ entries, indexBytes }: ListLayout) {
  const buckets = 256 ** indexBytes;
  const entryLength = KEPT_BYTES - indexBytes;
  const entriesBegin = HEADER_LENGTH + (buckets + 1) * INDEX_ENTRY_LENGTH;
  return { buckets, entryLength, entriesBegin, fileLength: entriesBegin + entries * entryLength };
}

/** The file's first 32 bytes. */
export function writeHeader({ entries, indexBytes }: ListLayout): Uint8Array {
  const header = Buffer.alloc(HEADER_LENGTH);
  header.write(MAGIC, "latin1");
  header[16] = VERSION;
  header[17] = indexBytes;
  header.writeBigUInt64LE(BigInt(entries), 24);
  return new Uint8Array(header);
}

/** @param fileLength bytes of the whole file, which must fit. @throws ListReadError. */
export function readHeader(header: Uint8Array, fileLength: number): ListLayout {
  const bytes = Buffer.from(header.buffer, header.byteOffset, header.byteLength);
  if (bytes.length < HEADER_LENGTH || bytes.toString("latin1", 0, 16) !== MAGIC) {
    const isText = LINE.test(
      bytes.toString("latin1").split(/\r?\n/, 1)[0]?.padEnd(40, "0").slice(0, 40) ?? "",
    );
    throw new ListReadError(
      isText
        ? "this is the text of the list; compile it with: lucchetto password-list build"
        : "this is no compiled list of compromised passwords",
    );
  }
  const indexBytes = bytes[17] ?? 0;
  if (bytes[16] !== VERSION || indexBytes < 1 || indexBytes > 3)
    throw new ListReadError("it is of another version; compile it again with: lucchetto password-list build");
  const layout = { entries: Number(bytes.readBigUInt64LE(24)), indexBytes };
  const { fileLength: expected } = placesOf(layout);
  if (fileLength !== expected)
    throw new ListReadError(`it has ${fileLength} bytes in place of ${expected}; it was cut or damaged`);
  return layout;
}

/** One number of the index, as it is written. */
export function writeIndexEntry(index: Uint8Array, bucket: number, entry: number): void {
  view(index).writeUIntBE(entry, bucket * INDEX_ENTRY_LENGTH, INDEX_ENTRY_LENGTH);
}

/** The entries of a bucket: from the first number up to, not including, the second. */
export function readBucket(index: Uint8Array, bucket: number): readonly [from: number, to: number] {
  const at = (which: number) => view(index).readUIntBE(which * INDEX_ENTRY_LENGTH, INDEX_ENTRY_LENGTH);
  return [at(bucket), at(bucket + 1)];
}

/** What is looked up of a password: its bucket and the rest of its key. @param text prepared text. */
export function listKeyOf(text: string, { indexBytes }: ListLayout): { bucket: number; rest: Uint8Array } {
  const digest = createHash("sha1").update(text, "utf8").digest();
  return { bucket: digest.readUIntBE(0, indexBytes), rest: digest.subarray(indexBytes, KEPT_BYTES) };
}

/** Whether a sorted stretch of entries holds this one. */
export function holdsEntry(entries: Uint8Array, rest: Uint8Array): boolean {
  const sorted = view(entries);
  let low = 0;
  let high = sorted.length / rest.length - 1;
  while (low <= high) {
    const middle = (low + high) >> 1;
    const order = sorted.compare(rest, 0, rest.length, middle * rest.length, (middle + 1) * rest.length);
    if (order === 0) return true;
    if (order < 0) low = middle + 1;
    else high = middle - 1;
  }
  return false;
}

/**
 * Reads a line of the list's text: 40 hexadecimal digits of a SHA-1 digest, optionally `:count`.
 * @returns the digest's first seven bytes as a number of 56 bits; `null` if the line is none.
 * @example
 * ```ts
 * readListLine("000000005AD76BD555C1D6D771DE417A4B87E4B4:4") === null // → false
 * ```
 */
export function readListLine(line: string): bigint | null {
  const digest = LINE.exec(line)?.[1];
  return digest === undefined ? null : BigInt(`0x${digest.slice(0, 2 * KEPT_BYTES)}`);
}

function view(bytes: Uint8Array): Buffer {
  return Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength);
}
