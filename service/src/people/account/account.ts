/** Use cases of operators with accounts: look at one in full, set its labels and state. */
import type { AccountDetail, OperatorAccount } from "@lucchetto/contract";
import { fieldError } from "@lucchetto/contract";
import { OPERATOR_LABEL, readScheme, SchemeError, SEALED_DIGEST_PREFIX } from "@lucchetto/core";
import { fieldProblem, ProblemReply } from "../../base/problem.ts";
import type { AccountRow, Granted, Page, PageQuery } from "../../base/storage/index.ts";
import { pageOf } from "../../base/storage/index.ts";
import { deleteAccessKeysOf } from "../../records/access-key/store.ts";
import { showToOperator } from "../../records/account/show.ts";
import type { AccountFilter } from "../../records/account/store.ts";
import { findAccount, listAccounts, lockAccount, updateAccount } from "../../records/account/store.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import type { Actor } from "../../records/granting/actor.ts";
import { changeAs, inJournal, isOfOperators } from "../../records/granting/actor.ts";
import type { Readers } from "../../records/journal/mails.ts";
import { recordAndTell } from "../../records/journal/mails.ts";
import { listPasskeys } from "../../records/passkey/store.ts";
import { findRecord, findSchemes } from "../../records/password/store.ts";
import type { ByFactor } from "../../records/second-factor/by-factor.ts";
import { secondFactorPolicy } from "../../records/second-factor/duty.ts";
import { countUnusedCodes, listConfirmed } from "../../records/second-factor/store.ts";
import { endSessionsOf } from "../../records/session/store.ts";
import { endSignInsOf } from "../../records/sign-in/store.ts";
import { leavingAnOperator } from "../operator/last-one.ts";
import { showPasskey } from "../passkey/show.ts";
import { explain, shortened } from "../password/password.ts";
import { applyRecoveryRule } from "../recovery/end.ts";
import { showAuthenticator } from "../second-factor/second-factor.ts";
import { consultAbout } from "./consult.ts";
import { takenProblem } from "./operate.ts";

interface WantedAccounts {
  readonly search?: string | undefined;
  readonly scheme?: string | undefined;
  readonly secondFactor?: Exclude<ByFactor, "due"> | undefined;
}

/** A page of accounts, with the scheme of each one's record. */
export async function listForOperators(
  { dataSource, hashing, configuration }: ServiceContext,
  { search, scheme, secondFactor, ...page }: PageQuery & WantedAccounts,
): Promise<Page<OperatorAccount>> {
  const filter = {
    search,
    ...(scheme === undefined ? {} : bySchemeOf(scheme, hashing)),
    ...(secondFactor === undefined
      ? {}
      : { bySecondFactor: { wanted: secondFactor, who: secondFactorPolicy({ configuration }) } }),
  };
  const rows = await listAccounts(dataSource, filter, page);
  const schemes = await findSchemes(
    dataSource,
    rows.map(({ id }) => id),
  );
  return pageOf(rows, page, (row) => showToOperator(row, schemes.get(row.id) ?? null));
}

/** In place of a scheme: any but the configured one. */
const OLDER_SCHEMES = "older";

/** A whole scheme is meant exactly: what went through a recipe as well is another one. An algorithm, or a beginning, is a beginning. */
function bySchemeOf(
  asked: string,
  { scheme }: Pick<ServiceContext["hashing"], "scheme">,
): Pick<AccountFilter, "scheme" | "notScheme" | "schemeStart"> {
  if (asked === OLDER_SCHEMES) return { notScheme: scheme.text };
  if (!asked.startsWith("$")) return { schemeStart: `$${asked}` };
  return isWhole(asked) ? { scheme: asked } : { schemeStart: asked };
}

function isWhole(asked: string): boolean {
  if (asked.startsWith(SEALED_DIGEST_PREFIX)) return asked.includes(",recipe=");
  try {
    return readScheme(asked).text === asked;
  } catch (error) {
    if (error instanceof SchemeError) return false;
    throw error;
  }
}

/** One account: as shown, as stored, its record taken apart. @throws ProblemReply `not-found`. */
export async function accountInFull(context: ServiceContext, id: string): Promise<AccountDetail> {
  const row = await findAccount(context.dataSource, id);
  if (row === null) throw new ProblemReply("not-found");
  const stored = await findRecord(context.dataSource, id);
  const { manager } = context.dataSource;
  const authenticators = await listConfirmed(manager, id);
  const storedShortened = stored === null ? null : { ...stored, record: shortened(context, stored.record) };
  return {
    account: showToOperator(row, stored?.scheme ?? null),
    password: stored === null ? null : await explain(context, stored),
    secondFactor: {
      authenticators: authenticators.map((row) => ({
        ...showAuthenticator(row),
        driftSeconds: row.drift * row.period,
      })),
      passkeys: (await listPasskeys(manager, id)).map((row) => ({
        ...showPasskey(row),
        signCount: row.signCount,
      })),
      recoveryCodesLeft: await countUnusedCodes(manager, id),
    },
    row: [
      ...columnsOf("account", row),
      ...(storedShortened === null ? [] : columnsOf("password_record", storedShortened)),
    ],
  };
}

function columnsOf(table: string, row: object): AccountDetail["row"] {
  return Object.entries(row).map(([column, value]) => ({ table, column, value: asStored(value) }));
}

/** A value as the database's own client would print it. */
function asStored(value: unknown): string | null {
  if (value === null) return null;
  if (value instanceof Date) return value.toISOString().replace("T", " ").replace("Z", "");
  return typeof value === "object" ? JSON.stringify(value) : String(value);
}

interface AccountChange {
  readonly labels?: string[] | undefined;
  readonly reference?: string | null | undefined;
  readonly state?: "active" | "suspended" | undefined;
  readonly mustChangePassword?: boolean | undefined;
}

