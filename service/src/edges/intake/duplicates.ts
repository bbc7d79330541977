/** Values that come more than once in a source, found in one pass and constant memory, before anything is written. */
import { randomInt } from "node:crypto";
import { closeSync, mkdtempSync, openSync, readSync, rmSync, writeSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";

/** Fingerprints that are held; more are put on disk, sorted. */
const HELD = 1 << 20;
/** Fingerprints of a sorted run that are read at once. */
const READ_AT_ONCE = 1 << 13;
const BYTES = Uint32Array.BYTES_PER_ELEMENT;

/**
 * Counts values by fingerprints of 32 bits. A million are held; what is beyond lies in a file that has no name any more, in sorted
 * runs that are merged in the end. Some values share a fingerprint by chance, a hundred in a million; who asks looks at those that
 * may be twice exactly.
 */
export class MaybeTwice {
  readonly #held: number;
  #seen: Uint32Array;
  #count = 0;
  #file: number | null = null;
  /** Lengths of the sorted runs in the file. */
  #runs: number[] = [];
  #twice: ReadonlySet<number> | null = null;

  /** @param held fingerprints that are held in memory. */
  constructor(held = HELD) {
    this.#held = held;
    this.#seen = new Uint32Array(held);
  }

  add(value: string): void {
    if (this.#count === this.#held) this.#putAway();
    this.#seen[this.#count] = fingerprintOf(value);
    this.#count += 1;
  }

  /** Ends the counting: whether a value may have come twice. */
  has(value: string): boolean {
    this.#twice ??= this.#close();
    return this.#twice.size > 0 && this.#twice.has(fingerprintOf(value));
  }

  #putAway(): void {
    this.#file ??= openNameless();
    const run = this.#seen.subarray(0, this.#count).sort();
    writeSync(this.#file, new Uint8Array(run.buffer, 0, run.byteLength));
    this.#runs.push(this.#count);
    this.#count = 0;
  }

  #close(): ReadonlySet<number> {
    const last = this.#seen.subarray(0, this.#count).sort();
    const runs = [inMemory(last), ...this.#runsOnDisk()];
    const twice = new Set<number>();
    let before = -1;
    for (;;) {
      // Few runs: one for each million values.
      let smallest: Run | null = null;
      for (const run of runs)
        if (run.now !== -1 && (smallest === null || run.now < smallest.now)) smallest = run;
      if (smallest === null) break;
      if (smallest.now === before) twice.add(before);
      before = smallest.now;
      smallest.next();
    }
    if (this.#file !== null) closeSync(this.#file);
    this.#seen = new Uint32Array(0);
    return twice;
  }

  #runsOnDisk(): Run[] {
    const file = this.#file;
    if (file === null) return [];
    let at = 0;
    return this.#runs.map((length) => {
      const run = onDisk(file, at, length);
      at += length;
      return run;
    });
  }
}

/** Sorted fingerprints, one after the other; -1 behind the last. */
interface Run {
  now: number;
  next(): void;
}

function inMemory(sorted: Uint32Array): Run {
  let index = 0;
  return {
    now: sorted[0] ?? -1,
    next() {
      index += 1;
      this.now = sorted[index] ?? -1;
    },
  };
}

/** @param first the place of its first fingerprint in the file. */
function onDisk(file: number, first: number, length: number): Run {
  const some = new Uint32Array(Math.min(READ_AT_ONCE, length));
  const bytes = new Uint8Array(some.buffer);
  let index = 0;
  const read = (): number => {
    if (index === length) return -1;
    const within = index % some.length;
    if (within === 0) readSync(file, bytes, 0, bytes.length, (first + index) * BYTES);
    return some[within] ?? -1;
  };
  return {
    now: read(),
    next() {
      index += 1;
      this.now = read();
    },
  };
}

/** A file that is gone with the process, however it ends. */
function openNameless(): number {
  const folder = mkdtempSync(join(tmpdir(), "lucchetto-intake-"));
  const file = openSync(join(folder, "fingerprints"), "wx+", 0o600);
  rmSync(folder, { recursive: true });
  return file;
}

const MULTIPLIER = 0x9e3779b1;
/** Drawn anew in each process, so that nobody can prepare values that share a fingerprint. */
const START = randomInt(2 ** 32);

/**
 * Each letter is mixed in by an xor, a multiplication and a shift, so that values which differ in a digit alone spread as well, whatever
 * the start. Two values that share a fingerprint are told apart by whoever asks.
 */
function fingerprintOf(value: string): number {
  let mixed = START;
  for (let index = 0; index < value.length; index += 1) {
    mixed = Math.imul(mixed ^ value.charCodeAt(index), MULTIPLIER);
    mixed ^= mixed >>> 15;
  }
  mixed = Math.imul(mixed ^ (mixed >>> 16), 0x85ebca6b);
  mixed = Math.imul(mixed ^ (mixed >>> 13), 0xc2b2ae35);
  return (mixed ^ (mixed >>> 16)) >>> 0;
}
