/** Use cases of throttling: reserve a try, give it back, clear what was counted, show and release who is held back. */
import { createHash, createHmac, randomBytes } from "node:crypto";
import type { ThrottleEntry } from "@lucchetto/contract";
import type { Grounds, Reservation, ThrottleCount, ThrottleKind, ThrottleRule } from "@lucchetto/core";
import {
  emptyCount,
  hashToken,
  MAX_FAILURES,
  MAX_FAILURES_OF_KNOWN_DEVICES,
  mintToken,
  provedSinceOf,
  reserveTry,
  RESET_BONUS_INTERVAL,
  TOKEN_BYTES,
  TRIES_AFTER_RESET,
  TRIES_BY_MAIL,
  TRIES_BY_MAIL_PERIOD,
} from "@lucchetto/core";
import type { EntityManager } from "typeorm";
import { durationInWords } from "../../base/duration.ts";
import { ProblemReply } from "../../base/problem.ts";
import { inTurn } from "../../base/queue/in-turn.ts";
import type { Asker } from "../../base/queue/places.ts";
import { SentAway } from "../../base/queue/places.ts";
import type { AccountRow, KnownDeviceRow, ThrottleCountRow } from "../../base/storage/index.ts";
import { AccountEntity } from "../../base/storage/index.ts";
import type { RequestOrigin, ServiceContext } from "../context.ts";
import { changeAsOperator } from "../granting/actor.ts";
import { record } from "../journal/journal.ts";
import type { LiveSession } from "../session/store.ts";
import {
  deleteCounts,
  findCount,
  giveBack,
  isKnownDevice,
  listCounts,
  putCount,
  rememberDevice,
} from "./store.ts";

/** What one count is kept under. */
interface Subject {
  readonly kind: ThrottleKind;
  /** The account's id, the network, or the typed name. */
  readonly name: string;
  /** Of a typed name: the account that has it. */
  readonly accountId?: string | null;
}

/** A try that was reserved in one or more counts, and counts as failed until it is settled. */
export interface ReservedTry {
  /** Who tries: by this the places for hashing are given. */
  readonly asker: Asker;
  /** It was no failure: takes it back everywhere. @param manager the transaction of a success, if it was one. */
  giveBack(manager?: EntityManager): Promise<void>;
  /** The sign-in is complete: takes it back from the network, in that transaction. See `clearCountsOf` for the account. */
  succeed(manager: EntityManager): Promise<void>;
}

/** Whose password is being tried, from where, and with which device mark. */
interface PasswordAttempt {
  readonly accountId: string | null;
  /** What was typed, in normal form where it has one; `null`: nobody typed a name, it is the account's own session. */
  readonly name: string | null;
  readonly network: string | null;
  /** The known-device mark that came, if any. */
  readonly mark: string | undefined;
}

/** Tries of what stood before a change, for one undo link: nobody without the link uses them up, and it never dies of them. */
const TRIES_OF_UNDO_LINK = { kind: "window", most: 10, window: 3_600_000 } as const;

/** Work that hashes and is no try of a password, for one account or one link. */
const HASHING_OF_ONE = { kind: "window", most: 30, window: 600_000 } as const;

/** Changes of an account's username: each holds a name from others. */
const USERNAMES_OF_ACCOUNT = { kind: "window", most: 3, window: 7 * 86_400_000 } as const;

/** Mails to one address that strangers may ask for. */
const MAIL_PER_ADDRESS = { kind: "window", most: 5, window: 3_600_000 } as const;

/** Times that a count is read again when another try came in between. Each time one of them got through. */
const MAX_RACES = 200;

/**
 * Reserves a try of a password. Networks first, then the account: its budget for known devices if this is one and
 * something is left of it, else the one for strange devices.
 * @throws ProblemReply `throttled`, the same for accounts and for names that nobody has.
 */
export function reservePasswordTry(context: ServiceContext, attempt: PasswordAttempt): Promise<ReservedTry> {
  const account = attempt.accountId ?? attempt.name;
  return reserveBesideNetwork(context, { network: attempt.network, account }, () =>
    reserveForAccount(context, attempt),
  );
}

/**
 * Reserves work that hashes and is no try of a password: whoever is signed in makes so much of it for an account.
 * @throws ProblemReply `throttled`.
 */
