/** An account as it was before a change, and the one thing from then without which nothing is undone. */
import type { AssertionCredential } from "@lucchetto/contract";
import { fieldError } from "@lucchetto/contract";
import type { ChangeUndone, Former, ThingFromBefore, UndoPurpose } from "@lucchetto/core";
import {
  deriveKey,
  hashRecoveryCode,
  hashToken,
  isFromBefore,
  matchTotp,
  readRecoveryCode,
  readTotpCode,
  thingsFromBefore,
  wantsThingFromBefore,
} from "@lucchetto/core";
import type { EntityManager } from "typeorm";
import type { ServiceContext, Visit } from "../context.ts";
import type { BrowserMarks, Redemption } from "../mail-link/redemption.ts";
import { checkAssertion, spendAnswer } from "../passkey/answer.ts";
import { listAllPasskeys } from "../passkey/store.ts";
import { takeChallenge } from "../passkey/take.ts";
import { matchesRecord } from "../password/present.ts";
import { findRecord, lockRecord } from "../password/store.ts";
import { fieldProblem, ProblemReply } from "../problem.ts";
import { openSecret } from "../second-factor/secret.ts";
import { listAllCodes, listEverConfirmed, spendKeptCode, spendKeptStep } from "../second-factor/store.ts";
import type {
  AccountRow,
  AuthenticatorRow,
  MailLinkRow,
  PasskeyRow,
  RecoveryCodeRow,
} from "../storage/index.ts";
import { listDevices } from "../throttle/store.ts";
import { reserveFactorTry, reserveRecoveryCodeTry, reserveUndoTry } from "../throttle/throttle.ts";

/** What is kept with an undo link: the password record and the marks of the browsers that stood before the change. */
export interface FormerState {
  readonly record: string | null;
  readonly devices: readonly Buffer[];
}

/** Reads it, inside the transaction of the change and before it. */
export async function readFormer(manager: EntityManager, accountId: string): Promise<FormerState> {
  const stands = await lockRecord(manager, accountId);
  return { record: stands?.record ?? null, devices: await listDevices(manager, accountId) };
}

const CHANGE_OF: Readonly<Record<UndoPurpose, ChangeUndone["of"]>> = {
  "undo-change": "address",
  "undo-factor": "factor",
  "undo-erase": "erasure",
};

/** The change that a link undoes. */
export function changeOf({ purpose, createdAt }: Pick<MailLinkRow, "createdAt"> & { purpose: UndoPurpose }) {
  return { of: CHANGE_OF[purpose], at: createdAt } satisfies ChangeUndone;
}

/** The factors that stood before a change and are the owner's. */
export interface StandingFactors {
  readonly authenticators: readonly AuthenticatorRow[];
  readonly passkeys: readonly PasskeyRow[];
  readonly codes: readonly RecoveryCodeRow[];
}

export async function readStanding(
  manager: EntityManager,
  accountId: string,
  change: ChangeUndone,
): Promise<StandingFactors> {
  const authenticators = await listEverConfirmed(manager, accountId);
  const passkeys = await listAllPasskeys(manager, accountId);
  const codes = await listAllCodes(manager, accountId);
  return {
    passkeys: passkeys.filter(({ createdAt, removedAt }) =>
      isFromBefore({ since: createdAt, removedAt }, change),
    ),
    authenticators: authenticators.filter(({ activatedAt, removedAt }) =>
      isFromBefore({ since: activatedAt ?? change.at, removedAt }, change),
    ),
    codes: codes.filter(({ createdAt, removedAt }) => isFromBefore({ since: createdAt, removedAt }, change)),
  };
}

/** What has to be shown beside an undo link. */
export interface Wanting {
  /** Whether the link alone is not enough, here. */
  readonly isWanted: boolean;
  readonly shows: readonly ThingFromBefore[];
}

/** An account with what stood before a change. */
export interface Protected {
  /** Of the link beside which something is shown: tries are counted for it. */
  readonly linkId: string;
  readonly account: AccountRow;
  readonly record: string | null;
  /** Hashes of marks, in base64url. */
  readonly devices: readonly string[];
  readonly change: ChangeUndone;
}

/** Of the account as it was before the change that a link undoes. */
export function protectedBefore(
  { link, account }: { link: MailLinkRow; account: AccountRow },
  purpose: UndoPurpose,
): Protected {
  const { formerRecord: record, formerDevices } = link;
  const change = changeOf({ ...link, purpose });
  return { linkId: link.id, account, record, devices: formerDevices ?? [], change };
}

/** Of the account as it is: whoever proves an address that an operator corrected shows one thing beside the mailbox. */
export async function protectedNow(
  { dataSource, clock }: ServiceContext,
  { link, account }: { link: Pick<MailLinkRow, "id">; account: AccountRow },
): Promise<Protected> {
  const stands = await findRecord(dataSource, account.id);
  const devices = await listDevices(dataSource.manager, account.id);
  return {
    linkId: link.id,
    account,
    record: stands?.record ?? null,
    devices: devices.map((mark) => mark.toString("base64url")),
    change: { of: "factor", at: clock.now() },
  };
}

/** Looks what it takes in this browser, beside the mailbox. */
export async function wantingOf(
  { dataSource }: ServiceContext,
  { account, record, devices, change }: Protected,
  mark: string | undefined,
): Promise<Wanting> {
  const standing = await readStanding(dataSource.manager, account.id, change);
  const former: Former = {
    hasPassword: record !== null,
    hasDevice: devices.length > 0,
    hasPasskey: standing.passkeys.length > 0,
    hasAuthenticator: standing.authenticators.length > 0,
    hasRecoveryCode: standing.codes.some(({ usedAt }) => usedAt === null),
  };
  const isWanted = wantsThingFromBefore(former) && !isAmong(devices, mark);
  return { isWanted, shows: isWanted ? thingsFromBefore(former) : [] };
}

