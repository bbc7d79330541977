/** Use cases of apps: register one, give it keys, recognise it by its key, remove it. */
import { randomBytes } from "node:crypto";
import type { App, AppRight } from "@lucchetto/contract";
import { fieldError } from "@lucchetto/contract";
import type { PlainToken } from "@lucchetto/core";
import { faultOfReturnAddress, mintToken, TOKEN_BYTES } from "@lucchetto/core";
import type { DataSource } from "typeorm";
import { DAY } from "../../base/duration.ts";
import { fieldProblem, ProblemReply } from "../../base/problem.ts";
import type { AppKeyRow, AppRow } from "../../base/storage/index.ts";
import { isDuplicateOf, newId } from "../../base/storage/index.ts";
import {
  deleteApp,
  deleteKey,
  findApp,
  insertApp,
  insertKey,
  listKeysOf,
  lockApp,
  lockKeysOf,
  sumQuestions,
  updateApp,
} from "../../records/app/store.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import type { Actor } from "../../records/granting/actor.ts";
import { changeAs, changeAsOperator } from "../../records/granting/actor.ts";
import { record } from "../../records/journal/journal.ts";
import { recordAndTell } from "../../records/journal/mails.ts";
import type { Readers } from "../../records/journal/mails.ts";
import type { LiveSession } from "../../records/session/store.ts";

/** An app just added or given a key: the key is shown this once. */
interface AppWithKey {
  readonly app: App;
  readonly key: PlainToken<"app-key">;
}

interface NewApp {
  readonly name: string;
  readonly clientId?: string | undefined;
  readonly redirectUris: readonly string[];
  readonly signedOutUris?: readonly string[] | undefined;
  readonly ownForms?: boolean | undefined;
  readonly basicPasswords?: boolean | undefined;
  readonly rights?: readonly AppRight[] | undefined;
  /** Address of its first page. */
  readonly home?: string | null | undefined;
  readonly initiateLoginUri?: string | null | undefined;
  /** Its own pages to which mailed links lead. */
  readonly linkAddresses?: AppRow["linkAddresses"] | undefined;
}

/** Registers an app. The operators read of one that sees passwords or changes accounts. @throws ProblemReply `invalid-fields`, `identifier-taken`. */
export async function addApp(
  context: Pick<ServiceContext, "dataSource" | "clock" | "configuration" | "sealingKeys">,
  operator: LiveSession | { readonly account: { readonly id: string } },
  wanted: NewApp,
  visit: RequestOrigin,
): Promise<AppWithKey> {
  assertAddresses(wanted);
  assertFormsBehind(wanted);
  const now = context.clock.now();
  const actor: Actor = "session" in operator ? { operator } : { onThisMachine: operator.account.id };
  const app: AppRow = {
    id: newId(now),
    clientId: wanted.clientId ?? clientIdFrom(wanted.name),
    name: wanted.name,
    redirectUris: [...wanted.redirectUris],
    signedOutUris: [...(wanted.signedOutUris ?? [])],
    ownForms: wanted.ownForms ?? false,
    basicPasswords: wanted.basicPasswords ?? false,
    rights: [...new Set(wanted.rights)],
    home: wanted.home ?? null,
    initiateLoginUri: wanted.initiateLoginUri ?? null,
    linkAddresses: wanted.linkAddresses ?? {},
    createdAt: now,
  };
  const { row, plain } = newKey(app.id, now);
  try {
    await changeAs(
      context,
      actor,
      async ({ manager }) => {
        await insertApp(manager, app);
        await insertKey(manager, row);
        const event = { kind: "app.added", appId: app.id, actorId: operator.account.id } as const;
        const operators = "session" in operator && hasRights(app) ? tellOf(app, operator) : undefined;
        await recordAndTell(context, manager, { event, readers: { operators }, visit, now });
      },
      { tells: true },
    );
  } catch (error) {
    if (!isDuplicateOf(error, "app_client_id")) throw error;
    throw fieldProblem(
      [fieldError("clientId", "client-id-taken", { clientId: app.clientId })],
      "identifier-taken",
    );
  }
  return { app: showApp(app, [row]), key: plain };
}

/** What takes the place of what was; the client id stays. */
type AppChange = { readonly [Part in keyof Omit<NewApp, "clientId">]?: NewApp[Part] | undefined };