export async function reserveOwnHashing(
  context: ServiceContext,
  { accountId, network, mark }: { accountId: string; network: string | null; mark: string | undefined },
): Promise<Asker> {
  await reserve(context, { kind: "account-hashing", name: accountId });
  return { network, account: accountId, isKnown: await isKnown(context.dataSource.manager, accountId, mark) };
}

/** Reserves work that hashes for whoever holds a mailed link. @throws ProblemReply `throttled`. */
export async function reserveLinkHashing(
  context: ServiceContext,
  { linkId, network }: { linkId: string; network: string | null },
): Promise<Asker> {
  await reserve(context, { kind: "link-hashing", name: linkId });
  return { network, account: linkId, isKnown: false };
}

/** What people do with their own account that costs the service something, and how much of each an hour takes. */
const OWN_WORK = {
  "account-changes": { kind: "window", most: 60, window: 3_600_000 },
  "account-copies": { kind: "window", most: 20, window: 3_600_000 },
  "account-keys": { kind: "window", most: 60, window: 3_600_000 },
} as const;

/** Counts something of one's own. @throws ProblemReply `throttled`. */
export async function countOwnWork(
  context: ServiceContext,
  kind: keyof typeof OWN_WORK,
  accountId: string,
): Promise<void> {
  await reserve(context, { kind, name: accountId });
}

/**
 * What came to nothing was no failure. But whoever is sent away from the line for hashing keeps it counted, or noise would cost nothing.
 */
export async function giveBackAfter(error: unknown, reserved: Pick<ReservedTry, "giveBack">): Promise<void> {
  if (error instanceof SentAway || (error instanceof ProblemReply && error.code === "too-busy")) return;
  await reserved.giveBack();
}

/**
 * Reserves a try of a second factor: the account's own count, across all its sign-ins, and the network's.
 * @throws ProblemReply `throttled`.
 */
export function reserveFactorTry(
  context: ServiceContext,
  attempt: Pick<PasswordAttempt, "network" | "mark"> & { accountId: string },
): Promise<ReservedTry> {
  const { accountId, network } = attempt;
  return reserveBesideNetwork(context, { network, account: accountId }, () =>
    reserveByDevice(context, attempt, "account-factor-known", () =>
      reserve(context, { kind: "account-factor", name: accountId }),
    ),
  );
}

/**
 * Reserves a try of a former password beside an undo link: the link's own count, and the network's. What is counted for the account
 * keeps no owner out here.
 * @throws ProblemReply `throttled`.
 */
export function reserveUndoTry(
  context: ServiceContext,
  { linkId, network }: { linkId: string; network: string | null },
): Promise<ReservedTry> {
  return reserveBesideNetwork(context, { network, account: linkId }, () =>
    reserve(context, { kind: "undo-link", name: linkId }),
  );
}

/**
 * Reserves a try of a code beside an undo link: the link's own count, one of the tries that mails buy in a year, and the network's.
 * @throws ProblemReply `throttled`.
 */
export function reserveUndoCode(
  context: ServiceContext,
  { linkId, accountId, network }: { linkId: string; accountId: string; network: string | null },
): Promise<ReservedTry> {
  return reserveBesideNetwork(context, { network, account: accountId }, () =>
    reserveBoth(
      context,
      { kind: "undo-link", name: linkId },
      { kind: "account-codes-by-mail", name: accountId },
    ),
  );
}

/** A try in one count, and in another. */
async function reserveBoth(context: ServiceContext, first: Subject, second: Subject): Promise<ReservedCount> {
  const one = await reserve(context, first);
  try {
    const other = await reserve(context, second);
    return {
      async giveBack(manager) {
        await one.giveBack(manager);
        await other.giveBack(manager);
      },
    };
  } catch (error) {
    await one.giveBack();
    throw error;
  }
}

/**
 * Reserves a try of a recovery code: in the network's count alone. It has more random bits than anybody guesses, and is
 * what an owner has left whose other codes somebody else used up.
 * @throws ProblemReply `throttled`.
 */
export function reserveRecoveryCodeTry(
  context: ServiceContext,
  { network }: Pick<PasswordAttempt, "network">,
): Promise<ReservedTry> {
  return reserveBesideNetwork(context, { network, account: null }, () =>
    Promise.resolve({ giveBack: () => Promise.resolve() }),
  );
}

