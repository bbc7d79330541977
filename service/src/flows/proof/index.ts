/** Every proof method; the order is that in which they are offered. */
import { mailCode } from "./mail-code.ts";
import { mailLink } from "./mail-link.ts";
import type { ProofMethod, ProofType } from "./method.ts";
import { passkey } from "./passkey.ts";
import { password } from "./password.ts";
import { recoveryCode } from "./recovery-code.ts";
import { totp } from "./totp.ts";

export type { CheckedProof, ProofMethod, Prover, ShownProof } from "./method.ts";

export const PROOF_METHODS: readonly ProofMethod[] = [
  password,
  mailLink,
  mailCode,
  passkey,
  totp,
  recoveryCode,
];

const BY_TYPE = new Map(PROOF_METHODS.map((method) => [method.type, method]));

export function proofMethodOf(type: ProofType): ProofMethod {
  const method = BY_TYPE.get(type);
  if (method === undefined) throw new Error(`no proof method is called ${type}`);
  return method;
}

/** What a sign-in waits for that began with a mail. */
export const WANTED_BY_MAIL = PROOF_METHODS.filter(({ begins }) => begins === "mail").map(({ type }) => type);

/** What is asked for first inside a session. */
export const FIRST_IN_SESSION = PROOF_METHODS.filter(
  ({ part, begins }) => part === "first" && begins === "shown",
).map(({ type }) => type);
