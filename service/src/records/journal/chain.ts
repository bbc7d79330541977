/**
 * The journal's chain: entries are written in the transaction of their cause, which waits for nobody, and chained some moments
 * afterwards by the one instance that claimed it. What is found out later is what was changed after it was chained.
 */
import type { ChainFlaw, ChainLink, ChainPoint, KeyRing, SealCheck } from "@lucchetto/core";
import {
  CHAIN_START,
  chainAfter,
  checkPoint,
  findFlaw,
  sealedUnder,
  sealPoint,
  writeHead,
} from "@lucchetto/core";
import type { DataSource, EntityManager } from "typeorm";
import { earliestIdAt, inTransaction, sweepRows } from "../../base/storage/index.ts";
import type { ServiceContext } from "../context.ts";
import type { ChainEnds, SealedPoint } from "./chain-store.ts";
import {
  countUnchained,
  deleteUpTo,
  findAtPosition,
  findOldestUnchained,
  findOutside,
  listChained,
  listSealedOtherwise,
  listUnchained,
  moveEnd,
  readEnds,
  replaceSeal,
  writeLinks,
} from "./chain-store.ts";

/** Entries chained in one transaction, and forgotten in one. */
export const CHAIN_BATCH = 200;
/** Entries verified for one call: some ten milliseconds. */
const VERIFIED_AT_ONCE = 2_000;
/** Batches in one round of sweeping; the rest goes the next time. */
const MAX_BATCHES = 250;

/** Milliseconds for which an instance without the key of the head leaves the chaining to those that have it. */
const KEY_MISSING_GRACE_MS = 3_600_000;

/** Milliseconds within which an entry is chained, however busy the database is, and however long a key is waited for. */
const LONGEST_UNCHAINED = 2 * KEY_MISSING_GRACE_MS;

/** Somebody else moved the chain on meanwhile. */
class MovedOn extends Error {
  override readonly name = "MovedOn";
}

/** A promoted key is missing here; what this instance chained would look as if somebody had changed the chain. */
class HeadKeyMissing extends Error {
  override readonly name = "HeadKeyMissing";
}

type Chaining = Pick<ServiceContext, "dataSource" | "sealingKeys">;

export interface Chained {
  /** How many entries were. */
  readonly entries: number;
  /** When the first of them was written. */
  readonly since: Date;
  readonly head: ChainPoint;
  /** Whether the head was not as it was left. */
  readonly isTouched: boolean;
}

/**
 * Chains what waits, some at a time. A head that the ring's holder did not leave so is a trace that must stay: one position is left
 * free there, so that verifying names it from then on, and the chain goes on behind it.
 * @param claim of this process, which must still hold. @param seen the furthest position at which it has seen the head.
 * @returns `null`: nothing waits any more, or somebody else was first. @throws HeadKeyMissing.
 */
export async function chainWaiting(
  { dataSource, sealingKeys, clock }: Chaining & Pick<ServiceContext, "clock">,
  { claim, seen }: { claim: string; seen: number },
): Promise<Chained | null> {
  try {
    return await inTransaction(dataSource, async (manager) => {
      const { head } = await readEnds(manager);
      const waiting = await listUnchained(manager, CHAIN_BATCH);
      const [first] = waiting;
      if (first === undefined) return null;
      const check = checkEnd(sealingKeys, "head", head);
      if (check === "key-missing" && clock.now().getTime() - first.at.getTime() < KEY_MISSING_GRACE_MS)
        throw new HeadKeyMissing("the journal's chain ends under a key that is not in this key ring");
      const isTouched = head.position < seen || check !== "right";
      const behind = Math.max(head.position, seen) + 1;
      const links: Array<ChainLink & { id: string }> = [];
      let last: ChainPoint = isTouched ? { position: behind, digest: head.digest } : head;
      for (const entry of waiting) {
        const link = chainAfter(sealingKeys, last, entry);
        links.push({ ...link, id: entry.id });
        last = link;
      }
      const moved = { ...last, seal: sealPoint(sealingKeys, "head", last) };
      if (!(await moveEnd(manager, { end: "head", from: head, to: moved, claim }))) throw new MovedOn();
      if ((await writeLinks(manager, links)) !== links.length) throw new MovedOn();
      return { entries: links.length, since: first.at, head: last, isTouched };
    });
  } catch (error) {
    if (error instanceof MovedOn) return null;
    throw error;
  }
}

/** Whether an end of the chain is as the ring's holder left it. */
function checkEnd(ring: KeyRing, end: "base" | "head", point: SealedPoint): SealCheck {
  if (point.position > 0) return checkPoint(ring, end, point, point.seal ?? "");
  const isStart = point.seal === null && Buffer.compare(point.digest, CHAIN_START.digest) === 0;
  return isStart ? "right" : "wrong";
}