/**
 * After a reset by mail: some tries of codes, also for an account whose tries were used up, and no more than these. A
 * mailbox buys few guesses: a second reset within a day gives none, and all resets together so many in a year without a complete sign-in.
 */
export async function giveTriesAfterReset(context: ServiceContext, accountId: string): Promise<void> {
  const isFirst = await isWithin(context, { kind: "account-factor-reset", name: accountId });
  const { dataSource, clock } = context;
  const kind = "account-factor";
  const id = idOf(context, { kind, name: accountId });
  // What the first one of the day gave, and is not used, stays.
  const given = isFirst ? await buyTries(context, accountId) : TRIES_AFTER_RESET;
  const used = MAX_FACTOR_TRIES - given;
  for (let race = 0; race < MAX_RACES; race += 1) {
    const now = clock.now();
    const stored = await findCount(dataSource, id);
    const from = stored ?? emptyCount(now);
    const to = isFirst
      ? { ...from, failures: used, waitUntil: now }
      : { ...from, failures: Math.max(from.failures, used) };
    if (await putCount(dataSource, { id, kind, subject: accountId }, { from: stored, to, now })) return;
  }
  throw new ProblemReply("too-busy", { retryAfter: 1 });
}

/** Of those that mails buy in a year. @returns how many there still were, up to those of one reset. */
async function buyTries(context: ServiceContext, accountId: string): Promise<number> {
  let bought = 0;
  while (bought < TRIES_AFTER_RESET) {
    if (!(await isWithin(context, { kind: "account-codes-by-mail", name: accountId }))) break;
    bought += 1;
  }
  return bought;
}

const MAX_FACTOR_TRIES = MAX_FAILURES - MAX_FAILURES_OF_KNOWN_DEVICES;

/** A try in the network's count first, then in another; refused by the other, it is taken back from the network's. */
async function reserveBesideNetwork(
  context: ServiceContext,
  { network, account }: Pick<Asker, "network" | "account">,
  reserveOther: () => Promise<ReservedCount>,
): Promise<ReservedTry> {
  const networkTry = await reserve(context, ofNetwork("network", network));
  try {
    const other = await reserveOther();
    return {
      asker: { network, account, isKnown: other.isKnown === true },
      async giveBack(manager) {
        await networkTry.giveBack(manager);
        await other.giveBack(manager);
      },
      async succeed(manager) {
        await networkTry.giveBack(manager);
      },
    };
  } catch (error) {
    await networkTry.giveBack();
    throw error;
  }
}

/** All whose address nobody says so that it can be read are one network: nobody is outside the limits. */
function ofNetwork(kind: Subject["kind"], network: string | null): Subject {
  return { kind, name: network ?? "unreadable" };
}

/** Counts a request of a kind that is limited for each network. @throws ProblemReply `throttled`. */
export async function countRegistration(context: ServiceContext, network: string | null): Promise<void> {
  await reserve(context, ofNetwork("network-registrations", network));
}

/** Counts a challenge for a passkey, asked for by somebody who is not signed in. @throws ProblemReply `throttled`. */
export async function countChallenge(context: ServiceContext, network: string | null): Promise<void> {
  await reserve(context, ofNetwork("network-challenges", network));
}

/** Counts a call by which an app works on accounts. @throws ProblemReply `throttled`. */
export async function countAppWork(context: ServiceContext, appId: string): Promise<void> {
  await reserve(context, { kind: "app-work", name: appId });
}

/** Counts a change of an account's username. @throws ProblemReply `throttled`. */
export function countUsernameChange(
  context: ServiceContext,
  accountId: string,
): Promise<Pick<ReservedTry, "giveBack">> {
  return reserve(context, { kind: "account-usernames", name: accountId });
}

/** Counts a mail asked for from a network. @throws ProblemReply `throttled`. */
export async function countMailAsked(context: ServiceContext, network: string | null): Promise<void> {
  await reserve(context, ofNetwork("network-mail", network));
}

/**
 * Counts a mail to an address. The account's known devices have a budget of their own, so that no stranger's asking
 * keeps the owner's mail back.
 * @returns whether it is within the limit; over it nobody is told.
 */
