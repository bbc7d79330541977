/** Use cases of access keys: make one, list and delete one's own, and say whose one is. */
import { randomBytes } from "node:crypto";
import type { AccessKey, Introspection } from "@lucchetto/contract";
import { fieldError } from "@lucchetto/contract";
import type { PlainToken } from "@lucchetto/core";
import {
  faultOfAccessKey,
  hashToken,
  labelsOfAccessKey,
  MAX_ACCESS_KEYS,
  mintToken,
  OPERATOR_LABEL,
  readIdentifier,
  TOKEN_BYTES,
} from "@lucchetto/core";
import { fieldProblem, ProblemReply } from "../../base/problem.ts";
import type { AccessKeyRow } from "../../base/storage/index.ts";
import { newId, noteUsesBy } from "../../base/storage/index.ts";
import type { HeldAccessKey } from "../../records/access-key/store.ts";
import {
  countAccessKeysOf,
  deleteAccessKey,
  insertAccessKey,
  listAccessKeysOf,
  noteAccessKeyUse,
} from "../../records/access-key/store.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { assertFresh } from "../../records/granting/fresh.ts";
import { changeOwn } from "../../records/granting/own-change.ts";
import { record } from "../../records/journal/journal.ts";
import { recordAndTell } from "../../records/journal/mails.ts";
import { claimsOf } from "../../records/oauth/claims.ts";
import type { LiveSession } from "../../records/session/store.ts";
import { countOwnWork } from "../../records/throttle/throttle.ts";

interface WantedKey {
  readonly name: string;
  readonly expiresAt?: string | undefined;
  readonly labels?: readonly string[] | undefined;
}

/** Makes one. @throws ProblemReply `reauthenticate`, `invalid-fields`, `not-signed-in`. */
export async function makeAccessKey(
  context: ServiceContext,
  { session, account }: LiveSession,
  wanted: WantedKey,
  visit: RequestOrigin,
): Promise<{ accessKey: AccessKey; key: PlainToken<"access-key"> }> {
  const { clock } = context;
  await assertFresh(context, { session, account });
  await countOwnWork(context, "account-keys", account.id);
  const expiresAt = wanted.expiresAt === undefined ? null : new Date(wanted.expiresAt);
  if (expiresAt !== null && expiresAt <= clock.now())
    throw fieldProblem([fieldError("expiresAt", "in-the-past")]);
  const labels = wanted.labels === undefined ? null : [...new Set(wanted.labels)];
  const errors = (labels ?? []).flatMap((label, index) => {
    const path = `labels.${index}`;
    if (label === OPERATOR_LABEL) return [fieldError(path, "label-of-operators")];
    return account.labels.includes(label) ? [] : [fieldError(path, "label-not-yours")];
  });
  if (errors.length > 0) throw fieldProblem(errors);

  const { plain, hashed } = mintToken("access-key", randomBytes(TOKEN_BYTES));
  return changeOwn(context, { session, account }, async ({ manager, account: locked, now }) => {
    const lost = (labels ?? []).findIndex((label) => !locked.labels.includes(label));
    if (lost >= 0) throw fieldProblem([fieldError(`labels.${lost}`, "label-not-yours")]);
    if ((await countAccessKeysOf(manager, account.id)) >= MAX_ACCESS_KEYS) {
      throw fieldProblem([fieldError("name", "too-many-access-keys", { most: MAX_ACCESS_KEYS })]);
    }
    const { name } = wanted;
    const row = { id: newId(now), accountId: account.id, keyHash: hashed, name, labels };
    const made: AccessKeyRow = {
      ...row,
      createdAt: now,
      expiresAt,
      lastUsedAt: null,
      network: visit.network,
    };
    await insertAccessKey(manager, made);
    const event = { kind: "access-key.made", accountId: account.id, sessionId: session.id } as const;
    await recordAndTell(context, manager, { event, readers: { owner: locked }, visit, now });
    return { accessKey: showAccessKey(made), key: plain };
  });
}