/** Where the chain ends, and what waits. */
interface JournalHead {
  /** In one line, to be kept elsewhere; `null` where nothing is chained yet, or there is no key ring. */
  readonly head: string | null;
  /** How many entries are chained. */
  readonly chained: number;
  /** How many are not yet. */
  readonly waiting: number;
}

export async function describeHead({ configuration, dataSource }: ServiceContext): Promise<JournalHead> {
  const { base, head } = await readEnds(dataSource.manager);
  return {
    head: configuration.keyRing === null || head.position === 0 ? null : writeHead(head),
    chained: head.position - base.position,
    waiting: await countUnchained(dataSource.manager),
  };
}

interface Verified {
  /** The positions that were looked at: from one behind the first to the last. */
  readonly after: number;
  readonly last: number;
  /** Where to go on; `null`: this was all, the end and the kept head among it. */
  readonly next: number | null;
  readonly flaw: ChainFlaw | null;
  /** Whether the kept head was found in the chain; `null`: none was given, or it is older than all that is kept. */
  readonly heldHead: boolean | null;
  /** `null` before the end. */
  readonly waiting: number | null;
}

/**
 * Verifies a part of the chain.
 * @param after position behind which it begins: 0, or the `next` of the part before. @param kept a head that was kept.
 */
export async function verifyPart(
  {
    dataSource,
    sealingKeys,
    clock,
    configuration,
  }: Chaining & Pick<ServiceContext, "clock" | "configuration">,
  { after, kept }: { after: number; kept: ChainPoint | null },
): Promise<Verified> {
  // One view of everything, while entries are written, chained and forgotten beside it.
  return dataSource.transaction("REPEATABLE READ", async (manager) => {
    const ends = await readEnds(manager);
    const from = await startBehind(manager, sealingKeys, { after, ends });
    const rows = from.flaw
      ? []
      : await listChained(manager, { after: from.position, most: VERIFIED_AT_ONCE });
    const last: ChainPoint = rows.at(-1) ?? from;
    const isAll = rows.length < VERIFIED_AT_ONCE;
    const inPart = from.flaw ?? findFlaw(sealingKeys, from, rows);
    const atEnd = isAll ? lastFlaw(sealingKeys, ends, last) : null;
    const held = isAll && kept !== null ? await isHeld(manager, ends, kept) : null;
    const ofKept = held === false && kept !== null ? keptFlaw(ends, kept) : null;
    // Without a key ring nothing is ever chained.
    const isChained = configuration.keyRing !== null;
    const beside = isAll && isChained ? await flawBeside(manager, ends, clock.now()) : null;
    return {
      after: from.position,
      last: last.position,
      next: isAll ? null : last.position,
      flaw: inPart ?? atEnd ?? ofKept ?? beside,
      heldHead: held,
      waiting: isAll ? await countUnchained(manager) : null,
    };
  });
}

/**
 * The point behind which verifying begins: where the chain begins, or an entry, whose own seal says that it stood there. Where there is
 * none at the position, the next one is taken, for somebody who goes on behind a gap that is known.
 */
async function startBehind(
  manager: EntityManager,
  ring: KeyRing,
  { after, ends: { base, head } }: { after: number; ends: ChainEnds },
): Promise<ChainPoint & { flaw: ChainFlaw | null }> {
  if (after <= base.position) {
    const flaw = endFlaw(ring, "base", base);
    return { ...base, flaw };
  }
  const [first] = await listChained(manager, { after: after - 1, most: 1 });
  if (first === undefined) return { ...head, flaw: after > head.position ? null : flawAt(after, "missing") };
  const check = checkPoint(ring, "entry", first, first.seal);
  const what = check === "wrong" ? "forged" : "key-missing";
  const flaw = check === "right" ? null : ({ position: first.position, entryId: first.id, what } as const);
  return { position: first.position, digest: first.digest, flaw };
}

/** The last entry as it is found, against the end that was noted. */
function lastFlaw(ring: KeyRing, { head }: ChainEnds, last: ChainPoint): ChainFlaw | null {
  if (last.position < head.position) return flawAt(last.position + 1, "missing");
  const isSame = last.position === head.position && Buffer.compare(last.digest, head.digest) === 0;
  return isSame ? endFlaw(ring, "head", head) : flawAt(head.position, "forged");
}

function endFlaw(ring: KeyRing, end: "base" | "head", point: SealedPoint): ChainFlaw | null {
  const check = checkEnd(ring, end, point);
  return check === "right" ? null : flawAt(point.position, check === "wrong" ? "forged" : check);
}

/** What a head that is not in the chain tells. */
function keptFlaw({ head }: ChainEnds, kept: ChainPoint): ChainFlaw {
  return kept.position > head.position ? flawAt(head.position + 1, "cut") : flawAt(kept.position, "other");
}