export async function countMailFor(
  context: ServiceContext,
  asked: { emailKey: string; accountId: string | null; mark: string | undefined },
): Promise<boolean> {
  const { emailKey, accountId, mark } = asked;
  const { manager } = context.dataSource;
  const isOwn = accountId !== null && (await isKnown(manager, accountId, mark));
  return isWithin(
    context,
    isOwn ? { kind: "device-mail", name: accountId } : { kind: "address-mail", name: emailKey },
  );
}

/** Counts a mail to an address that an app's server has sent. @throws ProblemReply `throttled`. */
export async function countMailByApp(context: ServiceContext, emailKey: string): Promise<void> {
  await reserve(context, { kind: "address-mail", name: emailKey });
}

/** Counts. @returns whether it is within the limit. */
async function isWithin(context: ServiceContext, subject: Subject): Promise<boolean> {
  try {
    await reserve(context, subject);
    return true;
  } catch (error) {
    if (error instanceof ProblemReply && error.code === "throttled") return false;
    throw error;
  }
}

function reserveForAccount(context: ServiceContext, attempt: PasswordAttempt): Promise<ReservedCount> {
  const { accountId } = attempt;
  if (accountId === null) return reserveName(context, attempt);
  return reserveByDevice(context, { ...attempt, accountId }, "account-known", () =>
    reserveName(context, attempt),
  );
}

/** In the known devices' budget, if this is one and something is left of it; else as for a strange one. */
async function reserveByDevice(
  context: ServiceContext,
  { accountId, mark }: { accountId: string; mark: string | undefined },
  kind: "account-known" | "account-factor-known",
  asStrange: () => Promise<ReservedCount>,
): Promise<ReservedCount> {
  if (await isKnown(context.dataSource.manager, accountId, mark)) {
    try {
      return { ...(await reserve(context, { kind, name: accountId })), isKnown: true };
    } catch (error) {
      // Nothing is left of the known devices' budget: from here on this one is a strange one.
      if (!(error instanceof AttemptsExhausted)) throw error;
    }
  }
  return asStrange();
}

/**
 * Waits belong to the name as it was typed, so that nobody learns which names are one account's; only the end of all tries
 * is the account's own.
 */
async function reserveName(
  context: ServiceContext,
  { accountId, name }: Pick<PasswordAttempt, "accountId" | "name">,
): Promise<ReservedCount> {
  const isOwn = name === null && accountId !== null;
  const ofName = await reserve(
    context,
    // What strangers type is another count, whatever they type.
    isOwn ? { kind: "account-own", name: accountId } : { kind: "name", name: name ?? "", accountId },
  );
  if (accountId === null) return ofName;
  try {
    const ofAccount = await reserve(context, { kind: "account-strange", name: accountId });
    return {
      async giveBack(manager) {
        await ofName.giveBack(manager);
        await ofAccount.giveBack(manager);
      },
    };
  } catch (error) {
    await ofName.giveBack();
    throw error;
  }
}

/** A try reserved in one count. */
interface ReservedCount {
  /** In the budget of known browsers. */
  readonly isKnown?: boolean;
  /** @param manager the transaction of a success, so that it is given back exactly once, and on its connection. */
  giveBack(manager?: EntityManager): Promise<void>;
}

/** Of these the name is not kept: it may be a password, or is an address. */
const NAMELESS: ReadonlySet<ThrottleKind> = new Set(["name", "address-mail"]);

/** Of these the name is an account's id. */
const OF_ACCOUNTS: ReadonlySet<ThrottleKind> = new Set([
  "account-strange",
  "account-known",
  "account-own",
  "account-factor",
  "account-factor-known",
  "account-codes-by-mail",
  "account-usernames",
  "account-hashing",
  "account-changes",
  "account-copies",
  "account-keys",
]);

/** The budget is used up; answered like any wait. */
class AttemptsExhausted extends ProblemReply {}

function reserve(context: ServiceContext, subject: Subject): Promise<ReservedCount> {
  const id = idOf(context, subject);
  return inTurn(id.toString("hex"), () => reserveIn(context, subject, id));
}

