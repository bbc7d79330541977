/** Use cases of an application's own server that has the right `accounts`. It never touches what is the operators'. */
import type { Account, CallOf, routes } from "@lucchetto/contract";
import { fieldError } from "@lucchetto/contract";
import { changeAccount } from "../account/account.ts";
import { BUILT_IN_LABELS } from "../account/actor.ts";
import { addAccount } from "../account/operate.ts";
import { showAccount } from "../account/show.ts";
import { listAccounts } from "../account/store.ts";
import type { KeyedApp } from "../app/store.ts";
import type { ServiceContext, Visit } from "../context.ts";
import { invite } from "../mail-link/invitation.ts";
import { fieldProblem } from "../problem.ts";
import type { Page, PageQuery } from "../storage/index.ts";
import { pageOf } from "../storage/index.ts";
import { countAppWork } from "../throttle/throttle.ts";

type Addition = CallOf<typeof routes.addAccountByApp>["body"];
type Invitation = CallOf<typeof routes.inviteAccountByApp>["body"];
type Change = CallOf<typeof routes.changeAccountByApp>["body"];

/** Who asks, and from where. */
interface Asking {
  readonly app: KeyedApp;
  readonly visit: Visit;
}

/** A page of accounts, newest first; without those that are being erased, and without operators' and auditors'. */
export async function findByApp(
  context: ServiceContext,
  { app }: Asking,
  { search, ...page }: PageQuery & { search?: string | undefined },
): Promise<Page<Account>> {
  await begin(context, app);
  const rows = await listAccounts(context.dataSource, { search, withoutLabels: BUILT_IN_LABELS }, page);
  return pageOf(rows, page, showAccount);
}

/** Adds an account without a password. @throws ProblemReply `invalid-fields`, `identifier-taken`, `throttled`. */
export async function addByApp(
  context: ServiceContext,
  { app, visit }: Asking,
  addition: Addition,
): Promise<Account> {
  await begin(context, app);
  assertOwnLabels(addition.labels);
  return addAccount(context, { appId: app.appId }, addition, visit);
}

/** Invites. @throws ProblemReply `invalid-fields`, `identifier-taken`, `mail-missing`, `account-of-operators`, `throttled`. */
export async function inviteByApp(
  context: ServiceContext,
  { app, visit }: Asking,
  invitation: Invitation,
): Promise<{ isNew: boolean; account: Account }> {
  await begin(context, app);
  assertOwnLabels(invitation.labels);
  return invite(context, { appId: app.appId }, invitation, visit);
}

/**
 * Sets labels, reference or state.
 * @throws ProblemReply `not-found`, `invalid-fields`, `identifier-taken`, `account-of-operators`, `throttled`.
 */
export async function changeByApp(
  context: ServiceContext,
  { app, visit }: Asking,
  { id, ...change }: Change & { id: string },
): Promise<Account> {
  await begin(context, app);
  assertOwnLabels(change.labels);
  return showAccount(await changeAccount(context, { appId: app.appId }, id, change, visit));
}

/** Every call counts: whoever holds a stolen key reads and changes only so much in a minute. */
async function begin(context: ServiceContext, { appId }: KeyedApp): Promise<void> {
  context.questions.note(appId, "accounts");
  await countAppWork(context, appId);
}

function assertOwnLabels(labels: readonly string[] = []): void {
  const errors = labels.flatMap((label, index) =>
    BUILT_IN_LABELS.includes(label) ? [fieldError(`labels.${index}`, "built-in-label-of-others")] : [],
  );
  if (errors.length > 0) throw fieldProblem(errors);
}
