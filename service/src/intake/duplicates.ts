/** Values that come more than once in a source, found in one pass and constant memory, before anything is written. */
import { hash } from "node:crypto";

/** Bytes of a digest that are kept of a value: as many as a number holds exactly. */
const KEPT_BYTES = 6;
const FIRST_CAPACITY = 1 << 16;

/**
 * Counts values by 48 bits of a digest, eight bytes a value: ten million take 80 MB. Two values may share one; who asks looks at the
 * few that may be twice exactly.
 */
export class MaybeTwice {
  #seen = new Float64Array(FIRST_CAPACITY);
  #count = 0;
  #twice: ReadonlySet<number> | null = null;

  add(value: string): void {
    if (this.#count === this.#seen.length) {
      const larger = new Float64Array(this.#seen.length * 2);
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
    this.#seen = new Float64Array(0);
    this.#count = 0;
    return twice;
  }
}

function fingerprintOf(value: string): number {
  return hash("sha1", value, "buffer").readUIntBE(0, KEPT_BYTES);
}
