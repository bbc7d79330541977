/** How somebody signed in: the proofs behind the methods (RFC 8176) of a sign-in. */
import { MAILED, PASSWORD, RECOVERY_CODE } from "./methods.ts";

/** The proofs of a way, as the journal and the counts name them; a mailed link and a mailed code are one. */
export const WAY_PROOFS = ["password", "mail", "passkey", "totp", "recovery-code"] as const;
/** A proof as the figures of sign-ins name it. */
export type WayProof = (typeof WAY_PROOFS)[number];

const PROOF_OF: Readonly<Record<string, WayProof>> = {
  [PASSWORD]: "password",
  [MAILED]: "mail",
  hwk: "passkey",
  swk: "passkey",
  otp: "totp",
  [RECOVERY_CODE]: "recovery-code",
};

/**
 * The proofs in the order in which they were shown; what a method says besides (`user`, `mfa`) is none. @param amr RFC 8176 methods.
 * @example
 * ```ts
 * proofsOf(["pwd", "otp", "mfa"]) // → [ "password", "totp" ]
 * ```
 */
export function proofsOf(amr: readonly string[]): readonly WayProof[] {
  return [...new Set(amr.map((method) => PROOF_OF[method]).filter((proof) => proof !== undefined))];
}