/** Whether the account knew this browser. */
function isAmong(devices: readonly string[], mark: string | undefined): boolean {
  const shown = mark === undefined ? null : hashToken("device-mark", mark);
  return shown !== null && devices.includes(shown.toString("base64url"));
}

/** Spends what was shown, in the transaction that honours it. @throws ProblemReply if another call was first. */
export type SpendShown = (manager: EntityManager, now: Date) => Promise<void>;

/**
 * Asserts that one thing from before the change came along; a known browser is one by itself.
 * @throws ProblemReply `thing-from-before-wanted`, `invalid-fields`, `throttled`, `too-busy`.
 */
export async function assertFromBefore(
  context: ServiceContext,
  of: Protected,
  { present, visit, marks }: Pick<Redemption, "present" | "visit" | "marks">,
): Promise<SpendShown> {
  const { isWanted, shows } = await wantingOf(context, of, marks.mark);
  if (!isWanted) return () => Promise.resolve();
  if (present === undefined) throw new ProblemReply("thing-from-before-wanted");
  const thing = typeof present === "string" ? "password" : present.type;
  if (!shows.includes(thing)) throw fieldProblem([fieldError("present", "former-thing-not-there")]);
  const { account, change } = of;
  if (typeof present === "string") {
    if (await isFormerPassword(context, of, { typed: present, visit })) return () => Promise.resolve();
    throw fieldProblem([fieldError("present", "former-password-wrong")]);
  }
  const standing = await readStanding(context.dataSource.manager, account.id, change);
  switch (present.type) {
    case "totp":
      return showTotp(context, { standing, account, code: present.code, visit, marks });
    case "recovery-code":
      return showRecoveryCode(context, { standing, account, code: present.code, visit });
    case "passkey":
      return showPasskeyFromBefore(context, standing, { present, visit, marks });
  }
}

/** Whether it is the password that stood then. @throws ProblemReply `throttled`, `too-busy`. */
async function isFormerPassword(
  context: ServiceContext,
  { linkId, account, record }: Protected,
  { typed, visit: { network } }: { typed: string; visit: Visit },
): Promise<boolean> {
  const reserved = await reserveUndoTry(context, { linkId, network });
  let matches: boolean;
  try {
    matches = await matchesRecord(context, { record, accountId: account.id }, typed);
  } catch (error) {
    await reserved.giveBack();
    throw error;
  }
  if (matches) await reserved.giveBack();
  return matches;
}

/** A passkey that stood then, perhaps removed since; its challenge was asked for without a name. */
async function showPasskeyFromBefore(
  context: ServiceContext,
  { passkeys }: StandingFactors,
  {
    present,
    visit,
    marks,
  }: Pick<Redemption, "visit" | "marks"> & {
    present: { challengeId: string; credential: AssertionCredential };
  },
): Promise<SpendShown> {
  const asked = { purpose: "sign-in", accountId: null, signInId: null, visit, mark: marks.mark } as const;
  const challenge = await takeChallenge(context, present.challengeId, asked);
  const answer = await checkAssertion(context, present.credential, challenge, passkeys);
  if ("fault" in answer) throw answer.reply;
  return (manager, now) => spendAnswer(context, manager, answer, { visit, now });
}

interface ShownCode {
  readonly standing: StandingFactors;
  readonly account: AccountRow;
  readonly code: string;
  readonly visit: Visit;
}

/** A code of an authenticator that stood then; a try like one at sign-in. */
async function showTotp(
  context: ServiceContext,
  { standing, account, code: typed, visit, marks }: ShownCode & { marks: BrowserMarks },
): Promise<SpendShown> {
  const { network } = visit;
  const reserved = await reserveFactorTry(context, { accountId: account.id, network, mark: marks.mark });
  for (const row of standing.authenticators) {
    const code = readTotpCode(typed, row.digits);
    const secret = code === null ? null : openSecret(context, row);
    if (code === null || secret === null) continue;
    const { lastStep, drift } = row;
    const match = matchTotp({ secret, settings: row, lastStep, drift }, code, context.clock.now());
    if (match.outcome !== "right") continue;
    await reserved.giveBack();
    return async (manager, now) => {
      if (!(await spendKeptStep(manager, row.id, { step: match.step, now }))) throw wrongCode();
    };
  }
  throw wrongCode();
}

/** A recovery code that stood then and was not used since. */
async function showRecoveryCode(
  context: ServiceContext,
  { standing, account, code: typed, visit }: ShownCode,
): Promise<SpendShown> {
  const { id: accountId } = account;
  const reserved = await reserveRecoveryCodeTry(context, visit);
  const code = readRecoveryCode(typed);
  const hashes = [...context.sealingKeys.keys.values()].map((key) =>
    hashRecoveryCode(deriveKey(key, "recovery-code"), { accountId, code: code ?? "" }),
  );
  const row = standing.codes.find(
    ({ codeHash, usedAt }) => usedAt === null && hashes.some((hash) => hash.equals(codeHash)),
  );
  if (code === null || row === undefined) throw wrongCode();
  await reserved.giveBack();
  return async (manager, now) => {
    if (!(await spendKeptCode(manager, row, now))) throw wrongCode();
  };
}

function wrongCode(): ProblemReply {
  return fieldProblem([fieldError("present.code", "former-code-wrong")]);
}
