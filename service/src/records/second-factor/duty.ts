/** Who must have a second factor. */
import { BUILT_IN_LABELS } from "@lucchetto/contract";
import type { SecondFactorDuty } from "@lucchetto/core";
import type { Configuration } from "../../base/config/index.ts";

interface Configured {
  readonly configuration: Pick<Configuration, "secondFactor" | "mode">;
}

/** Everybody, or whoever carries one of the labels; for some of them only a passkey counts. */
export interface SecondFactorPolicy {
  readonly everybody: boolean;
  readonly labels: readonly string[];
  readonly passkeyOnly: readonly string[];
}

/** By the configuration, and in production operators and auditors in any case. */
export function secondFactorPolicy({
  configuration: { secondFactor, mode },
}: Configured): SecondFactorPolicy {
  const { required, passkeyOnly } = secondFactor;
  const office = mode === "production" ? BUILT_IN_LABELS : [];
  const listed = required === "everybody" ? [] : required;
  return {
    everybody: required === "everybody",
    labels: [...new Set([...listed, ...office, ...passkeyOnly])],
    passkeyOnly,
  };
}

/** What the labels of an account mean for it. */
export function requiredSecondFactor(
  configured: Configured,
  account: { labels: readonly string[] },
): SecondFactorDuty {
  const { everybody, labels, passkeyOnly } = secondFactorPolicy(configured);
  const carriesOneOf = (wanted: readonly string[]) =>
    wanted.length > 0 && account.labels.some((label) => wanted.includes(label));
  if (carriesOneOf(passkeyOnly)) return "passkey";
  return everybody || carriesOneOf(labels) ? "any" : "none";
}
