/** What every password hash algorithm tells of itself, so that the rest of the code need not know which one it has. */

/** The parameters by name; whole numbers, in the order in which a PHC string writes them. */
export type Parameters = Readonly<Record<string, number>>;

/** Ceilings on what a string that was read may cost; above them nothing is computed. */
export interface SchemeLimits {
  /** Bytes of memory one computation may hold. */
  readonly memoryBytes: number;
  /** How many times the cost of the algorithm's usual parameters one computation may take. */
  readonly timesUsual: number;
}

/** 256 MiB, and eight times the usual time: about two seconds of a server core. */
export const DEFAULT_LIMITS: SchemeLimits = { memoryBytes: 256 * 2 ** 20, timesUsual: 8 };

/** A password hashing function: its parameters with their bounds, and how it is computed. */
export interface Algorithm {
  /** The PHC name. */
  readonly id: string;
  /** The version that the string must name (`v=19`); absent where the algorithm has none. */
  readonly version?: number;
  /** One line for people. */
  readonly title: string;
  /** Parameter names in the order of the string, each with the label that people read. */
  readonly parameters: ReadonlyMap<string, string>;
  /** Whether new records may be made with it; the others are only checked. */
  readonly makes: boolean;
  /** The parameters used where nobody chose any; what `timesUsual` counts from. */
  readonly usual: Parameters;
  /** The least that may guard a public site: at least one of these, every parameter as high or higher. */
  readonly floors: readonly Parameters[];
  /** Bytes of hash where the algorithm gives a fixed number. */
  readonly fixedLength?: number;
  /** What the algorithm itself forbids, in words; `null` if nothing. */
  fault?(parameters: Parameters): string | null;
  /** Bytes that one computation holds. */
  memoryBytes(parameters: Parameters): number;
  /** What the time is proportional to, comparable within the algorithm only. */
  work(parameters: Parameters): number;
  /** What each parameter means, by name. */
  describe(parameters: Parameters): ReadonlyMap<string, string>;
  /**
   * Computes the hash, off the event loop.
   * @param password UTF-8 bytes, prepared. @param length bytes of output.
   * @returns `null` where the algorithm cannot take this password whole.
   */
  digest(
    password: Uint8Array,
    salt: Uint8Array,
    parameters: Parameters,
    length: number,
  ): Promise<Uint8Array | null>;
}

/**
 * A number of bytes for people: `32 MiB`, `19 MiB`, `4 KiB`.
 * @example
 * ```ts
 * formatBytes(128 * 1024 * 1024) // → "128 MiB"
 * ```
 */
export function formatBytes(bytes: number): string {
  const mebibytes = bytes / 2 ** 20;
  if (mebibytes >= 1) return `${Number(mebibytes.toFixed(1))} MiB`;
  return `${Math.max(1, Math.round(mebibytes * 1024))} KiB`;
}
