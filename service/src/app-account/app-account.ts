/** An application's own server at work on accounts, with the right `accounts`. It never touches what is the operators'. */
import type { Account } from "@lucchetto/contract";
import { BUILT_IN_LABELS } from "@lucchetto/contract";
import type { Actor } from "../account/actor.ts";
import { showAccount } from "../account/show.ts";
import { listAccounts } from "../account/store.ts";
import type { KeyedApp } from "../app/store.ts";
import type { ServiceContext } from "../context.ts";
import type { Page, PageQuery } from "../storage/index.ts";
import { pageOf } from "../storage/index.ts";
import { countAppWork } from "../throttle/throttle.ts";

/**
 * Begins a call. Every one counts: whoever holds a stolen key reads and changes only so much in a minute.
 * @returns who does it. @throws ProblemReply `throttled`.
 */
export async function beginWork(context: ServiceContext, { appId, keyId }: KeyedApp): Promise<Actor> {
  context.questions.note(appId, "accounts");
  await countAppWork(context, appId);
  return { app: { appId, keyId } };
}

/** A page of accounts, newest first; without those that are being erased, and without operators' and auditors'. */
export async function findForApps(
  { dataSource }: ServiceContext,
  { search, ...page }: PageQuery & { search?: string | undefined },
): Promise<Page<Account>> {
  const rows = await listAccounts(dataSource, { search, withoutLabels: BUILT_IN_LABELS }, page);
  return pageOf(rows, page, showAccount);
}
