/** An application's own server at work on accounts, with the right `accounts`. It never touches what is the operators'. */
import type { Account } from "@lucchetto/contract";
import { BUILT_IN_LABELS } from "@lucchetto/contract";
import type { Page, PageQuery } from "../../base/storage/index.ts";
import { pageOf } from "../../base/storage/index.ts";
import { showAccount } from "../../records/account/show.ts";
import { listAccounts } from "../../records/account/store.ts";
import type { KeyedApp } from "../../records/app/store.ts";
import type { ServiceContext } from "../../records/context.ts";
import type { Actor } from "../../records/granting/actor.ts";
import { countAppWork } from "../../records/throttle/throttle.ts";

/**
 * Begins a call. Every one counts: whoever holds a stolen key reads and changes only so much in a minute.
 * @returns who does it. @throws ProblemReply `throttled`.
 */
export async function beginWork(
  context: ServiceContext,
  { appId, keyId, clientId }: KeyedApp,
): Promise<Actor> {
  context.appUsage.note(appId, "accounts");
  await countAppWork(context, appId);
  return { app: { appId, keyId, clientId } };
}

/** A page of accounts, newest first; without those that are being erased, and without operators' and auditors'. */
export async function findForApps(
  { dataSource }: ServiceContext,
  { search, ...page }: PageQuery & { search?: string | undefined },
): Promise<Page<Account>> {
  const rows = await listAccounts(dataSource, { search, withoutLabels: BUILT_IN_LABELS }, page);
  return pageOf(rows, page, showAccount);
}
