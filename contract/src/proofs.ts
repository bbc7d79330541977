/** The kinds of proof, each once: the shapes of calls, the pages and the commands follow what is said here. */

interface ProofKind {
  /** `first`: it says who signs in; `second`: it is shown beside one that did; `either`: it may be both. */
  readonly part: "first" | "second" | "either";
  /** Whether it can show that its owner was there before a change that a mailed link undoes. */
  readonly isFromBefore: boolean;
  /** What is typed, where it is a code that stands alone. */
  readonly code?: string;
}

/** All of them, in the order in which they are offered. */
export const PROOFS = {
  password: { part: "first", isFromBefore: true },
  "mail-link": { part: "first", isFromBefore: false },
  "mail-code": { part: "first", isFromBefore: false },
  passkey: { part: "either", isFromBefore: true },
  totp: { part: "second", isFromBefore: true, code: "as the authenticator app shows it" },
  "recovery-code": { part: "second", isFromBefore: true, code: "one of those that were shown once" },
} as const satisfies Readonly<Record<string, ProofKind>>;

/** A kind of proof. */
export type ProofName = keyof typeof PROOFS;
/** One that is a code which somebody types. */
export type CodeProofName = {
  [Name in ProofName]: (typeof PROOFS)[Name] extends { code: string } ? Name : never;
}[ProofName];
/** One that shows that its owner was there before a change. */
export type FormerProofName = {
  [Name in ProofName]: (typeof PROOFS)[Name]["isFromBefore"] extends true ? Name : never;
}[ProofName];

/** The names of all kinds. */
export const PROOF_NAMES = Object.keys(PROOFS) as readonly ProofName[];
/** What may be shown as a thing from before a change. */
export const FORMER_PROOFS = PROOF_NAMES.filter((name): name is FormerProofName => PROOFS[name].isFromBefore);

/** Whether a proof of this kind is a code that somebody types. */
export function isCodeProof(name: string): name is CodeProofName {
  const kind: ProofKind | undefined = (PROOFS as Readonly<Record<string, ProofKind>>)[name];
  return kind?.code !== undefined;
}

/** Digits of the longest code that an authenticator app shows (RFC 6238). */
const MAX_TOTP_DIGITS = 8;

/**
 * The proof that somebody means who was asked for "a code of your authenticator app, or a recovery code".
 * @param typed as it was typed, with blanks or hyphens. @returns a proof to send; whether the code is right, the service says.
 * @example
 * ```ts
 * codeProofOf("123 456").type // → "totp"
 * codeProofOf("7k2mq-x9d4e-p3w8h").type // → "recovery-code"
 * ```
 */
export function codeProofOf(typed: string): { type: CodeProofName; code: string } {
  const isRecovery = /[a-z]/i.test(typed) || typed.replace(/\D/g, "").length > MAX_TOTP_DIGITS;
  return { type: isRecovery ? "recovery-code" : "totp", code: typed };
}