/** Seconds since the oldest entry was written that is not chained yet; nothing while the database does not say. */
export async function ageOfUnchained({
  configuration,
  dataSource,
  clock,
}: ServiceContext): Promise<Readonly<Record<string, number>>> {
  if (configuration.keyRing === null) return { "": 0 };
  // The database does not answer: no figure, rather than a wrong one.
  const oldest = await findOldestUnchained(dataSource.manager).catch(() => undefined);
  if (oldest === undefined) return {};
  return { "": oldest === null ? 0 : Math.max(0, (clock.now().getTime() - oldest.getTime()) / 1_000) };
}

/** What stands beside the chain: entries at positions that it does not have, and such as were never chained though they had the time. */
async function flawBeside(manager: EntityManager, ends: ChainEnds, now: Date): Promise<ChainFlaw | null> {
  const outside = await findOutside(manager, ends);
  if (outside !== null) return { position: outside.position, entryId: outside.id, what: "outside" };
  const oldest = await findOldestUnchained(manager);
  const waits = oldest === null ? 0 : now.getTime() - oldest.getTime();
  return waits > LONGEST_UNCHAINED ? flawAt(ends.head.position + 1, "unchained") : null;
}

/** Whether a head that was kept is in the chain; `null`: what it names has had its time. */
export async function isHeld(
  manager: EntityManager,
  { base }: ChainEnds,
  kept: ChainPoint,
): Promise<boolean | null> {
  if (kept.position < base.position) return null;
  const there = kept.position === base.position ? base : await findAtPosition(manager, kept.position);
  return there !== null && Buffer.compare(there.digest, kept.digest) === 0;
}

const flawAt = (position: number, what: ChainFlaw["what"]): ChainFlaw => ({ position, entryId: null, what });

/** Nothing is forgotten where the chain does not hold: it would take the trace along. */
class JournalFlawed extends Error {
  override readonly name = "JournalFlawed";
}

/**
 * Forgets entries of before a time, in the order of the chain, which then begins behind them: their ids begin with theirs (UUIDv7).
 * Without a ring nothing is chained, and nothing has to be kept in order.
 * @throws Error where the chain does not hold.
 */
export async function sweepEntries(
  dataSource: DataSource,
  before: Date,
  { sealingKeys, configuration }: Pick<ServiceContext, "sealingKeys" | "configuration">,
): Promise<void> {
  const youngest = earliestIdAt(before);
  if (configuration.keyRing === null) {
    await sweepRows(dataSource, "journal_entry WHERE id < ?", [youngest]);
    return;
  }
  for (let batch = 0; batch < MAX_BATCHES; batch += 1) {
    const removed = await inTransaction(dataSource, async (manager) => {
      const { base } = await readEnds(manager);
      const rows = await listChained(manager, { after: base.position, most: CHAIN_BATCH });
      const firstYoung = rows.findIndex(({ id }) => id >= youngest);
      const old = firstYoung < 0 ? rows : rows.slice(0, firstYoung);
      const last = old.at(-1);
      if (last === undefined) return 0;
      const flaw = endFlaw(sealingKeys, "base", base) ?? findFlaw(sealingKeys, base, old);
      if (flaw !== null)
        throw new JournalFlawed(
          `the journal does not hold together at position ${flaw.position} (${flaw.what}). Run: lucchetto journal verify`,
        );
      const moved = { ...last, seal: sealPoint(sealingKeys, "base", last) };
      if (!(await moveEnd(manager, { end: "base", from: base, to: moved }))) return 0;
      await deleteUpTo(manager, last.position);
      return old.length;
    });
    if (removed < CHAIN_BATCH) return;
  }
}

/** Positions that are looked through at once for seals of another key. */
const RESEALED_AT_ONCE = 5_000;

/**
 * Seals anew, under the ring's current key, what is sealed under another one and holds.
 * @returns how many were, and the position to go on behind; `null`: there are no more.
 */
export async function resealPart(
  { dataSource, sealingKeys: ring }: Chaining,
  after: number,
): Promise<{ sealed: number; next: number | null }> {
  const ends = await readEnds(dataSource.manager);
  const from = Math.max(after, ends.base.position);
  const upTo = from + RESEALED_AT_ONCE;
  let sealed = 0;
  for (const entry of await listSealedOtherwise(dataSource, { keyId: ring.current, after: from, upTo })) {
    const isRight = checkPoint(ring, "entry", entry, entry.seal) === "right";
    if (isRight && (await replaceSeal(dataSource, entry, sealPoint(ring, "entry", entry)))) sealed += 1;
  }
  if (upTo < ends.head.position) return { sealed, next: upTo };
  for (const end of ["base", "head"] as const) {
    const point = ends[end];
    const isOther = point.seal !== null && sealedUnder(point.seal) !== ring.current;
    if (isOther && checkEnd(ring, end, point) === "right")
      await moveEnd(dataSource.manager, {
        end,
        from: point,
        to: { ...point, seal: sealPoint(ring, end, point) },
      });
  }
  return { sealed, next: null };
}
