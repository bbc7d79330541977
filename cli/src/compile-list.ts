/**
 * Compiles the text of a list of compromised passwords into the file that the service looks things up in. Memory stays
 * constant: the text is dealt out to 256 files by the first byte of each digest, and these are sorted one by one.
 */
import { createReadStream, rmSync } from "node:fs";
import type { FileHandle } from "node:fs/promises";
import { mkdtemp, open, readFile, rename, rm, stat } from "node:fs/promises";
import { dirname, join } from "node:path";
import { createInterface } from "node:readline";
import type { ListLayout } from "@lucchetto/core";
import { KEPT_BYTES, layoutFor, placesOf, readListLine, writeHeader, writeIndexEntry } from "@lucchetto/core";
import { Failure } from "./failure.ts";
import { startProgress } from "./progress.ts";
import { terminal } from "./terminal.ts";

interface Compiled {
  readonly file: string;
  readonly lines: number;
  readonly entries: number;
  readonly bytes: number;
}

const DEALS = 256;
/** Bytes gathered for one of the files before they are written. */
const GATHERED = 64 * 1024;
/** Lines between two updates of the progress. */
const TELL_EVERY = 50_000;
/** Characters that a line has besides its digest and count, at most. */
const MAX_LINE_LENGTH = 60;

/**
 * @param from the text: a SHA-1 digest a line, optionally `:count`. @param to the compiled file; replaced only when all is done.
 * @throws Failure naming the line that is none.
 */
export async function compileList(from: string, to: string): Promise<Compiled> {
  const size = await sizeOf(from);
  const directory = await mkdtemp(join(dirname(to), ".password-list-"));
  const stop = (): never => {
    rmSync(directory, { recursive: true, force: true });
    terminal().stderr.write("Stopped; nothing was written.\n");
    process.exit(130);
  };
  process.once("SIGINT", stop);
  try {
    const { lines, counts } = await deal(from, size, directory);
    if (lines === 0)
      throw new Failure(
        `${from}: there is no digest in it. Nothing was written; a list without entries would keep nobody from anything.`,
      );
    const sorted = join(directory, "sorted");
    const { entries, buckets } = await sortAll(directory, sorted, counts);
    const aside = join(directory, "compiled");
    const layout = layoutFor(entries);
    await assemble(sorted, aside, layout, buckets);
    await rename(aside, to);
    return { file: to, lines, entries, bytes: placesOf(layout).fileLength };
  } finally {
    process.off("SIGINT", stop);
    await rm(directory, { recursive: true, force: true });
  }
}

async function sizeOf(file: string): Promise<number> {
  try {
    return (await stat(file)).size;
  } catch (error) {
    throw new Failure(`${file} cannot be read (${(error as NodeJS.ErrnoException).code ?? "unknown"})`, 2);
  }
}

/** Deals the digests out to 256 files by their first byte. */
async function deal(
  from: string,
  size: number,
  directory: string,
): Promise<{ lines: number; counts: number[] }> {
  const progress = startProgress("reading", size);
  const files = await Promise.all(
    Array.from({ length: DEALS }, (_, index) => open(join(directory, String(index)), "w")),
  );
  const gathered = files.map(() => ({ bytes: Buffer.allocUnsafe(GATHERED), length: 0 }));
  const counts = files.map(() => 0);
  const flush = async (deal: number): Promise<void> => {
    const part = gathered[deal];
    if (part === undefined || part.length === 0) return;
    await files[deal]?.write(part.bytes, 0, part.length);
    part.length = 0;
  };
  const stream = createReadStream(from, { encoding: "latin1", highWaterMark: 1024 * 1024 });
  let lines = 0;
  try {
    for await (const line of createInterface({ input: stream, crlfDelay: Number.POSITIVE_INFINITY })) {
      lines += 1;
      const key = readListLine(line);
      if (key === null) throw badLine(from, lines, line);
      const first = Number(key >> BigInt(8 * (KEPT_BYTES - 1)));
      const part = gathered[first];
      if (part === undefined) throw new Error("a byte has 256 values");
      // Eight bytes a digest, so that they can be sorted as numbers.
      part.bytes.writeBigUInt64LE(key, part.length);
      part.length += 8;
      counts[first] = (counts[first] ?? 0) + 1;
      if (part.length === GATHERED) await flush(first);
      if (lines % TELL_EVERY === 0) progress.update(stream.bytesRead);
    }
    for (const index of files.keys()) await flush(index);
  } finally {
    stream.destroy();
    progress.stop();
    await Promise.all(files.map((file) => file.close()));
  }
  return { lines, counts };
}

