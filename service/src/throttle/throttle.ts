/** Use cases of throttling: reserve a try, give it back, clear what was counted, show and release who is held back. */
import { createHash, createHmac, randomBytes } from "node:crypto";
import type { ThrottleEntry } from "@lucchetto/contract";
import type { Reservation, ThrottleCount, ThrottleKind, ThrottleRule } from "@lucchetto/core";
import {
  hashToken,
  mintToken,
  MOST_FAILURES,
  MOST_FROM_KNOWN_DEVICES,
  reserveTry,
  TOKEN_BYTES,
} from "@lucchetto/core";
import type { EntityManager } from "typeorm";
import type { ServiceContext, Visit } from "../context.ts";
import { durationInWords } from "../duration.ts";
import { record } from "../journal/journal.ts";
import { ProblemReply } from "../problem.ts";
import type { LiveSession } from "../session/store.ts";
import type { ThrottleCountRow } from "../storage/index.ts";
import { inTransaction } from "../storage/index.ts";
import {
  deleteCounts,
  deleteDevices,
  findCount,
  giveBack,
  isKnownDevice,
  listCounts,
  readCount,
  rememberDevice,
  replaceCount,
} from "./store.ts";

/** What one count is kept under. */
interface Subject {
  readonly kind: ThrottleKind;
  /** The account's id, the network, or the name that nobody has. */
  readonly name: string;
}

/** A try that was reserved in one or more counts, and counts as failed until it is settled. */
export interface ReservedTry {
  /** It was no failure: takes it back everywhere. @param manager the transaction of a success, if it was one. */
  giveBack(manager?: EntityManager): Promise<void>;
  /** The sign-in is complete: takes it back from the network, in that transaction. See `clearCountsOf` for the account. */
  succeed(manager: EntityManager): Promise<void>;
}

/** Whose password is being tried, from where, and with which device mark. */
export interface Try {
  readonly accountId: string | null;
  /** What was typed, in normal form where it has one. */
  readonly name: string;
  readonly network: string | null;
  /** The known-device mark that came, if any. */
  readonly mark: string | undefined;
}

/** Mails to one address that strangers may ask for. */
const MAIL_PER_ADDRESS = { kind: "window", most: 5, window: 3_600_000 } as const;

/** Times that a count is read again when another try came in between. Each time one of them got through. */
const MAX_RACES = 200;

/**
 * Reserves a try of a password. Networks first, then the account: its budget for known devices if this is one and
 * something is left of it, else the one for strange devices.
 * @throws ProblemReply `throttled`, the same for accounts and for names that nobody has.
 */
export function reservePasswordTry(context: ServiceContext, attempt: Try): Promise<ReservedTry> {
  return reserveBesideNetwork(context, attempt.network, () => reserveForAccount(context, attempt));
}

/**
 * Reserves a try of a second factor: the account's own count, across all its sign-ins, and the network's.
 * @throws ProblemReply `throttled`.
 */
export function reserveFactorTry(
  context: ServiceContext,
  { accountId, network }: { accountId: string; network: string | null },
): Promise<ReservedTry> {
  return reserveBesideNetwork(context, network, () =>
    reserve(context, { kind: "account-factor", name: accountId }),
  );
}

/** A try in the network's count first, then in another; refused by the other, it is taken back from the network's. */
async function reserveBesideNetwork(
  context: ServiceContext,
  network: string | null,
  reserveOther: () => Promise<ReservedCount>,
): Promise<ReservedTry> {
  const networkTry = network === null ? null : await reserve(context, { kind: "network", name: network });
  try {
    const other = await reserveOther();
    return {
      async giveBack(manager) {
        await networkTry?.giveBack(manager);
        await other.giveBack(manager);
      },
      async succeed(manager) {
        await networkTry?.giveBack(manager);
      },
    };
  } catch (error) {
    await networkTry?.giveBack();
    throw error;
  }
}

/** Counts a request of a kind that is limited for each network. @throws ProblemReply `throttled`. */
export async function countRegistration(context: ServiceContext, network: string | null): Promise<void> {
  if (network !== null) await reserve(context, { kind: "network-registrations", name: network });
}

/** Counts a mail asked for from a network. @throws ProblemReply `throttled`. */
export async function countMailAsked(context: ServiceContext, network: string | null): Promise<void> {
  if (network !== null) await reserve(context, { kind: "network-mail", name: network });
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
  try {
    await reserve(
      context,
      isOwn ? { kind: "device-mail", name: accountId } : { kind: "address-mail", name: emailKey },
    );
    return true;
  } catch (error) {
    if (error instanceof ProblemReply && error.code === "throttled") return false;
    throw error;
  }
}

/** No browser is known any more. */
export function forgetDevicesOf(manager: EntityManager, accountId: string): Promise<void> {
  return deleteDevices(manager, accountId);
}

async function reserveForAccount(context: ServiceContext, { accountId, name, mark }: Try) {
  if (accountId === null) return reserve(context, { kind: "unknown-name", name });
  if (await isKnown(context.dataSource.manager, accountId, mark)) {
    try {
      return await reserve(context, { kind: "account-known", name: accountId });
    } catch (error) {
      // Nothing is left of the known devices' budget: from here on this one is a strange one.
      if (!(error instanceof BudgetClosed)) throw error;
    }
  }
  return reserve(context, { kind: "account-strange", name: accountId });
}

/** A try reserved in one count. */
interface ReservedCount {
  /** @param manager the transaction of a success, so that it is given back exactly once, and on its connection. */
  giveBack(manager?: EntityManager): Promise<void>;
}

/** Of these the name is not kept: it may be a password, or is an address. */
const NAMELESS: ReadonlySet<ThrottleKind> = new Set(["unknown-name", "address-mail"]);

