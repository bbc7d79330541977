/** Introspection (RFC 7662) and revocation (RFC 7009) of check tokens. */
import type { Introspection } from "@lucchetto/contract";
import { hashToken, isSessionAlive, levelOf, sessionEnd } from "@lucchetto/core";
import { inTransaction } from "../../base/storage/index.ts";
import type { ShownKey } from "../../people/access-key/access-key.ts";
import { describeAccessKey, recogniseAccessKey } from "../../people/access-key/access-key.ts";
import { signOut } from "../../people/session/session.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { record } from "../../records/journal/journal.ts";
import { claimsOf } from "../../records/oauth/claims.ts";
import type { CheckedToken } from "../../records/oauth/store.ts";
import { endCheckToken } from "../../records/oauth/store.ts";
import { findSession } from "../../records/session/store.ts";

const INACTIVE = { active: false } as const;

/** Looks a token up; what it means is decided only once the asking app is known. */
export async function lookUpCheckToken(
  { lookUps }: ServiceContext,
  text: string,
): Promise<CheckedToken | null> {
  const hashed = hashToken("check-token", text);
  return hashed === null ? null : lookUps.checkToken(hashed);
}

/** What an app learns by a token. Asking counts as use of the session. */
export function introspect(
  { configuration, clock, lastSeen, appUsage: questions }: ServiceContext,
  found: CheckedToken | null,
  asking: { appId: string; clientId: string },
): Introspection {
  const now = clock.now();
  questions.note(asking.appId, "introspect");
  if (found === null || found.appId !== asking.appId || found.tokenEndedAt !== null) return INACTIVE;
  const { session, account, issuedAt } = found;
  if (!isSessionAlive(session, now) || account.state !== "active") return INACTIVE;
  lastSeen.note(session, now);
  return {
    active: true,
    ...claimsOf(account),
    labels: account.labels,
    sid: session.id,
    iat: seconds(issuedAt),
    auth_time: seconds(session.authTime),
    exp: seconds(sessionEnd(session)),
    checked_at: seconds(now),
    acr: `aal${levelOf(session, now)}`,
    amr: session.amr,
    client_id: asking.clientId,
    token_type: "Bearer",
    iss: configuration.publicUrl,
  };
}

/** What an app learns by an access key. */
export async function introspectKey(
  context: ServiceContext,
  shown: Omit<ShownKey, "appId">,
  { appId, clientId }: { appId: string; clientId: string },
): Promise<Introspection> {
  context.appUsage.note(appId, "introspect");
  const key = await recogniseAccessKey(context, { ...shown, appId });
  return key === null ? INACTIVE : describeAccessKey(context, key, clientId);
}

/**
 * Ends a check token of the asking app; anything else is left alone, and nothing says so (RFC 7009 section 2.2). A session that
 * was begun in a form of the app's own ends with it: nobody else holds anything of it.
 */
export async function revoke(
  context: ServiceContext,
  text: string,
  { appId, visit }: { appId: string; visit: RequestOrigin },
): Promise<void> {
  const hashed = hashToken("check-token", text);
  const found = hashed === null ? null : await context.lookUps.checkToken(hashed);
  if (hashed === null || found === null || found.appId !== appId) return;
  const session = await findSession(context.dataSource, found.session.id);
  if (session?.appId === appId) await signOut(context, found, visit);
  const now = context.clock.now();
  await inTransaction(context.dataSource, async (manager) => {
    if (!(await endCheckToken(manager, { tokenHash: hashed, appId }, now))) return;
    const event = {
      kind: "app.check-token-revoked",
      accountId: found.account.id,
      sessionId: found.session.id,
      appId,
    } as const;
    await record(context, manager, { event, visit, now });
  });
}

function seconds(date: Date): number {
  return Math.floor(date.getTime() / 1_000);
}
