/** An account's second factor: authenticator apps and recovery codes, and how one comes and goes. */
import { randomBytes } from "node:crypto";
import type { Authenticator } from "@lucchetto/contract";
import { fieldError } from "@lucchetto/contract";
import type { TotpSettings } from "@lucchetto/core";
import {
  ENROLMENT_LIFE,
  joinGrounds,
  matchTotp,
  MAX_AUTHENTICATORS,
  ONE_TIME_PASSWORD,
  readTotpCode,
  TOTP_SECRET_BYTES,
  USUAL_TOTP,
  writeBase32,
  writeKeyUri,
} from "@lucchetto/core";
import { toString as drawQr } from "qrcode";
import { fieldProblem, ProblemReply } from "../../base/problem.ts";
import type { AccountFacts, AuthenticatorRow, Granted } from "../../base/storage/index.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { assertFresh } from "../../records/granting/fresh.ts";
import type { OwnChange } from "../../records/granting/own-change.ts";
import { changeOwn } from "../../records/granting/own-change.ts";
import { record } from "../../records/journal/journal.ts";
import { openSecret } from "../../records/second-factor/secret.ts";
import {
  activate,
  countUnusedCodes,
  deleteUnconfirmed,
  findAuthenticator,
  hasSecondFactor,
  insertAuthenticator,
  listConfirmed,
  noteGrounds,
  removeAuthenticator,
  rename,
} from "../../records/second-factor/store.ts";
import type { LiveSession } from "../../records/session/store.ts";
import { applyRecoveryRule } from "../recovery/end.ts";
import { tellOfFactor } from "../recovery/undo-link.ts";
import type { FactorAdded } from "./change.ts";
import { addFactor, removeFactor } from "./change.ts";
import { makeCodes } from "./make-codes.ts";
import { newAuthenticator, USUAL_NAME } from "./new-authenticator.ts";

/** An enrolment that was begun; the secret is nowhere else to be had. */
export interface Enrolment {
  readonly id: string;
  readonly uri: string;
  readonly secret: string;
  readonly qrSvg: string;
  readonly expiresAt: string;
}

/** How it is to be; what is left out is as every authenticator app can do it. */
export type WantedAuthenticator = {
  readonly [Setting in keyof TotpSettings]?: TotpSettings[Setting] | undefined;
} & { readonly name?: string | undefined };

/** One's own, the first one first. */
export async function listOwnAuthenticators(
  { dataSource }: ServiceContext,
  { account }: LiveSession,
): Promise<Authenticator[]> {
  return (await listConfirmed(dataSource.manager, account.id)).map(showAuthenticator);
}

/**
 * Begins with an authenticator. One begun before and not confirmed is forgotten.
 * @throws ProblemReply `reauthenticate`, `keys-missing`, `invalid-fields`, `not-signed-in`.
 */
export async function enrol(
  context: ServiceContext,
  caller: LiveSession,
  wanted: WantedAuthenticator,
): Promise<Enrolment> {
  await assertFresh(context, caller);
  return beginEnrolment(context, caller.account, wanted, (begin) => changeOwn(context, caller, begin));
}

/** Where an enrolment may begin: with the account locked, for somebody who may change it under that lock. */
type MayBegin = (
  begin: (change: Pick<OwnChange, "manager" | "account" | "now">) => Promise<string>,
) => Promise<string>;

/** As `enrol`, for whoever may. @throws ProblemReply `keys-missing`, `invalid-fields`, and what `mayBegin` throws. */
export async function beginEnrolment(
  context: ServiceContext,
  account: AccountFacts,
  wanted: WantedAuthenticator,
  mayBegin: MayBegin,
): Promise<Enrolment> {
  const { configuration, clock, sealingKeys } = context;
  assertLastingKeys(context);
  const settings: TotpSettings = {
    algorithm: wanted.algorithm ?? USUAL_TOTP.algorithm,
    digits: wanted.digits ?? USUAL_TOTP.digits,
    period: wanted.period ?? USUAL_TOTP.period,
  };
  const secret = randomBytes(TOTP_SECRET_BYTES[settings.algorithm]);
  const expiresAt = new Date(clock.now().getTime() + ENROLMENT_LIFE);
  const id = await mayBegin(async ({ manager, now }) => {
    const confirmed = await listConfirmed(manager, account.id);
    if (confirmed.length >= MAX_AUTHENTICATORS) {
      throw fieldProblem([fieldError("name", "too-many-authenticators", { most: MAX_AUTHENTICATORS })]);
    }
    await deleteUnconfirmed(manager, account.id);
    const name =
      wanted.name?.trim() ||
      (confirmed.length === 0 ? undefined : `Authenticator app ${confirmed.length + 1}`);
    const row = newAuthenticator(
      sealingKeys,
      { accountId: account.id, name, secret, settings, expiresAt },
      now,
    );
    await insertAuthenticator(manager, row);
    return row.id;
  });
  const name = account.email ?? account.username ?? account.id;
  const uri = writeKeyUri({ issuer: configuration.site.name, account: name, secret, settings });
  // Dark on light in both modes, with the quiet edge that readers need.
  const qrSvg = await drawQr(uri, { type: "svg", errorCorrectionLevel: "M", margin: 4 });
  return { id, uri, secret: writeBase32(secret), qrSvg, expiresAt: expiresAt.toISOString() };
}

/**
 * What is sealed or keyed under a key that is gone after the next start would lock its owner out: a secret, recovery codes.
 * @throws ProblemReply `keys-missing`.
 */
