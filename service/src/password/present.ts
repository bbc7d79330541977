/** A typed password against a stored record. */
import { preparePassword } from "@lucchetto/core";
import type { ServiceContext } from "../context.ts";
import { checkable, readStored } from "./password.ts";
import { findRecord } from "./store.ts";

/** Whether it matches. A record that is none, or cannot be computed, costs the same and matches nothing. @throws ProblemReply `too-busy`. */
export async function matchesRecord(
  { hashing }: Pick<ServiceContext, "hashing">,
  stored: string | null,
  typed: string,
): Promise<boolean> {
  const prepared = preparePassword(typed);
  const record = stored === null ? null : checkable(readStored(hashing, stored));
  return prepared.ok && hashing.check(prepared.text, record);
}

/** Whether it is the account's password at present. @throws ProblemReply `too-busy`. */
export async function isPresentPassword(
  context: ServiceContext,
  accountId: string,
  typed: string,
): Promise<boolean> {
  const row = await findRecord(context.dataSource, accountId);
  return matchesRecord(context, row?.record ?? null, typed);
}
