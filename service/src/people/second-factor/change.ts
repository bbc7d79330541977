/** A second factor of any type comes or goes: what belongs to it in every case, in one transaction. */
import { randomBytes } from "node:crypto";
import type { Grounds, PlainToken, RecoveryEvent } from "@lucchetto/core";
import { amrWith, beginLevel, joinGrounds, mintToken, TOKEN_BYTES } from "@lucchetto/core";
import { ProblemReply } from "../../base/problem.ts";
import type { AccountRow, Granted } from "../../base/storage/index.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { changeOwn } from "../../records/granting/own-change.ts";
import type { SecurityEvent } from "../../records/journal/journal.ts";
import { record } from "../../records/journal/journal.ts";
import { hasShortRecord } from "../../records/password/store.ts";
import {
  countUnusedCodes,
  hasSecondFactor,
  noteGrounds,
  removeCodes,
  removeShortSecrets,
} from "../../records/second-factor/store.ts";
import type { LiveSession } from "../../records/session/store.ts";
import { noteProof, replaceToken } from "../../records/session/store.ts";
import { applyRecoveryRule } from "../recovery/end.ts";
import type { FactorMail } from "../recovery/undo-link.ts";
import { tellOfFactor } from "../recovery/undo-link.ts";
import { makeCodes } from "./make-codes.ts";

/** What a new second factor brings: recovery codes with the first one, and the session's new own token. */
export interface FactorAdded {
  readonly recoveryCodes: readonly string[] | null;
  readonly session: LiveSession["session"];
  readonly token: PlainToken<"own-token">;
}

export interface FactorChange {
  readonly kind: SecurityEvent["kind"];
  readonly mail: FactorMail;
  readonly visit: RequestOrigin;
}

/**
 * Adds one that was shown in a session, which rises to level 2 by it.
 * @param amr of what was shown (RFC 8176). @param add stores it; what it throws undoes all. It gets the moment of the change.
 * @throws ProblemReply `not-signed-in` if the session ended meanwhile.
 */
export async function addFactor<Added>(
  context: ServiceContext,
  caller: LiveSession,
  {
    amr,
    add,
    ...change
  }: FactorChange & {
    amr: readonly string[];
    add: (manager: Granted, now: Date) => Promise<Added>;
  },
): Promise<FactorAdded & { added: Added }> {
  const { plain, hashed } = mintToken("own-token", randomBytes(TOKEN_BYTES));
  return changeOwn(context, caller, async ({ manager, account, session, now }) => {
    const { id: accountId } = account;
    const added = await add(manager, now);
    if (!(await replaceToken(manager, session, hashed))) throw new ProblemReply("not-signed-in");
    const proved = { authTime: session.authTime, amr: amrWith(session.amr, amr), ...beginLevel(2, now) };
    await noteProof(manager, session.id, proved);
    await tell(context, manager, { ...change, account, sessionId: session.id, now });
    const recoveryCodes = await firstCodes(context, manager, accountId, now);
    await noteGrounds(manager, accountId, { at: now, grounds: joinGrounds(session) });
    return { added, recoveryCodes, session: { ...session, ...proved }, token: plain };
  });
}

/** Removes one; with the last one the recovery codes go as well. @param remove as `add`. */
export async function removeFactor(
  context: ServiceContext,
  caller: LiveSession,
  {
    remove,
    ...change
  }: FactorChange & {
    remove: (manager: Granted, about: { account: AccountRow; now: Date }) => Promise<void>;
  },
): Promise<void> {
  await changeOwn(context, caller, async ({ manager, account, session, now }) => {
    const { id: accountId } = account;
    await remove(manager, { account, now });
    if (!(await hasSecondFactor(manager, accountId))) {
      if (await hasShortRecord(manager, accountId)) throw new ProblemReply("password-too-short-alone");
      await removeCodes(manager, accountId, now);
    }
    await tell(context, manager, { ...change, account, sessionId: session.id, now });
  });
}

/**
 * Adds one inside a sign-in that wants it, whose session is yet to begin. @param add as of `addFactor`.
 * @returns the recovery codes that come with the first one.
 */
export async function addFactorInSignIn(
  context: ServiceContext,
  manager: Granted,
  {
    account,
    grounds,
    now,
    add,
    ...change
  }: FactorChange & {
    account: AccountRow;
    /** How far back goes what was shown in the sign-in. */
    grounds: Grounds;
    now: Date;
    add: (manager: Granted, now: Date) => Promise<unknown>;
  },
): Promise<readonly string[] | null> {
  await removeShortSecrets(manager, account.id, now);
  await add(manager, now);
  const event = "enrolment-wanted";
  await tell(context, manager, { ...change, account, sessionId: null, now, event });
  const codes = await firstCodes(context, manager, account.id, now);
  await noteGrounds(manager, account.id, { at: now, grounds });
  return codes;
}

/** A set of codes, where there is none left. */
async function firstCodes(
  context: ServiceContext,
  manager: Granted,
  accountId: string,
  now: Date,
): Promise<readonly string[] | null> {
  const isFirst = (await countUnusedCodes(manager, accountId)) === 0;
  return isFirst ? makeCodes(context, manager, accountId, now) : null;
}

async function tell(
  context: ServiceContext,
  manager: Granted,
  {
    kind,
    sessionId,
    event = "factor-changed",
    ...change
  }: FactorChange & {
    account: AccountRow;
    sessionId: string | null;
    now: Date;
    event?: RecoveryEvent;
  },
): Promise<void> {
  const { account, visit, now } = change;
  const { id: accountId } = account;
  await record(context, manager, { event: { kind, accountId, sessionId }, visit, now });
  await applyRecoveryRule(context, manager, { accountId, event, now });
  await tellOfFactor(context, manager, change);
}