export function assertLastingKeys({ configuration }: ServiceContext): void {
  if (configuration.keyRing === null) throw new ProblemReply("keys-missing");
}

/**
 * Confirms an authenticator by a first code, which is spent. The session rises to level 2.
 * @throws ProblemReply `not-found`, `enrolment-lapsed`, `invalid-fields` for a code that is not right, `not-signed-in`.
 */
export async function confirm(
  context: ServiceContext,
  caller: LiveSession,
  { id, code: typed, visit }: { id: string; code: string; visit: RequestOrigin },
): Promise<FactorAdded> {
  const begun = await readBegun(context, { id, accountId: caller.account.id });
  const add = readFirstCode(context, begun, { typed, path: "code" });
  return addFactor(context, caller, { ...TOTP_ADDED, visit, add });
}

/** What adding an authenticator is, in a session and inside a sign-in. */
export const TOTP_ADDED = {
  kind: "totp.activated",
  mail: "second-factor-added",
  amr: [ONE_TIME_PASSWORD],
} as const;

/** An enrolment that can still be confirmed. @throws ProblemReply `not-found`, `enrolment-lapsed`. */
export async function readBegun(
  { dataSource, clock }: ServiceContext,
  own: Pick<AuthenticatorRow, "id" | "accountId">,
): Promise<AuthenticatorRow> {
  const row = await findAuthenticator(dataSource.manager, own);
  if (row === null || row.activatedAt !== null) throw new ProblemReply("not-found");
  if (clock.now() >= row.expiresAt) throw new ProblemReply("enrolment-lapsed");
  return row;
}

/**
 * Reads the first code. @param path of its field.
 * @returns what confirms the authenticator, in the transaction that adds it. @throws ProblemReply `invalid-fields`.
 */
export function readFirstCode(
  context: ServiceContext,
  row: AuthenticatorRow,
  { typed, path }: { typed: string; path: string },
): (manager: Granted, now: Date) => Promise<void> {
  const { id, digits } = row;
  const code = readTotpCode(typed, digits);
  if (code === null) throw fieldProblem([fieldError(path, "code-malformed", { digits })]);
  const secret = openSecret(context, row);
  const match =
    secret === null ? null : matchTotp({ secret, settings: row, lastStep: null }, code, context.clock.now());
  if (match?.outcome !== "right") throw fieldProblem([fieldError(path, "code-wrong")]);
  return async (manager, now) => {
    if (!(await activate(manager, id, { step: match.step, now }))) throw new ProblemReply("not-found");
  };
}

/** Calls one something else. @throws ProblemReply `not-found`, `invalid-fields`. */
export async function renameOwn(
  context: ServiceContext,
  caller: LiveSession,
  { id, name }: { id: string; name: string },
): Promise<Authenticator> {
  const own = { id, accountId: caller.account.id };
  if (name.trim() === "") throw fieldProblem([fieldError("name", "empty")]);
  return changeOwn(context, caller, async ({ manager }) => {
    // An update that changes nothing counts no row: what is there is asked for afterwards.
    await rename(manager, own, name.trim());
    const row = await findAuthenticator(manager, own);
    if (row === null || row.activatedAt === null) throw new ProblemReply("not-found");
    return showAuthenticator(row);
  });
}

/** Removes one; with the last one the recovery codes go as well. @throws ProblemReply `reauthenticate`, `not-found`. */
export async function removeOwn(
  context: ServiceContext,
  caller: LiveSession,
  id: string,
  visit: RequestOrigin,
): Promise<void> {
  await assertFresh(context, caller);
  const own = { id, accountId: caller.account.id };
  await removeFactor(context, caller, {
    kind: "totp.removed",
    mail: "second-factor-removed",
    visit,
    async remove(manager, { now }) {
      if (!(await removeAuthenticator(manager, own, now))) throw new ProblemReply("not-found");
    },
  });
}

export async function countOwnCodes(
  { dataSource }: ServiceContext,
  { account }: LiveSession,
): Promise<number> {
  return countUnusedCodes(dataSource.manager, account.id);
}

/** Makes a new set; the old one is void. @throws ProblemReply `reauthenticate`, `second-factor-missing`. */
export async function renewCodes(
  context: ServiceContext,
  caller: LiveSession,
  visit: RequestOrigin,
): Promise<readonly string[]> {
  await assertFresh(context, caller);
  return changeOwn(context, caller, async ({ manager, account, session, now }) => {
    if (!(await hasSecondFactor(manager, account.id))) throw new ProblemReply("second-factor-missing");
    const codes = await makeCodes(context, manager, account.id, now);
    await noteGrounds(manager, account.id, { at: now, grounds: joinGrounds(session) });
    const event = { kind: "recovery-codes.made", accountId: account.id, sessionId: session.id } as const;
    await record(context, manager, { event, visit, now });
    await applyRecoveryRule(context, manager, { accountId: account.id, event: "factor-changed", now });
    await tellOfFactor(context, manager, {
      mail: "recovery-codes-made",
      account,
      visit,
      now,
    });
    return codes;
  });
}

export function showAuthenticator(row: AuthenticatorRow): Authenticator {
  return {
    id: row.id,
    name: row.name,
    named: row.name !== USUAL_NAME,
    algorithm: row.algorithm,
    digits: row.digits,
    period: row.period,
    createdAt: row.createdAt.toISOString(),
    lastUsedAt: row.lastUsedAt?.toISOString() ?? null,
  };
}