/** The budget is used up; answered like any wait. */
class BudgetClosed extends ProblemReply {}

async function reserve(context: ServiceContext, subject: Subject): Promise<ReservedCount> {
  const { dataSource, clock } = context;
  const id = idOf(context, subject);
  const row = { id, kind: subject.kind, subject: NAMELESS.has(subject.kind) ? null : subject.name };
  for (let race = 0; race < MAX_RACES; race += 1) {
    const now = clock.now();
    const count = await readCount(dataSource, row, now);
    const reservation = reserveTry(count, ruleOf(context, subject.kind), now);
    if (reservation.outcome !== "reserved") throw refusal(reservation, now);
    if (await replaceCount(dataSource, id, { from: count, to: reservation.next, now })) {
      return { giveBack: (manager = dataSource.manager) => giveBack(manager, id, count.waitUntil) };
    }
  }
  throw new ProblemReply("too-busy", { retryAfter: 1 });
}

function refusal({ outcome, until }: Exclude<Reservation, { outcome: "reserved" }>, now: Date): ProblemReply {
  const retryAfter = Math.max(1, Math.ceil((until.getTime() - now.getTime()) / 1_000));
  const parts = {
    detail: `Too many tries. Wait ${durationInWords(retryAfter * 1_000, "en")}, then try again.`,
    retryAfter,
  };
  return outcome === "closed" ? new BudgetClosed("throttled", parts) : new ProblemReply("throttled", parts);
}

function ruleOf({ configuration }: ServiceContext, kind: ThrottleKind): ThrottleRule {
  const { free, firstWait, longestWait, network, registrations } = configuration.throttle;
  const consecutive = { kind: "consecutive", free, firstWait, longestWait } as const;
  switch (kind) {
    case "account-known":
      return { ...consecutive, most: MOST_FROM_KNOWN_DEVICES };
    case "account-factor":
      return { ...consecutive, most: MOST_FAILURES };
    case "account-strange":
    case "unknown-name":
      return { ...consecutive, most: MOST_FAILURES - MOST_FROM_KNOWN_DEVICES };
    case "network":
      return { kind: "window", ...network };
    case "network-registrations":
      return { kind: "window", ...registrations };
    case "network-mail":
      return { kind: "window", ...network };
    case "address-mail":
    case "device-mail":
      return MAIL_PER_ADDRESS;
  }
}

/** Of a name that nobody has, a keyed hash: people type their passwords into the wrong field. */
function idOf({ throttleKey }: ServiceContext, { kind, name }: Subject): Buffer {
  if (NAMELESS.has(kind)) return createHmac("sha256", throttleKey).update(`${kind}\n${name}`).digest();
  return createHash("sha256").update(`${kind}\n${name}`).digest();
}

/**
 * Nothing counts against the account any more: a sign-in is complete.
 * @param which `password`: after a reset, which is no reason to let anybody guess at the second factor again.
 */
export async function clearCountsOf(
  context: ServiceContext,
  manager: EntityManager,
  accountId: string,
  which: "all" | "password" = "all",
): Promise<void> {
  const kinds: ThrottleKind[] = ["account-known", "account-strange"];
  if (which === "all") kinds.push("account-factor");
  await deleteCounts(
    manager,
    kinds.map((kind) => idOf(context, { kind, name: accountId })),
  );
}

/** Whether a browser completed a sign-in of this account before. */
export async function isKnown(
  manager: EntityManager,
  accountId: string,
  mark: string | undefined,
): Promise<boolean> {
  const hashed = mark === undefined ? null : hashToken("device-mark", mark);
  return hashed !== null && isKnownDevice(manager, accountId, hashed);
}

/** Remembers the browser that completed a sign-in. @returns its mark: the one it brought along, or a new one. */
export async function rememberThisDevice(
  { clock }: ServiceContext,
  manager: EntityManager,
  accountId: string,
  mark: string | undefined,
): Promise<string> {
  const now = clock.now();
  const brought = mark === undefined ? null : hashToken("device-mark", mark);
  if (mark !== undefined && brought !== null) {
    await rememberDevice(manager, { accountId, markHash: brought, now });
    return mark;
  }
  const { plain, hashed } = mintToken("device-mark", randomBytes(TOKEN_BYTES));
  await rememberDevice(manager, { accountId, markHash: hashed, now });
  return plain;
}

/** Most entries shown at once. */
const MOST_SHOWN = 200;

/** Who is held back, and who would be at the next failure. */
export async function listHeldBack(context: ServiceContext): Promise<ThrottleEntry[]> {
  const now = context.clock.now();
  const rows = await listCounts(context.dataSource, {
    atLeast: context.configuration.throttle.free,
    limit: MOST_SHOWN,
  });
  const entries = rows.map((row) => showCount(context, row, now));
  // A window that still lets through holds nobody back; of consecutive failures the next one would bring a wait.
  return entries.filter(({ kind, state }) => state !== "open" || !kind.startsWith("network"));
}

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

/** An operator forgets what was counted. @throws ProblemReply `not-found`. */
export async function release(
  { dataSource, clock }: ServiceContext,
  operator: LiveSession,
  hexId: string,
  visit: Visit,
): Promise<void> {
  const id = Buffer.from(hexId, "hex");
  const row = await findCount(dataSource, id);
  if (row === null) throw new ProblemReply("not-found");
  await inTransaction(dataSource, async (manager) => {
    if ((await deleteCounts(manager, [id])) === 0) return;
    const accountId = row.kind.startsWith("account-") ? row.subject : null;
    const event = {
      kind: "throttle.released",
      reason: row.kind,
      accountId,
      actorId: operator.account.id,
    } as const;
    await record(manager, { event, visit, now: clock.now() });
  });
}
