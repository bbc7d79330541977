/** An account as it was before a change, and the one thing from then without which nothing is undone. */
import type { AssertionCredential, FieldFaultCode } from "@lucchetto/contract";
import { fieldError } from "@lucchetto/contract";
import type { ChangeUndone, Former, Grounds, ThingFromBefore, UndoPurpose } from "@lucchetto/core";
import {
  countsFrom,
  deriveKey,
  hashRecoveryCode,
  hashToken,
  matchTotp,
  MOST_FORMER_PASSWORDS,
  NO_GROUNDS,
  ownLastChange,
  readRecoveryCode,
  readTotpCode,
  thingsFromBefore,
  windowStart,
} from "@lucchetto/core";
import type { EntityManager } from "typeorm";
import { fieldProblem, ProblemReply } from "../../base/problem.ts";
import type {
  AccountRow,
  AuthenticatorRow,
  MailLinkRow,
  PasskeyRow,
  RecoveryCodeRow,
} from "../../base/storage/index.ts";
import { checkAssertion, spendAnswer } from "../../people/passkey/answer.ts";
import { takeChallenge } from "../../people/passkey/take.ts";
import { matchesRecord } from "../../people/password/present.ts";
import { groundsOfFactor, groundsOfPassword, sinceOf } from "../../people/recovery/grounds.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { listAllPasskeys } from "../../records/passkey/store.ts";
import type { PasswordOnce } from "../../records/password/store.ts";
import { listPasswordsSince } from "../../records/password/store.ts";
import { openSecret } from "../../records/second-factor/secret.ts";
import {
  listAllCodes,
  listEverConfirmed,
  spendKeptCode,
  spendKeptStep,
} from "../../records/second-factor/store.ts";
import { listDevicesOnce } from "../../records/throttle/store.ts";
import {
  giveBackAfter,
  reserveRecoveryCodeTry,
  reserveUndoCode,
  reserveUndoTry,
} from "../../records/throttle/throttle.ts";
import type { Redemption } from "./redemption.ts";

const CHANGE_OF: Readonly<Record<UndoPurpose, ChangeUndone["of"]>> = {
  "undo-change": "identifier",
  "undo-factor": "factor",
  "undo-erase": "erasure",
};

/** The change that a link undoes. */
export function changeOf({ purpose, createdAt }: Pick<MailLinkRow, "createdAt"> & { purpose: UndoPurpose }) {
  return { of: CHANGE_OF[purpose], at: createdAt } satisfies ChangeUndone;
}

/** Factors of an account. */
interface Factors {
  readonly authenticators: readonly AuthenticatorRow[];
  readonly passkeys: readonly PasskeyRow[];
  readonly codes: readonly RecoveryCodeRow[];
}

/** All that an account has and had, as far as they are kept. */
export async function readFactors(manager: EntityManager, accountId: string): Promise<Factors> {
  return {
    authenticators: await listEverConfirmed(manager, accountId),
    passkeys: await listAllPasskeys(manager, accountId),
    codes: await listAllCodes(manager, accountId),
  };
}

/** Those of which this holds. */
export function factorsThat(
  { authenticators, passkeys, codes }: Factors,
  holds: (row: AuthenticatorRow | PasskeyRow | RecoveryCodeRow) => boolean,
): Factors {
  return {
    authenticators: authenticators.filter(holds),
    passkeys: passkeys.filter(holds),
    codes: codes.filter(holds),
  };
}

/** What has to be shown beside an undo link. */
interface Wanting {
  /** Whether the link alone is not enough, here. */
  readonly isWanted: boolean;
  readonly shows: readonly ThingFromBefore[];
}

/** An account, and what of it tells that its owner was there before. */
export interface Protected {
  /** Of the link beside which something is shown: tries are counted for it. */
  readonly linkId: string;
  readonly account: AccountRow;
  /** Former passwords and the present one, the first one first. */
  readonly passwords: readonly PasswordOnce[];
  /** Hashes of marks of browsers. */
  readonly browsers: readonly Buffer[];
  readonly factors: Factors;
  /** Whether there was anything to be shown at all. */
  readonly hadAny: boolean;
  /** How it is told that something else was shown. */
  readonly wrong: { readonly password: FieldFaultCode; readonly code: FieldFaultCode };
}

const WRONG_BEFORE = { password: "former-password-wrong", code: "former-code-wrong" } as const;
const WRONG_NOW = { password: "registration-password-wrong", code: "code-wrong" } as const;

