/** Authenticator apps taken over from another system, by their key URIs. What was imported counts at once. */
import type { CallOf, ReplyOf, routes } from "@lucchetto/contract";
import type { KeyUri } from "@lucchetto/core";
import {
  Base32Error,
  KeyUriError,
  MIN_SECRET_BYTES,
  readEmail,
  readKeyUri,
  readUsername,
  SHORT_SECRET_BYTES,
} from "@lucchetto/core";
import type { AccountRow } from "../../base/storage/index.ts";
import { findAccounts, findByIdentifier, lockAccount } from "../../records/account/store.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { changeAsOperator, isOfOperators } from "../../records/granting/actor.ts";
import { recordAndTell } from "../../records/journal/mails.ts";
import { hasDoneSince } from "../../records/journal/store.ts";
import { insertAuthenticator, listConfirmed } from "../../records/second-factor/store.ts";
import type { LiveSession } from "../../records/session/store.ts";
import { applyRecoveryRule } from "../recovery/end.ts";
import { tellOfFactor } from "../recovery/undo-link.ts";
import { newAuthenticator } from "./new-authenticator.ts";
import { assertLastingKeys } from "./second-factor.ts";

type Import = CallOf<typeof routes.importAuthenticators>["body"];
type Imported = ReplyOf<typeof routes.importAuthenticators>["body"]["items"][number];

/** Milliseconds in which imports of one operator are told to the others once: a file comes in many calls. */
const ONE_IMPORT = 3_600_000;

/** Imports them, one after the other. @throws ProblemReply `keys-missing`. */
export async function importAuthenticators(
  context: ServiceContext,
  operator: LiveSession,
  { match, items, acceptShort = false }: Import,
  visit: RequestOrigin,
): Promise<Imported[]> {
  assertLastingKeys(context);
  const outcomes: Imported[] = [];
  const since = new Date(context.clock.now().getTime() - ONE_IMPORT);
  let isTold = await hasDoneSince(context.dataSource, {
    kind: "totp.imported",
    actorId: operator.account.id,
    since,
  });
  for (const item of items) {
    const one = await importOne(context, operator, { ...item, match, acceptShort, isTold, visit });
    isTold ||= one.outcome.startsWith("imported");
    outcomes.push(one);
  }
  return outcomes;
}

async function importOne(
  context: ServiceContext,
  operator: LiveSession,
  {
    account: named,
    uri,
    match,
    acceptShort,
    isTold,
    visit,
  }: Import["items"][number] & {
    match: Import["match"];
    acceptShort: boolean;
    /** The other operators know of this import. */
    isTold: boolean;
    visit: RequestOrigin;
  },
): Promise<Imported> {
  const read = readUri(uri);
  if ("outcome" in read) return read;
  const isShort = read.secret.length < MIN_SECRET_BYTES;
  if (isShort && !acceptShort) return { outcome: "short-not-accepted", detail: bitsOf(read) };
  const found = await findNamed(context, match, named);
  if (found === null) return { outcome: "account-unknown", detail: null };
  return changeAsOperator(
    context,
    operator,
    async ({ manager, now }): Promise<Imported> => {
      const account = await lockAccount(manager, found.id);
      if (account === null || account.state === "closed") return { outcome: "account-unknown", detail: null };
      const { id: accountId } = account;
      if ((await listConfirmed(manager, accountId)).length > 0)
        return { outcome: "has-one-already", detail: null };
      // Operators set up their own; nobody gives them one in passing.
      if (isOfOperators(account)) return { outcome: "of-operators", detail: null };
      const made = { accountId, secret: read.secret, settings: read.settings, isShort, expiresAt: null };
      await insertAuthenticator(manager, newAuthenticator(context.sealingKeys, made, now));
      const event = { kind: "totp.imported", accountId, actorId: operator.account.id } as const;
      const operators = isTold ? undefined : { about: `${named}, …`, by: operator.account };
      await recordAndTell(context, manager, { event, readers: { operators }, visit, now });
      await applyRecoveryRule(context, manager, { accountId, event: "factors-imported", now });
      await tellOfFactor(context, manager, { mail: "second-factor-added", account, visit, now });
      return { outcome: isShort ? "imported-short" : "imported", detail: isShort ? bitsOf(read) : null };
    },
    { tells: !isTold },
  );
}

function readUri(uri: string): KeyUri | Imported {
  try {
    const read = readKeyUri(uri, 0);
    if (read.secret.length < SHORT_SECRET_BYTES) return { outcome: "too-short", detail: bitsOf(read) };
    return read;
  } catch (error) {
    if (error instanceof KeyUriError || error instanceof Base32Error)
      return { outcome: "unreadable", detail: error.message };
    throw error;
  }
}

function bitsOf({ secret }: Pick<KeyUri, "secret">): string {
  return `${secret.length * 8} bits`;
}

async function findNamed(
  { dataSource }: ServiceContext,
  match: Import["match"],
  named: string,
): Promise<AccountRow | null> {
  if (match === "reference")
    return (await findAccounts(dataSource, { ids: [], references: [named] }))[0] ?? null;
  if (match === "email") {
    const email = readEmail(named);
    return email && findByIdentifier(dataSource, { kind: "email", key: email.key });
  }
  const username = readUsername(named);
  return username && findByIdentifier(dataSource, { kind: "username", key: username.key });
}