/**
 * Changes an app. What it asked for before goes on: its check tokens, and codes that are on their way.
 * The operators read of it, if the app may more than before. @throws ProblemReply `not-found`, `invalid-fields`.
 */
export async function changeApp(
  context: ServiceContext,
  operator: LiveSession,
  { appId, change, visit }: { appId: string; change: AppChange; visit: RequestOrigin },
): Promise<App> {
  const { dataSource, clock } = context;
  assertAddresses(change);
  const now = clock.now();
  const changed = await changeAsOperator(
    context,
    operator,
    async ({ manager }) => {
      const before = await lockApp(manager, appId);
      if (before === null) throw new ProblemReply("not-found");
      const given = Object.entries(change).filter(([, value]) => value !== undefined);
      const after: AppRow = { ...before, ...Object.fromEntries(given) };
      after.rights = [...new Set(after.rights)];
      // Taken away, the forms take the pages of their mails with them.
      if (change.ownForms === false && change.linkAddresses === undefined) after.linkAddresses = {};
      assertFormsBehind(after);
      await updateApp(manager, appId, after);
      const event = { kind: "app.changed", appId, actorId: operator.account.id } as const;
      const operators = mayMore(before, after) ? tellOf(after, operator) : undefined;
      await recordAndTell(context, manager, { event, readers: { operators }, visit, now });
      return after;
    },
    { tells: true },
  );
  const [shown] = await showApps(dataSource, [changed], now);
  if (shown === undefined) throw new ProblemReply("not-found");
  return shown;
}

/** Whether an app sees passwords, or changes accounts. */
function hasRights({ ownForms, basicPasswords, rights }: AppRow): boolean {
  return ownForms || basicPasswords || rights.length > 0;
}

function tellOf({ name }: AppRow, { account }: LiveSession): Readers["operators"] {
  return { about: name, by: account };
}

/** Whether an app sees or does what it did not before. */
function mayMore(before: AppRow, after: AppRow): boolean {
  return (
    (after.ownForms && !before.ownForms) ||
    (after.basicPasswords && !before.basicPasswords) ||
    after.rights.some((right) => !before.rights.includes(right)) ||
    // Secrets of mailed links go there.
    Object.entries(after.linkAddresses).some(
      ([purpose, address]) => before.linkAddresses[purpose as keyof AppRow["linkAddresses"]] !== address,
    )
  );
}

/**
 * Gives an app another key beside the ones it has.
 * The operators read of it, if the app sees passwords or changes accounts: the key does so, too.
 * @throws ProblemReply `not-found`.
 */
export async function addKey(
  context: ServiceContext,
  operator: LiveSession,
  { appId, visit }: { appId: string; visit: RequestOrigin },
): Promise<AppWithKey> {
  const { dataSource, clock } = context;
  const app = await findApp(dataSource, appId);
  if (app === null) throw new ProblemReply("not-found");
  const now = clock.now();
  const { row, plain } = newKey(appId, now);
  await changeAsOperator(
    context,
    operator,
    async ({ manager }) => {
      await insertKey(manager, row);
      await recordAndTell(context, manager, {
        event: { kind: "app.key-added", appId, actorId: operator.account.id },
        readers: { operators: hasRights(app) ? tellOf(app, operator) : undefined },
        visit,
        now,
      });
    },
    { tells: true },
  );
  const [shown] = await showApps(dataSource, [app], now);
  if (shown === undefined) throw new ProblemReply("not-found");
  return { app: shown, key: plain };
}

/** Retires a key at once; an app keeps one at least. @throws ProblemReply `not-found`, `invalid-fields`. */
export async function retireKey(
  context: ServiceContext,
  operator: LiveSession,
  key: { appId: string; keyId: string },
  visit: RequestOrigin,
): Promise<void> {
  await changeAsOperator(context, operator, async ({ manager, now }) => {
    const keys = await lockKeysOf(manager, key.appId);
    if (!keys.some(({ id }) => id === key.keyId)) throw new ProblemReply("not-found");
    if (keys.length === 1) {
      throw new ProblemReply("invalid-fields", {
        detail: "This is the app's only key; give it another first, or remove the app.",
        errors: [fieldError("keyId", "only-key")],
      });
    }
    await deleteKey(manager, { id: key.keyId, appId: key.appId });
    const event = { kind: "app.key-retired", appId: key.appId, actorId: operator.account.id } as const;
    await record(context, manager, { event, visit, now });
  });
}