/** Other instances may count at the same moment: what was read is written over only where it still stands. */
async function reserveIn(context: ServiceContext, subject: Subject, id: Buffer): Promise<ReservedCount> {
  const { dataSource, clock } = context;
  const shown = NAMELESS.has(subject.kind) ? (subject.accountId ?? null) : subject.name;
  const row = { id, kind: subject.kind, subject: shown };
  for (let race = 0; race < MAX_RACES; race += 1) {
    const now = clock.now();
    const stored = await findCount(dataSource, id);
    const count = stored ?? emptyCount(now);
    const reservation = reserveTry(count, ruleOf(context, subject.kind), now);
    if (reservation.outcome !== "reserved") throw refusal(reservation, now, subject);
    if (await putCount(dataSource, row, { from: stored, to: reservation.next, now })) {
      return { giveBack: (manager = dataSource.manager) => giveBack(manager, id, count.waitUntil) };
    }
  }
  throw new ProblemReply("too-busy", { retryAfter: 1 });
}

function refusal(
  { outcome, until }: Exclude<Reservation, { outcome: "reserved" }>,
  now: Date,
  { kind, name, accountId = null }: Subject,
): ProblemReply {
  const retryAfter = Math.max(1, Math.ceil((until.getTime() - now.getTime()) / 1_000));
  const parts = {
    detail: `Too many tries. Wait ${durationInWords(retryAfter * 1_000, "en")}, then try again.`,
    retryAfter,
    refusedTry: { kind, accountId: OF_ACCOUNTS.has(kind) ? name : accountId },
  };
  return outcome === "closed"
    ? new AttemptsExhausted("throttled", parts)
    : new ProblemReply("throttled", parts);
}

function ruleOf({ configuration }: ServiceContext, kind: ThrottleKind): ThrottleRule {
  const { free, firstWait, longestWait, network, registrations, apps, challenges } = configuration.throttle;
  const consecutive = { kind: "consecutive", free, firstWait, longestWait } as const;
  switch (kind) {
    case "account-known":
    case "account-factor-known":
      return { ...consecutive, most: MAX_FAILURES_OF_KNOWN_DEVICES };
    case "account-factor":
      return { ...consecutive, most: MAX_FACTOR_TRIES };
    case "account-factor-reset":
      return { kind: "window", most: 1, window: RESET_BONUS_INTERVAL };
    case "account-codes-by-mail":
      return { kind: "window", most: TRIES_BY_MAIL, window: TRIES_BY_MAIL_PERIOD };
    case "account-usernames":
      return USERNAMES_OF_ACCOUNT;
    case "account-hashing":
    case "link-hashing":
      return HASHING_OF_ONE;
    case "account-changes":
    case "account-copies":
    case "account-keys":
      return OWN_WORK[kind];
    // The waits are those of the name.
    case "account-strange":
      return { ...consecutive, free: Infinity, most: MAX_FAILURES - MAX_FAILURES_OF_KNOWN_DEVICES };
    case "name":
    case "account-own":
      return { ...consecutive, most: MAX_FAILURES - MAX_FAILURES_OF_KNOWN_DEVICES };
    case "undo-link":
      return TRIES_OF_UNDO_LINK;
    case "network":
      return { kind: "window", ...network };
    case "network-registrations":
      return { kind: "window", ...registrations };
    case "app-work":
      return { kind: "window", ...apps };
    case "network-challenges":
      return { kind: "window", ...challenges };
    case "network-mail":
      return { kind: "window", ...network };
    case "address-mail":
    case "device-mail":
      return MAIL_PER_ADDRESS;
  }
}

/** Of a typed name a keyed hash: people type their passwords into the wrong field. */
function idOf({ throttleKey }: ServiceContext, { kind, name }: Subject): Buffer {
  if (NAMELESS.has(kind)) return createHmac("sha256", throttleKey).update(`${kind}\n${name}`).digest();
  return createHash("sha256").update(`${kind}\n${name}`).digest();
}

/**
 * Nothing counts against the account and its names any more: a sign-in is complete.
 * @param which `password`: after a reset, which is no reason to let anybody guess at the second factor again.
 */
