/** Authenticator apps taken over from another system, by their key URIs. What was imported counts at once. */
import { randomBytes } from "node:crypto";
import type { CallOf, ReplyOf, routes } from "@lucchetto/contract";
import type { KeyUri } from "@lucchetto/core";
import {
  Base32Error,
  KeyUriError,
  LEAST_SECRET_BYTES,
  NONCE_LENGTH,
  readEmail,
  readKeyUri,
  readUsername,
  seal,
  SHORT_SECRET_BYTES,
  writeBase32,
} from "@lucchetto/core";
import { findAccounts, findByIdentifier, lockAccount } from "../account/store.ts";
import type { ServiceContext, Visit } from "../context.ts";
import { record } from "../journal/journal.ts";
import { tellOtherOperators } from "../operator/tell-others.ts";
import type { LiveSession } from "../session/store.ts";
import type { AccountRow } from "../storage/index.ts";
import { inTransaction, newId } from "../storage/index.ts";
import { assertLastingKeys } from "./second-factor.ts";
import { secretPlace } from "./secret.ts";
import { insertAuthenticator, listConfirmed } from "./store.ts";

type Import = CallOf<typeof routes.importAuthenticators>["body"];
type Imported = ReplyOf<typeof routes.importAuthenticators>["body"]["items"][number];

/** How an imported app is called until its owner calls it something else. */
const NAME = "Authenticator app";

/** Imports them, one after the other. @throws ProblemReply `keys-missing`. */
export async function importAuthenticators(
  context: ServiceContext,
  operator: LiveSession,
  { match, items, acceptShort = false }: Import,
  visit: Visit,
): Promise<Imported[]> {
  assertLastingKeys(context);
  const outcomes: Imported[] = [];
  for (const item of items)
    outcomes.push(await importOne(context, operator, { ...item, match, acceptShort, visit }));
  const count = outcomes.filter(({ outcome }) => outcome.startsWith("imported")).length;
  if (count > 0)
    await inTransaction(context.dataSource, (manager) =>
      tellOtherOperators(context, manager, {
        what: "factors-imported",
        about: `${count} accounts`,
        by: operator.account,
        reason: null,
        visit,
      }),
    );
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
    visit,
  }: Import["items"][number] & { match: Import["match"]; acceptShort: boolean; visit: Visit },
): Promise<Imported> {
  const read = readUri(uri);
  if ("outcome" in read) return read;
  const isShort = read.secret.length < LEAST_SECRET_BYTES;
  if (isShort && !acceptShort) return { outcome: "short-not-accepted", detail: bitsOf(read) };
  const found = await findNamed(context, match, named);
  if (found === null) return { outcome: "account-unknown", detail: null };
  return inTransaction(context.dataSource, async (manager): Promise<Imported> => {
    const account = await lockAccount(manager, found.id);
    if (account === null || account.state === "closed") return { outcome: "account-unknown", detail: null };
    const { id: accountId } = account;
    if ((await listConfirmed(manager, accountId)).length > 0)
      return { outcome: "has-one-already", detail: null };
    const now = context.clock.now();
    const id = newId(now);
    await insertAuthenticator(manager, {
      id,
      accountId,
      name: NAME,
      sealedSecret: seal(
        context.sealingKeys,
        writeBase32(read.secret),
        secretPlace(id),
        randomBytes(NONCE_LENGTH),
      ),
      ...read.settings,
      lastStep: null,
      drift: 0,
      lastOffset: null,
      isShort,
      createdAt: now,
      expiresAt: now,
      activatedAt: now,
      lastUsedAt: null,
      removedAt: null,
    });
    const event = { kind: "totp.imported", accountId, actorId: operator.account.id } as const;
    await record(context, manager, { event, visit, now });
    return { outcome: isShort ? "imported-short" : "imported", detail: isShort ? bitsOf(read) : null };
  });
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
