/** The kinds of proof, each once: how they stand in a session's methods (RFC 8176), and what they are good for. */
import { MAILED, ONE_TIME_PASSWORD, PASSWORD, RECOVERY_CODE } from "./methods.ts";

interface ProofKind {
  /** Methods (RFC 8176) by which a session says that one was shown. */
  readonly amr: readonly string[];
  /** Whether it may be shown as the second proof. */
  readonly isSecondFactor: boolean;
  /** Whether it can show that its owner was there before a change. */
  readonly isFromBefore: boolean;
}

/** In the order in which they are offered. A mailed link and a mailed code are one. */
export const PROOF_KINDS = {
  password: { amr: [PASSWORD], isSecondFactor: false, isFromBefore: true },
  mail: { amr: [MAILED], isSecondFactor: false, isFromBefore: false },
  passkey: { amr: ["hwk", "swk"], isSecondFactor: true, isFromBefore: true },
  totp: { amr: [ONE_TIME_PASSWORD], isSecondFactor: true, isFromBefore: true },
  "recovery-code": { amr: [RECOVERY_CODE], isSecondFactor: true, isFromBefore: true },
} as const satisfies Readonly<Record<string, ProofKind>>;

/** A proof as the journal and the figures of sign-ins name it. */
export type WayProof = keyof typeof PROOF_KINDS;
type Having<Flag extends "isSecondFactor" | "isFromBefore"> = {
  [Name in WayProof]: (typeof PROOF_KINDS)[Name][Flag] extends true ? Name : never;
}[WayProof];

/** What may be shown as the second proof. */
export type SecondFactor = Having<"isSecondFactor">;
/** Something that shows that its owner was there before a change. */
export type ThingFromBefore = Having<"isFromBefore">;

/** All of them. */
export const WAY_PROOFS = Object.keys(PROOF_KINDS) as readonly WayProof[];
/** What can be shown as a thing from before; a known browser is seen by itself. */
export const THINGS_FROM_BEFORE = WAY_PROOFS.filter(
  (name): name is ThingFromBefore => PROOF_KINDS[name].isFromBefore,
);