export async function clearCountsOf(
  context: ServiceContext,
  manager: EntityManager,
  { id, emailKey, usernameKey }: Pick<AccountRow, "id" | "emailKey" | "usernameKey">,
  which: "all" | "password" = "all",
): Promise<void> {
  const kinds: ThrottleKind[] = ["account-known", "account-strange", "account-own"];
  if (which === "all") kinds.push("account-factor", "account-factor-known", "account-codes-by-mail");
  const names = [emailKey, usernameKey].filter((name) => name !== null);
  await deleteCounts(manager, [
    ...kinds.map((kind) => idOf(context, { kind, name: id })),
    ...names.map((name) => idOf(context, { kind: "name", name })),
  ]);
}

/** Whether a browser completed a sign-in of this account before. */
export async function isKnown(
  manager: EntityManager,
  accountId: string,
  mark: string | undefined,
): Promise<boolean> {
  const hashed = hashToken("device-mark", mark);
  return hashed !== null && isKnownDevice(manager, accountId, hashed);
}

/** Remembers the browser that completed a sign-in, and what was shown there. @returns its mark: the one it brought along, or a new one. */
export async function rememberThisDevice(
  { clock }: ServiceContext,
  manager: EntityManager,
  {
    accountId,
    mark,
    grounds,
    there,
  }: {
    accountId: string;
    mark: string | undefined;
    grounds: Grounds;
    /** What is known of this browser already. */
    there: KnownDeviceRow | null;
  },
): Promise<string> {
  const now = clock.now();
  const provedSince = grounds.provedSince === null ? null : provedSinceOf(now, grounds);
  const brought = hashToken("device-mark", mark);
  if (mark !== undefined && brought !== null) {
    await rememberDevice(manager, { accountId, markHash: brought, provedSince, there, now });
    return mark;
  }
  const { plain, hashed } = mintToken("device-mark", randomBytes(TOKEN_BYTES));
  await rememberDevice(manager, { accountId, markHash: hashed, provedSince, there: null, now });
  return plain;
}

/** Most entries shown at once. */
const MAX_SHOWN = 200;

/** Who is held back, and who would be at the next failure. */
export async function listHeldBack(context: ServiceContext): Promise<ThrottleEntry[]> {
  const now = context.clock.now();
  const rows = await listCounts(context.dataSource, {
    atLeast: context.configuration.throttle.free,
    limit: MAX_SHOWN,
  });
  const entries = rows.map((row) => showCount(context, row, now));
  // What still lets through holds nobody back; of consecutive failures of a name or device the next one would bring a wait.
  return entries.filter(({ kind, state }) => state !== "open" || WAITS_NEXT.has(kind));
}

const WAITS_NEXT: ReadonlySet<ThrottleKind> = new Set([
  "name",
  "account-known",
  "account-factor",
  "account-factor-known",
]);

function showCount(context: ServiceContext, row: ThrottleCountRow, now: Date): ThrottleEntry {
  const reservation = reserveTry(row as ThrottleCount, ruleOf(context, row.kind), now);
  return {
    id: row.id.toString("hex"),
    kind: row.kind,
    subject: row.subject,
    failures: row.failures,
    state:
      reservation.outcome === "reserved" ? "open" : reservation.outcome === "wait" ? "waiting" : "closed",
    waitUntil: reservation.outcome === "wait" ? reservation.until.toISOString() : null,
    changedAt: row.changedAt.toISOString(),
  };
}

/** An operator forgets what was counted; of an account with its names. @throws ProblemReply `not-found`. */
export async function release(
  context: ServiceContext,
  operator: LiveSession,
  hexId: string,
  visit: RequestOrigin,
): Promise<void> {
  const { dataSource } = context;
  const id = Buffer.from(hexId, "hex");
  const row = await findCount(dataSource, id);
  if (row === null) throw new ProblemReply("not-found");
  const accountId = row.kind.startsWith("account-") || row.kind === "name" ? row.subject : null;
  await changeAsOperator(context, operator, async ({ manager, now }) => {
    if ((await deleteCounts(manager, [id])) === 0) return;
    if (accountId !== null && !row.kind.startsWith("account-factor")) {
      const account = await manager.getRepository(AccountEntity).findOneBy({ id: accountId });
      if (account !== null) await clearCountsOf(context, manager, account, "password");
    }
    const event = {
      kind: "throttle.released",
      reason: row.kind,
      accountId,
      actorId: operator.account.id,
    } as const;
    await record(context, manager, { event, visit, now });
  });
}