/**
 * Sets labels, reference or state. Suspending ends every session in the same transaction. The application is asked, unless
 * its own server does it.
 * @throws ProblemReply `not-found`, `invalid-fields`, `identifier-taken`, `account-of-operators`, `last-operator`,
 *   `refused-by-application`, `application-unresponsive`.
 */
export async function changeAccount(
  context: ServiceContext,
  actor: Actor,
  id: string,
  change: AccountChange,
  visit: RequestOrigin,
): Promise<AccountRow> {
  if (change.state === "suspended" && "operator" in actor && id === actor.operator.account.id) {
    throw fieldProblem([fieldError("state", "own-account-suspended")]);
  }
  const asked = await findAccount(context.dataSource, id);
  if (asked === null) throw new ProblemReply("not-found");
  if (isAskedOfTheSite(change))
    await consultAbout(context, actor, { type: "account.change", account: asked, change }, visit);
  const isOperators = asked.labels.includes(OPERATOR_LABEL);
  try {
    return await changeAs(context, actor, ({ manager }) => {
      const apply = () => applyChange(context, manager, { actor, id, change, visit });
      return isOperators ? leavingAnOperator(context, manager, apply) : apply();
    });
  } catch (error) {
    throw takenProblem(error);
  }
}

/** A suspension and the wish for a new password are measures of safety: no application delays or refuses them. */
function isAskedOfTheSite({ labels, reference, state, mustChangePassword }: AccountChange): boolean {
  return (
    labels !== undefined || reference !== undefined || state === "active" || mustChangePassword === false
  );
}

async function applyChange(
  context: ServiceContext,
  manager: Granted,
  { actor, id, change, visit }: { actor: Actor; id: string; change: AccountChange; visit: RequestOrigin },
): Promise<AccountRow> {
  const account = await lockAccount(manager, id);
  if (account === null) throw new ProblemReply("not-found");
  if ("app" in actor) assertAppMayChange(account, change);
  // Suspended it would be kept from its owner's wish to be erased.
  if (account.state === "closed" && change.state === "suspended")
    throw fieldProblem([fieldError("state", "account-is-closed")]);
  const now = context.clock.now();
  const changed = {
    labels: change.labels === undefined ? account.labels : [...new Set(change.labels)],
    reference: change.reference === undefined ? account.reference : change.reference,
    state: change.state ?? account.state,
    mustChangePassword: change.mustChangePassword ?? account.mustChangePassword,
    firstPasswordUntil: firstPasswordAfter(account, change, now),
    eraseAt: change.state === undefined ? account.eraseAt : null,
    suspendedBy: suspendedByAfter(account, change, actor),
  };
  await updateAccount(manager, id, changed);
  if (changed.state === "suspended") {
    await endSessionsOf(manager, id, { now, reason: "suspended" });
    await endSignInsOf(manager, id, now);
  }
  const isPasswordWanted = change.mustChangePassword === true;
  if (isPasswordWanted)
    await applyRecoveryRule(context, manager, { accountId: id, event: "password-wanted", now });
  // Restoring the account does not bring them back: whoever held them may be why it was suspended.
  if (changed.state === "suspended") await deleteAccessKeysOf(manager, id);
  const event = {
    kind: "account.changed",
    reason: reasonOf(change),
    accountId: id,
    ...inJournal(actor),
  } as const;
  const was = account.labels.includes(OPERATOR_LABEL);
  const is = changed.labels.includes(OPERATOR_LABEL);
  const readers: Readers = {
    owner: isPasswordWanted ? account : undefined,
    operators:
      was !== is && "operator" in actor
        ? { what: is ? "operator-given" : "operator-taken", about: account, by: actor.operator.account }
        : undefined,
  };
  await recordAndTell(context, manager, { event, readers, visit, now });
  return { ...account, ...changed };
}

/** An app's own suspension takes nothing from one that an operator made before. */
function suspendedByAfter(
  { state, suspendedBy }: AccountRow,
  change: AccountChange,
  actor: Actor,
): AccountRow["suspendedBy"] {
  if (change.state === undefined) return suspendedBy;
  if (change.state !== "suspended") return null;
  if ("operator" in actor) return "operator";
  return state === "suspended" ? suspendedBy : "app";
}

/** A new one is wanted: then the first one is enough no longer. One whose time is over stays refused, whatever is wanted. */
function firstPasswordAfter(
  { firstPasswordUntil }: AccountRow,
  { mustChangePassword }: AccountChange,
  now: Date,
): Date | null {
  const isLapsed = firstPasswordUntil !== null && firstPasswordUntil <= now;
  const stays = mustChangePassword === undefined || (mustChangePassword === false && isLapsed);
  return stays ? firstPasswordUntil : null;
}

/** Applications cannot see accounts being erased, nor change operators' accounts. */
function assertAppMayChange(account: AccountRow, { state }: AccountChange): void {
  if (account.state === "closed") throw new ProblemReply("not-found");
  if (isOfOperators(account)) throw new ProblemReply("account-of-operators");
  // It becomes active when whoever was invited accepts.
  if (state === "active" && account.state === "invited")
    throw fieldProblem([fieldError("state", "account-is-invited")]);
  // What an operator suspended, or nobody knows who, only an operator restores.
  if (state === "active" && account.state === "suspended" && account.suspendedBy !== "app")
    throw new ProblemReply("suspended-by-operator");
}

function reasonOf({ state, mustChangePassword, labels, reference }: AccountChange): string {
  if (state !== undefined) return state;
  if (mustChangePassword !== undefined) return "must-change";
  return labels === undefined && reference !== undefined ? "reference" : "labels";
}
