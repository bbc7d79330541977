/** Who must have a second factor. */
import { BUILT_IN_LABELS } from "@lucchetto/contract";
import type { SecondFactorDuty } from "@lucchetto/core";
import type { Configuration } from "../config/index.ts";

/** By the configuration, and in production operators and auditors in any case. */
export function dutyOf(
  { configuration }: { configuration: Pick<Configuration, "secondFactor" | "mode"> },
  { labels }: { labels: readonly string[] },
): SecondFactorDuty {
  const { required, passkeyOnly } = configuration.secondFactor;
  if (labels.some((label) => passkeyOnly.includes(label))) return "passkey";
  const isOfOffice = labels.some((label) => BUILT_IN_LABELS.includes(label));
  if (configuration.mode === "production" && isOfOffice) return "any";
  const isListed = required === "everybody" || labels.some((label) => required.includes(label));
  return isListed ? "any" : "none";
}