/** One's own, newest first. */
export async function listOwnAccessKeys(
  { dataSource }: ServiceContext,
  { account }: LiveSession,
): Promise<AccessKey[]> {
  return (await listAccessKeysOf(dataSource, account.id)).map(showAccessKey);
}

/** Deletes one; another person's is as missing as none. @throws ProblemReply `not-found`. */
export async function deleteOwnAccessKey(
  context: ServiceContext,
  caller: LiveSession,
  id: string,
  visit: RequestOrigin,
): Promise<void> {
  await changeOwn(context, caller, async ({ manager, account, session, now }) => {
    if (!(await deleteAccessKey(manager, { id, accountId: account.id }))) throw new ProblemReply("not-found");
    const event = { kind: "access-key.deleted", accountId: account.id, sessionId: session.id } as const;
    await record(context, manager, { event, visit, now });
  });
}

export function showAccessKey(row: AccessKeyRow): AccessKey {
  return {
    id: row.id,
    name: row.name,
    labels: row.labels,
    createdAt: row.createdAt.toISOString(),
    expiresAt: row.expiresAt?.toISOString() ?? null,
    lastUsedAt: row.lastUsedAt?.toISOString() ?? null,
    network: row.network,
  };
}

/** A key that was shown, and where. */
export interface ShownKey {
  readonly text: string;
  /** The name that came with it (RFC 7617), if one did; it must be the holder's. */
  readonly username: string | undefined;
  /** The app that asks; `null` for the proxy check. */
  readonly appId: string | null;
  readonly visit: RequestOrigin;
}

const noteUse = noteUsesBy(noteAccessKeyUse);

type UsableKey = HeldAccessKey & { readonly carries: readonly string[] };

/**
 * Whose key it is, if it can be used. Its use is noted; one that cannot be used is journalled, and nothing tells the
 * caller why.
 */
export async function recogniseAccessKey(
  context: ServiceContext,
  { text, username, appId, visit }: ShownKey,
): Promise<UsableKey | null> {
  const { lookUps, clock } = context;
  const hashed = hashToken("access-key", text);
  const held = hashed === null ? null : await lookUps.accessKey(hashed);
  const now = clock.now();
  const fault =
    held === null
      ? "unknown"
      : (faultOfAccessKey(held, held.account, now) ?? (isNameOf(held, username) ? null : "other-name"));
  if (held === null || fault !== null) {
    const accountId = held?.account.id ?? null;
    const refused = { kind: "access-key.refused", reason: fault ?? "unknown", accountId, appId } as const;
    await context.refusals.note(refused, visit);
    return null;
  }
  noteUse(context.dataSource, held, now);
  return { ...held, carries: labelsOfAccessKey(held, held.account) };
}

/** What an app learns by an access key. */
export function describeAccessKey(
  { configuration, clock }: Pick<ServiceContext, "configuration" | "clock">,
  { account, id, createdAt, expiresAt, carries }: UsableKey,
  clientId: string,
): Introspection {
  return {
    active: true,
    ...claimsOf(account),
    labels: [...carries],
    key_id: id,
    iat: Math.floor(createdAt.getTime() / 1_000),
    ...(expiresAt === null ? {} : { exp: Math.floor(expiresAt.getTime() / 1_000) }),
    checked_at: Math.floor(clock.now().getTime() / 1_000),
    acr: "aal1",
    amr: ["key"],
    client_id: clientId,
    token_type: "Bearer",
    iss: configuration.publicUrl,
  };
}

function isNameOf({ account }: HeldAccessKey, username: string | undefined): boolean {
  if (username === undefined || username === "" || username === account.id) return true;
  const identifier = readIdentifier(username);
  if (identifier === null) return false;
  return identifier.key === (identifier.kind === "email" ? account.emailKey : account.usernameKey);
}