function badLine(file: string, number: number, line: string): Failure {
  const found =
    line === ""
      ? "an empty line"
      : line.length > MAX_LINE_LENGTH
        ? `${line.length} characters`
        : JSON.stringify(line);
  return new Failure(
    `${file}, line ${number}: found ${found}, expected 40 hexadecimal digits of a SHA-1 digest, optionally :count. Nothing was changed.`,
    2,
  );
}

/** Sorts the dealt files one by one into one; repeated digests are left out. @returns how many stand in each bucket of three bytes. */
async function sortAll(
  directory: string,
  to: string,
  counts: readonly number[],
): Promise<{ entries: number; buckets: Uint32Array }> {
  const progress = startProgress("sorting", DEALS);
  // Counted by the first three bytes; a layout with fewer adds neighbours up.
  const buckets = new Uint32Array(256 ** 3);
  const file = await open(to, "w");
  let entries = 0;
  try {
    for (let index = 0; index < DEALS; index += 1) {
      if ((counts[index] ?? 0) > 0) {
        const bytes = await readFile(join(directory, String(index)));
        const keys = new BigUint64Array(bytes.buffer, bytes.byteOffset, bytes.length / 8).slice().sort();
        const kept = keys.filter((key, at) => at === 0 || key !== keys[at - 1]);
        for (const key of kept) {
          const bucket = Number(key >> 32n);
          buckets[bucket] = (buckets[bucket] ?? 0) + 1;
        }
        await file.write(new Uint8Array(kept.buffer, kept.byteOffset, kept.byteLength));
        entries += kept.length;
        await rm(join(directory, String(index)));
      }
      progress.update(index + 1);
    }
  } finally {
    progress.stop();
    await file.close();
  }
  return { entries, buckets };
}

/** Writes header, index and entries. */
async function assemble(sorted: string, to: string, layout: ListLayout, fine: Uint32Array): Promise<void> {
  const { buckets, entryLength } = placesOf(layout);
  const target = await open(to, "w");
  try {
    await target.write(writeHeader(layout));
    const index = new Uint8Array((buckets + 1) * 5);
    const width = fine.length / buckets;
    let entry = 0;
    for (let bucket = 0; bucket < buckets; bucket += 1) {
      writeIndexEntry(index, bucket, entry);
      for (let at = bucket * width; at < (bucket + 1) * width; at += 1) entry += fine[at] ?? 0;
    }
    writeIndexEntry(index, buckets, entry);
    await target.write(index);
    await copyEntries(sorted, target, entryLength);
    await target.sync();
  } finally {
    await target.close();
  }
}

/** Of each number of eight bytes the last ones, most significant first. */
async function copyEntries(sorted: string, target: FileHandle, entryLength: number): Promise<void> {
  for await (const chunk of createReadStream(sorted, { highWaterMark: 1024 * 1024 })) {
    const numbers = chunk as Buffer;
    const entries = Buffer.allocUnsafe((numbers.length / 8) * entryLength);
    for (let at = 0, into = 0; at < numbers.length; at += 8, into += entryLength) {
      for (let byte = 0; byte < entryLength; byte += 1)
        entries[into + byte] = numbers[at + entryLength - 1 - byte] ?? 0;
    }
    await target.write(entries);
  }
}
