/** What is checked against what, whatever kind of record it is. */

/** A password as it was typed, and prepared as ours are (RFC 8265). */
export interface TypedPassword {
  readonly prepared: string;
  readonly typed: string;
}

export interface StoredPassword {
  /** Its PHC prefix. */
  readonly schemeText: string;
  /** Whether it should be re-made at the next right password. */
  readonly isOutdated: boolean;
  /** The intake that brought it; `null`: it was made here. */
  readonly intakeId: string | null;
  /** Computes; under the gate of `Hashing.check` alone. */
  matches(shown: TypedPassword): Promise<boolean>;
}