/** Of the account as it was before the change that a link undoes. */
export async function protectedBefore(
  { dataSource: { manager } }: ServiceContext,
  { link, account }: { link: MailLinkRow; account: AccountRow },
): Promise<Protected> {
  const { id: accountId, firstProvedAt } = account;
  const start = windowStart({ at: link.createdAt }, firstProvedAt);
  const once = (await listPasswordsSince(manager, accountId, start)).slice(0, MOST_FORMER_PASSWORDS);
  const stood = once.filter((one) =>
    countsFrom({ provedSince: groundsOfPassword(one).provedSince, endedAt: one.replacedAt }, start),
  );
  // Of browsers and factors what came with the change, or after it, is what is undone.
  const devices = (await listDevicesOnce(manager, accountId)).filter(
    ({ createdAt, provedSince, forgottenAt, endedAt }) =>
      createdAt < link.createdAt &&
      [forgottenAt, endedAt].every((time) => countsFrom({ provedSince, endedAt: time }, start)),
  );
  const factors = factorsThat(
    await readFactors(manager, accountId),
    (row) =>
      sinceOf(row) < link.createdAt && countsFrom({ ...groundsOfFactor(row), endedAt: row.removedAt }, start),
  );
  // What the owner changed themselves since ends others' worth.
  const own = ownLastChange(once, start);
  const passwords = own === null ? stood : stood.filter(({ setAt }) => setAt >= own.setAt);
  const browsers = devices
    .filter(
      ({ markHash, createdAt }) =>
        own === null || isSame(markHash, own.setInBrowser) || createdAt > own.setAt,
    )
    .map(({ markHash }) => markHash);
  const hadAny = stood.length + devices.length + Object.values(factors).flat().length > 0;
  return { linkId: link.id, account, passwords, browsers, factors, hadAny, wrong: WRONG_BEFORE };
}

function isSame(markHash: Buffer, other: Buffer | null): boolean {
  return other !== null && markHash.equals(other);
}

/** Of the account as it is: whoever proves an address that an operator corrected shows one thing beside the mailbox. */
export async function protectedNow(
  { dataSource: { manager }, clock }: ServiceContext,
  { link, account }: { link: Pick<MailLinkRow, "id">; account: AccountRow },
): Promise<Protected> {
  const { id: accountId, emailSetAt } = account;
  const passwords = await listPasswordsSince(manager, accountId, clock.now());
  // The help made every browser a strange one; those that were known until then still tell who was there.
  const browsers = (await listDevicesOnce(manager, accountId))
    .filter(({ provedSince, endedAt, forgottenAt }) => {
      const wasKnown = forgottenAt === null || (emailSetAt !== null && forgottenAt >= emailSetAt);
      return provedSince !== null && endedAt === null && wasKnown;
    })
    .map(({ markHash }) => markHash);
  const factors = factorsThat(await readFactors(manager, accountId), ({ removedAt }) => removedAt === null);
  const hadAny = passwords.length + browsers.length + Object.values(factors).flat().length > 0;
  return { linkId: link.id, account, passwords, browsers, factors, hadAny, wrong: WRONG_BEFORE };
}

/**
 * Of what was set up before the address was proved: whoever shows something of it, or comes from the browser that registered, is the same
 * person. What an import or an operator brought says nothing of who added the rest.
 */
export async function protectedSetUp(
  { dataSource: { manager }, clock }: ServiceContext,
  { link, account }: { link: Pick<MailLinkRow, "id">; account: AccountRow },
): Promise<Protected> {
  const { id: accountId, isOpenlyRegistered, registrationBrowserHash } = account;
  const passwords = isOpenlyRegistered ? await listPasswordsSince(manager, accountId, clock.now()) : [];
  const factors = factorsThat(
    await readFactors(manager, accountId),
    ({ removedAt, provedSince }) => removedAt === null && (isOpenlyRegistered || provedSince !== null),
  );
  const browsers = registrationBrowserHash === null ? [] : [registrationBrowserHash];
  return {
    ...{ linkId: link.id, account, passwords, browsers, factors },
    hadAny: true,
    wrong: WRONG_NOW,
  };
}

/** Says what it takes in this browser, beside the mailbox. */
export function wantingOf(
  { passwords, browsers, factors, hadAny }: Protected,
  mark: string | undefined,
): Wanting {
  const former: Former = {
    hasPassword: passwords.length > 0,
    hasPasskey: factors.passkeys.length > 0,
    hasAuthenticator: factors.authenticators.length > 0,
    hasRecoveryCode: factors.codes.some(({ usedAt }) => usedAt === null),
  };
  const isWanted = hadAny && !isAmong(browsers, mark);
  return { isWanted, shows: isWanted ? thingsFromBefore(former) : [] };
}

/** Whether the account knew this browser. */
function isAmong(browsers: readonly Buffer[], mark: string | undefined): boolean {
  const shown = hashToken("device-mark", mark);
  return shown !== null && browsers.some((one) => one.equals(shown));
}

/** Spends what was shown, in the transaction that honours it. @throws ProblemReply if another call was first. */
type SpendShown = (manager: EntityManager, now: Date) => Promise<void>;

/** What was shown as a thing from before. */
export interface ShownFromBefore {
  readonly spend: SpendShown;
  /** How far back it goes. */
  readonly grounds: Grounds;
}

/**
 * Asserts that one thing from before the change came along; a known browser is one by itself.
 * @throws ProblemReply `earlier-proof-required`, `invalid-fields`, `throttled`, `too-busy`.
 */