/** Removes an app; its check tokens end with it. @throws ProblemReply `not-found`. */
export async function removeApp(
  context: ServiceContext,
  operator: LiveSession,
  appId: string,
  visit: RequestOrigin,
): Promise<void> {
  await changeAsOperator(context, operator, async ({ manager, now }) => {
    if (!(await deleteApp(manager, appId))) throw new ProblemReply("not-found");
    const event = { kind: "app.removed", appId, actorId: operator.account.id } as const;
    await record(context, manager, { event, visit, now });
  });
}

/** How far back an app's questions are summed up. */
const ASKED_DAYS = 30;

/** Apps as operators see them, with their keys and what they asked. */
export async function showApps(dataSource: DataSource, rows: readonly AppRow[], now: Date): Promise<App[]> {
  const ids = rows.map(({ id }) => id);
  const since = new Date(now.getTime() - (ASKED_DAYS - 1) * DAY).toISOString().slice(0, 10);
  const today = now.toISOString().slice(0, 10);
  const [keys, sums] = await Promise.all([
    listKeysOf(dataSource, ids),
    sumQuestions(dataSource, ids, { since, today }),
  ]);
  return rows.map((row) => ({
    ...showApp(
      row,
      keys.filter(({ appId }) => appId === row.id),
    ),
    asked: sums
      .filter(({ appId }) => appId === row.id)
      .map((sum) => ({ kind: sum.kind, today: sum.today, thirtyDays: sum.all })),
  }));
}

function showApp(app: AppRow, keys: readonly AppKeyRow[]): App {
  return {
    id: app.id,
    clientId: app.clientId,
    name: app.name,
    redirectUris: app.redirectUris,
    signedOutUris: app.signedOutUris,
    ownForms: app.ownForms,
    basicPasswords: app.basicPasswords,
    rights: app.rights,
    home: app.home,
    initiateLoginUri: app.initiateLoginUri,
    linkAddresses: app.linkAddresses,
    createdAt: app.createdAt.toISOString(),
    asked: [],
    keys: keys.map(({ id, createdAt, lastUsedAt }) => ({
      id,
      createdAt: createdAt.toISOString(),
      lastUsedAt: lastUsedAt?.toISOString() ?? null,
    })),
  };
}

function newKey(appId: string, now: Date): { row: AppKeyRow; plain: PlainToken<"app-key"> } {
  const { plain, hashed } = mintToken("app-key", randomBytes(TOKEN_BYTES));
  return { plain, row: { id: newId(now), appId, keyHash: hashed, createdAt: now, lastUsedAt: null } };
}

function clientIdFrom(name: string): string {
  const slug = name
    .normalize("NFKD")
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-+|-+$/g, "")
    .slice(0, 63);
  return slug.length >= 2 ? slug : `app-${randomBytes(4).toString("hex")}`;
}

/** @throws ProblemReply `invalid-fields` for pages of mailed links that nothing would ever lead to. */
function assertFormsBehind({ ownForms = false, linkAddresses = {} }: AppChange): void {
  if (!ownForms && Object.keys(linkAddresses).length > 0)
    throw fieldProblem([fieldError("linkAddresses", "own-forms-first")]);
}

function assertAddresses({
  redirectUris = [],
  signedOutUris = [],
  home,
  initiateLoginUri,
  linkAddresses = {},
}: AppChange): void {
  const faultsOf = (path: string, address: string | null = null) => {
    const fault = address === null ? null : faultOfReturnAddress(address);
    return fault === null ? [] : [fieldError(path, "address-unacceptable", { reason: fault })];
  };
  const faults = (path: string, addresses: readonly string[]) =>
    addresses.flatMap((address, index) => faultsOf(`${path}.${index}`, address));
  const errors = [
    ...faults("redirectUris", redirectUris),
    ...faults("signedOutUris", signedOutUris),
    ...faultsOf("home", home),
    ...faultsOf("initiateLoginUri", initiateLoginUri),
    ...Object.entries(linkAddresses).flatMap(([purpose, address]) =>
      faultsOf(`linkAddresses.${purpose}`, address),
    ),
  ];
  if (errors.length > 0) throw fieldProblem(errors);
}
