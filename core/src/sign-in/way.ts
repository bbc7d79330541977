/** How somebody signed in: the proofs behind the methods (RFC 8176) of a sign-in. */
import type { WayProof } from "./proofs.ts";
import { PROOF_KINDS, WAY_PROOFS } from "./proofs.ts";

const PROOF_OF = new Map<string, WayProof>(
  WAY_PROOFS.flatMap((name) => PROOF_KINDS[name].amr.map((method) => [method, name] as const)),
);

/**
 * The proofs in the order in which they were shown; what a method says besides (`user`, `mfa`) is none. @param amr RFC 8176 methods.
 * @example
 * ```ts
 * proofsOf(["pwd", "otp", "mfa"]) // → [ "password", "totp" ]
 * ```
 */
export function proofsOf(amr: readonly string[]): readonly WayProof[] {
  return [...new Set(amr.map((method) => PROOF_OF.get(method)).filter((proof) => proof !== undefined))];
}