export async function assertFromBefore(
  context: ServiceContext,
  of: Protected,
  { present, visit, marks }: Pick<Redemption, "present" | "visit" | "marks">,
): Promise<ShownFromBefore> {
  const { isWanted, shows } = wantingOf(of, marks.mark);
  // A browser that stood is seen by whoever sets the password.
  if (!isWanted) return { spend: () => Promise.resolve(), grounds: NO_GROUNDS };
  if (present === undefined) throw new ProblemReply("earlier-proof-required");
  const thing = typeof present === "string" ? "password" : present.type;
  const notThere = (): never => {
    throw fieldProblem([fieldError("present", "former-thing-not-there")]);
  };
  if (!shows.some((one) => one === thing)) return notThere();
  const { account, factors, linkId, wrong } = of;
  if (typeof present === "string") {
    const right = await findFormerPassword(context, of, { typed: present, visit });
    if (right === null) throw fieldProblem([fieldError("present", of.wrong.password)]);
    return { spend: () => Promise.resolve(), grounds: groundsOfPassword(right) };
  }
  switch (present.type) {
    case "totp":
      return showTotp(context, { factors, account, linkId, wrong, code: present.code, visit });
    case "recovery-code":
      return showRecoveryCode(context, { factors, account, linkId, wrong, code: present.code, visit });
    case "passkey":
      return showPasskeyFromBefore(context, factors, { present, visit, marks });
    default:
      return notThere();
  }
}

/** The one among the passwords that count; all are looked at as one try. @throws ProblemReply `throttled`, `too-busy`. */
async function findFormerPassword(
  context: ServiceContext,
  { linkId, account: { id: accountId }, passwords }: Protected,
  { typed, visit: { network } }: { typed: string; visit: RequestOrigin },
): Promise<PasswordOnce | null> {
  const reserved = await reserveUndoTry(context, { linkId, network });
  try {
    for (const one of passwords) {
      if (
        !(await matchesRecord(context, { record: one.record, accountId }, { typed, asker: reserved.asker }))
      )
        continue;
      await reserved.giveBack();
      return one;
    }
    return null;
  } catch (error) {
    await giveBackAfter(error, reserved);
    throw error;
  }
}

/** A passkey that stood then, perhaps removed since; its challenge was asked for without a name. */
async function showPasskeyFromBefore(
  context: ServiceContext,
  { passkeys }: Factors,
  {
    present,
    visit,
    marks,
  }: Pick<Redemption, "visit" | "marks"> & {
    present: { challengeId: string; credential: AssertionCredential };
  },
): Promise<ShownFromBefore> {
  const asked = { purpose: "sign-in", accountId: null, signInId: null, visit, mark: marks.mark } as const;
  const challenge = await takeChallenge(context, present.challengeId, asked);
  const answer = await checkAssertion(context, present.credential, challenge, passkeys);
  if ("fault" in answer) throw answer.reply;
  return {
    spend: (manager, now) => spendAnswer(context, manager, answer, { visit, now }),
    grounds: groundsOfFactor(answer.passkey),
  };
}

interface ShownCode {
  readonly factors: Factors;
  readonly account: AccountRow;
  readonly linkId: string;
  readonly wrong: Protected["wrong"];
  readonly code: string;
  readonly visit: RequestOrigin;
}

/** A code of an authenticator that stood then: a try of the link, and one of those that mails buy in a year. */
async function showTotp(
  context: ServiceContext,
  { factors, account, linkId, wrong, code: typed, visit: { network } }: ShownCode,
): Promise<ShownFromBefore> {
  const reserved = await reserveUndoCode(context, { linkId, accountId: account.id, network });
  for (const row of factors.authenticators) {
    const code = readTotpCode(typed, row.digits);
    const secret = code === null ? null : openSecret(context, row);
    if (code === null || secret === null) continue;
    const { lastStep, drift } = row;
    const match = matchTotp({ secret, settings: row, lastStep, drift }, code, context.clock.now());
    if (match.outcome !== "right") continue;
    await reserved.giveBack();
    return {
      async spend(manager, now) {
        if (!(await spendKeptStep(manager, row.id, { step: match.step, now }))) throw wrongCode(wrong);
      },
      grounds: groundsOfFactor(row),
    };
  }
  throw wrongCode(wrong);
}

/** A recovery code that stood then and was not used since. */
async function showRecoveryCode(
  context: ServiceContext,
  { factors, account, wrong, code: typed, visit }: ShownCode,
): Promise<ShownFromBefore> {
  const { id: accountId } = account;
  const reserved = await reserveRecoveryCodeTry(context, visit);
  const code = readRecoveryCode(typed);
  const hashes = [...context.sealingKeys.keys.values()].map((key) =>
    hashRecoveryCode(deriveKey(key, "recovery-code"), { accountId, code: code ?? "" }),
  );
  const row = factors.codes.find(
    ({ codeHash, usedAt }) => usedAt === null && hashes.some((hash) => hash.equals(codeHash)),
  );
  if (code === null || row === undefined) throw wrongCode(wrong);
  await reserved.giveBack();
  return {
    async spend(manager, now) {
      if (!(await spendKeptCode(manager, row, now))) throw wrongCode(wrong);
    },
    grounds: groundsOfFactor(row),
  };
}

function wrongCode({ code }: Protected["wrong"]): ProblemReply {
  return fieldProblem([fieldError("present.code", code)]);
}
