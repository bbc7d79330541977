/** Who does something with somebody else's account: an operator, or the server of an app that has the right to. */
import { BUILT_IN_LABELS } from "@lucchetto/contract";
import type { SecurityEvent } from "../journal/journal.ts";
import type { AccountFacts } from "../storage/index.ts";

export type Actor =
  | { readonly operator: Pick<AccountFacts, "id" | "email" | "username" | "displayName"> }
  | { readonly appId: string };

/** The actor as the journal names it. */
export function inJournal(actor: Actor): Pick<SecurityEvent, "actorId" | "appId"> {
  return "operator" in actor ? { actorId: actor.operator.id } : { appId: actor.appId };
}

/** Whether an account belongs to somebody who operates the service or audits it. */
export function isOfOperators({ labels }: { readonly labels: readonly string[] }): boolean {
  return labels.some((label) => BUILT_IN_LABELS.includes(label));
}
