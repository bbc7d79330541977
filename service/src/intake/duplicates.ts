/** Values that come more than once in a source, found in one pass and constant memory, before anything is written. */
import { randomInt } from "node:crypto";

const FIRST_CAPACITY = 1 << 16;
const GROWTH = 1.5;

/**
 * Counts values by fingerprints of 32 bits, four bytes a value: ten million take 40 to 60 MB. Some values share one by chance, a few hundred in a
 * million; who asks looks at those that may be twice exactly.
 */
export class MaybeTwice {
  #seen = new Uint32Array(FIRST_CAPACITY);
  #count = 0;
  #twice: ReadonlySet<number> | null = null;

  add(value: string): void {
    if (this.#count === this.#seen.length) {
      const larger = new Uint32Array(Math.ceil(this.#seen.length * GROWTH));
      larger.set(this.#seen);
      this.#seen = larger;
    }
    this.#seen[this.#count] = fingerprintOf(value);
    this.#count += 1;
  }

  /** Ends the counting: whether a value may have come twice. */
  has(value: string): boolean {
    this.#twice ??= this.#close();
    return this.#twice.size > 0 && this.#twice.has(fingerprintOf(value));
  }

  #close(): ReadonlySet<number> {
    const sorted = this.#seen.subarray(0, this.#count).sort();
    const twice = new Set<number>();
    for (let index = 1; index < sorted.length; index += 1) {
      const value = sorted[index] ?? 0;
      if (value === sorted[index - 1]) twice.add(value);
    }
    this.#seen = new Uint32Array(0);
    this.#count = 0;
    return twice;
  }
}

const PRIME = 0x01000193;
/** Drawn anew in each process, so that nobody can prepare values that share a fingerprint. */
const START = randomInt(2 ** 32);

/** FNV-1a over the letters, mixed once more. Two values that share one are told apart by whoever asks. */
function fingerprintOf(value: string): number {
  let mixed = START;
  for (let index = 0; index < value.length; index += 1)
    mixed = Math.imul(mixed ^ value.charCodeAt(index), PRIME);
  mixed = Math.imul(mixed ^ (mixed >>> 16), 0x85ebca6b);
  mixed = Math.imul(mixed ^ (mixed >>> 13), 0xc2b2ae35);
  return (mixed ^ (mixed >>> 16)) >>> 0;
}
