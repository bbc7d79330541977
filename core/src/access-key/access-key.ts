/** Access keys: long random keys of an account, with which its scripts call an application's API. */
import { OPERATOR_LABEL } from "../account/index.ts";

/** Keys that one account may have. */
export const MAX_ACCESS_KEYS = 50;

/** What is kept of a key, as far as its use is concerned. */
export interface KeptAccessKey {
  /** The labels it carries at most; `null`: whatever the account carries at the time. */
  readonly labels: readonly string[] | null;
  readonly expiresAt: Date | null;
}

/** The account of a key. */
export interface KeyHolder {
  readonly state: string;
  readonly labels: readonly string[];
}

/** Why an access key opens nothing. */
export type AccessKeyFault = "expired" | "account-not-active";

/** Why a key cannot be used; `null` if it can. At its end it is over. */
export function faultOfAccessKey(key: KeptAccessKey, holder: KeyHolder, now: Date): AccessKeyFault | null {
  if (holder.state !== "active") return "account-not-active";
  return key.expiresAt !== null && now >= key.expiresAt ? "expired" : null;
}

/** The labels that count where the key is shown: those of the account that the key may carry, `operator` never. */
export function labelsOfAccessKey(key: Pick<KeptAccessKey, "labels">, holder: KeyHolder): string[] {
  return holder.labels.filter(
    (label) => label !== OPERATOR_LABEL && (key.labels === null || key.labels.includes(label)),
  );
}
