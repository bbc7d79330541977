/** The decision about a sign-in by password: from what is stored and what was shown to an outcome. */
import type { AccountState } from "../account/index.ts";
import { PASSWORD } from "./methods.ts";
import type { RequiredProof, SignInRule } from "./pending.ts";
import { wantedNext } from "./pending.ts";

/** What is stored of whoever was named; `null` when nobody has that name. */
export interface SignInCandidate extends SignInRule {
  readonly state: AccountState;
  /** The site wants the address proved first, and it is not. */
  readonly mustProveEmail: boolean;
  /**
   * `none`: the account has no password. `unreadable`: the stored text is no record that may be computed.
   * `pepper-key-missing k1`: it is peppered under a key that is not in the ring.
   */
  readonly record: "present" | "none" | "unreadable" | MissingPepperKey;
}

type MissingPepperKey = `pepper-key-missing ${string}`;

/** Why a sign-in was refused. For the journal alone; the reply tells only what `told` says. */
export type RefusalReason =
  | "unknown-account"
  | "wrong-password"
  | "no-password"
  | "unreadable-record"
  | MissingPepperKey
  | "invited"
  | "suspended"
  | "email-unverified"
  | "closed"
  /** The password was right, but alone it opens nothing, and nothing else can be shown. */
  | "operator-needed"
  /** The password was right, but where it was shown nothing more can be asked for. */
  | "more-wanted";

/** What becomes of a first proof. */
export type SignInDecision =
  | {
      /** Complete when `wanted` is empty. */
      readonly outcome: "proved";
      readonly wanted: readonly RequiredProof[];
      readonly aal: 1;
      readonly amr: readonly ["pwd"];
    }
  /** `told: "nothing"` is the one refusal that says neither who exists nor what was wrong. */
  | { readonly outcome: "refused"; readonly reason: RefusalReason; readonly told: "nothing" | ToldRefusal };

/** What is told to who knows the password. */
export type ToldRefusal = "account-suspended" | "account-closed" | "email-unverified" | "operator-needed";

/**
 * Decides. That an account is suspended, or its address not proved yet, is told only to who knows its password.
 * @param passwordMatches the result of the one hash that runs in every case.
 * @example
 * ```ts
 * decidePasswordSignIn(null, false) // → { outcome: "refused", reason: "unknown-account", told: "nothing" }
 * ```
 */
export function decidePasswordSignIn(
  candidate: SignInCandidate | null,
  passwordMatches: boolean,
): SignInDecision {
  if (candidate === null) return refuse("unknown-account");
  if (candidate.record === "unreadable") return refuse("unreadable-record");
  if (candidate.record === "none") return refuse("no-password");
  if (candidate.record !== "present") return refuse(candidate.record);
  if (!passwordMatches) return refuse("wrong-password");
  if (candidate.state === "invited") return refuse("invited");
  if (candidate.state === "suspended")
    return { outcome: "refused", reason: "suspended", told: "account-suspended" };
  if (candidate.state === "closed") return { outcome: "refused", reason: "closed", told: "account-closed" };
  if (candidate.mustProveEmail)
    return { outcome: "refused", reason: "email-unverified", told: "email-unverified" };
  const wanted = wantedNext(candidate, PASSWORD_AMR);
  if (wanted === null) return { outcome: "refused", reason: "operator-needed", told: "operator-needed" };
  return { outcome: "proved", wanted, aal: 1, amr: PASSWORD_AMR };
}

/** RFC 8176: password-based authentication. */
const PASSWORD_AMR = [PASSWORD] as const;

function refuse(reason: RefusalReason): SignInDecision {
  return { outcome: "refused", reason, told: "nothing" };
}
