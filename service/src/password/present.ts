/** The password that an account has at present. */
import { preparePassword } from "@lucchetto/core";
import type { ServiceContext } from "../context.ts";
import { checkable, readStored } from "./password.ts";
import { findRecord } from "./store.ts";

/** Whether it is the account's password. @throws ProblemReply `too-busy`. */
export async function isPresentPassword(
  context: ServiceContext,
  accountId: string,
  typed: string,
): Promise<boolean> {
  const row = await findRecord(context.dataSource, accountId);
  const prepared = preparePassword(typed);
  const stored = row === null ? null : checkable(readStored(context.hashing, row.record));
  return prepared.ok && context.hashing.check(prepared.text, stored);
}
