/** What a sign-in in progress still wants before it is a session. */
import { MAILED, MORE_THAN_ONE, PASSWORD, RECOVERY_CODE } from "./methods.ts";
import type { SecondFactor } from "./proofs.ts";

/** Any one of these moves a sign-in on. */
export type RequiredProof =
  | "password"
  | "mail-link"
  | "mail-code"
  | "new-password"
  | Enrolment
  | SecondFactor;

/** A second factor that is set up inside the sign-in. */
export type Enrolment = "enrol-passkey" | "enrol-totp";

/** Whether an account must have a second factor, and of which kind. */
export type SecondFactorDuty = "none" | "any" | "passkey";

/** So many wrong proofs end a sign-in in progress. */
export const MAX_WRONG_PROOFS = 5;

/** Milliseconds that a sign-in in progress may take from its first proof; tries do not extend it. Before, a mail may be waited for as long as its link lives. */
export const PENDING_SIGN_IN_LIFE = 5 * 60_000;

/** What is known of the account that matters for how a sign-in goes on. */
export interface SignInRule {
  /** An operator wants a new password. */
  readonly mustChangePassword: boolean;
  /** It was enough beside a second factor, which is not required any more. */
  readonly isPasswordTooShort: boolean;
  /** A password that an operator gave: it is enough by itself for a while, and then nothing. */
  readonly firstPassword: "none" | "valid" | "lapsed";
  /** What the account can show besides a first proof; empty: it has no second factor. */
  readonly secondFactors: readonly SecondFactor[];
  /** An operator removed the second factor: the next sign-in wants password and mailed proof. */
  readonly wantsMailedProof: boolean;
  /** Whether a mail reaches an address that was proved. */
  readonly isReachable: boolean;
  readonly hasPassword: boolean;
  readonly duty: SecondFactorDuty;
  /** An authenticator with a short secret came from another system: another second factor takes its place at the next sign-in. */
  readonly mustRenewFactor: boolean;
}

/**
 * What is wanted next, in this order: second factor, mailed proof, a second factor that must be set up, new password. Whoever knows the
 * old password alone neither chooses the new one nor sets a factor up where the owner can be asked.
 * @param shown the methods of the proofs shown so far (RFC 8176).
 * @returns any one of these moves it on; empty: the sign-in is complete; `null`: nothing that is left opens the account,
 *   and an operator has to help.
 */
export function wantedNext(rule: SignInRule, shown: readonly string[]): readonly RequiredProof[] | null {
  const { mustChangePassword, firstPassword, secondFactors, wantsMailedProof, isReachable } = rule;
  const factors = factorsWanted(rule, shown);
  if (factors.length > 0) return factors;
  if (firstPassword === "lapsed" && shown.includes(PASSWORD) && !shown.includes(MAILED)) return null;
  const isProvedOtherwise = secondFactors.length > 0 || firstPassword === "valid";
  const needsMail = wantsMailedProof || (mustChangePassword && !isProvedOtherwise);
  if (needsMail && !shown.includes(MAILED)) return isReachable ? BY_MAIL : null;
  if (wantsMailedProof && rule.hasPassword && !shown.includes(PASSWORD)) return ["password"];
  const enrolments = enrolmentsWanted(rule, shown);
  if (enrolments.length > 0) {
    const asksOwner = isReachable && firstPassword !== "valid";
    return asksOwner && !shown.includes(MAILED) ? BY_MAIL : enrolments;
  }
  const isTooShort = rule.isPasswordTooShort && shown.includes(PASSWORD);
  return mustChangePassword || isTooShort ? ["new-password"] : [];
}

/** Of those that the account has. Where only a passkey counts, a recovery code stands in for it, and an app comes before one is set up. */
function factorsWanted(
  { duty, secondFactors }: SignInRule,
  shown: readonly string[],
): readonly SecondFactor[] {
  if (duty !== "passkey" || isByPasskey(shown) || !secondFactors.includes("passkey"))
    return shown.includes(MORE_THAN_ONE) ? [] : secondFactors;
  return shown.includes(RECOVERY_CODE) ? [] : secondFactors.filter((one) => one !== "totp");
}

function enrolmentsWanted(
  { duty, secondFactors, mustRenewFactor }: SignInRule,
  shown: readonly string[],
): readonly Enrolment[] {
  if (mustRenewFactor && duty !== "passkey") return ANY_FACTOR;
  switch (duty) {
    case "none":
      return [];
    case "any":
      return secondFactors.length > 0 || shown.includes(MORE_THAN_ONE) ? [] : ANY_FACTOR;
    case "passkey":
      return isByPasskey(shown) ? [] : ["enrol-passkey"];
  }
}

const ANY_FACTOR = ["enrol-passkey", "enrol-totp"] as const;

const BY_MAIL = ["mail-link", "mail-code"] as const;

/** RFC 8176: a key was shown to be held, in hardware or in software. */
function isByPasskey(shown: readonly string[]): boolean {
  return shown.includes("hwk") || shown.includes("swk");
}

/**
 * The methods of a sign-in after a second proof; more than one proof is "mfa" (RFC 8176).
 * @example
 * ```ts
 * amrWith(["pwd"], ["otp"]) // → [ "pwd", "otp", "mfa" ]
 * ```
 */
export function amrWith(amr: readonly string[], second: readonly string[]): string[] {
  return [...new Set([...amr, ...second, MORE_THAN_ONE])];
}

/** The methods of a sign-in by something that proves both what somebody holds and who it is: more than one proof in one. */
export function amrOfWhole(amr: readonly string[]): string[] {
  return amrWith([], amr);
}

/** The methods after one more proof that is no second factor. */
export function amrBeside(amr: readonly string[], further: readonly string[]): string[] {
  return [...new Set([...amr, ...further])];
}

/**
 * The level that the proofs shown so far make.
 * @example
 * ```ts
 * levelShown(["pwd", "otp", "mfa"]) // → 2
 * levelShown(["pwd"]) // → 1
 * ```
 */
export function levelShown(amr: readonly string[]): 1 | 2 {
  return amr.includes(MORE_THAN_ONE) ? 2 : 1;
}
