/**
 * The chain of the journal. Each entry gets a position, a digest over itself and the digest before it, and a seal of that digest under
 * the key ring. Who can write to the database but does not hold the ring cannot change, remove or reorder entries unseen; and who
 * kept a head elsewhere sees as well whether the end was cut off.
 *
 * The digest is SHA-256 (FIPS 180-4) without a key, so that it stays when keys are replaced; the seal is HMAC-SHA-256 (RFC 2104).
 */
import { createHash, createHmac, timingSafeEqual } from "node:crypto";
import type { KeyRing } from "../secrets/key-ring.ts";
import { deriveKey } from "../secrets/key-ring.ts";

/** Bytes of a digest. */
const DIGEST_BYTES = 32;

/** What of an entry is chained: all of it. */
export interface ChainedEvent {
  readonly id: string;
  readonly at: Date;
  readonly kind: string;
  readonly outcome: string;
  readonly reason: string | null;
  readonly accountId: string | null;
  readonly actorId: string | null;
  readonly appId: string | null;
  readonly sessionId: string | null;
  readonly network: string | null;
  readonly requestId: string | null;
}

/** A place in the chain. Positions count from 1, without a gap. */
export interface ChainPoint {
  readonly position: number;
  readonly digest: Uint8Array;
}

/** An event's place in the chain: its point and the seal of it. */
export interface ChainLink extends ChainPoint {
  /** `keyId:` and the seal in base64url. */
  readonly seal: string;
}

/** Where every chain begins; nothing stands there. */
export const CHAIN_START: ChainPoint = { position: 0, digest: new Uint8Array(DIGEST_BYTES) };

/** What a seal says of a point: an entry stands there, all before it has had its time, or it is the newest. */
export type SealedAs = "entry" | "base" | "head";

/** The link of an entry that comes after a point. */
export function chainAfter(ring: KeyRing, before: ChainPoint, event: ChainedEvent): ChainLink {
  const point = { position: before.position + 1, digest: digestAfter(before, event) };
  return { ...point, seal: sealPoint(ring, "entry", point) };
}

/** Seals a point under the ring's current key. */
export function sealPoint(ring: KeyRing, as: SealedAs, point: ChainPoint): string {
  return `${ring.current}:${macOf(ring.keys.get(ring.current), as, point).toString("base64url")}`;
}

/** `key-missing`: the ring lacks the key that the seal names. */
export type SealCheck = "right" | "wrong" | "key-missing";

/** Whether the ring's holder sealed a point as what it is taken for. */
export function checkPoint(ring: KeyRing, as: SealedAs, point: ChainPoint, seal: string): SealCheck {
  const [, keyId = "", mac = ""] = SEAL.exec(seal) ?? [];
  if (keyId === "") return "wrong";
  const key = ring.keys.get(keyId);
  if (key === undefined) return "key-missing";
  return timingSafeEqual(macOf(key, as, point), Buffer.from(mac, "base64url")) ? "right" : "wrong";
}

const SEAL = /^([a-z0-9][a-z0-9-]{0,31}):([A-Za-z0-9_-]{43})$/;

/**
 * What is wrong at a position: the entry that stood there is `missing`, it was `changed` after it was chained, its link was `forged`
 * without the ring, or the ring lacks its key (`key-missing`). Of a whole chain: its end was `cut` off, or it is an`other` one than
 * that of the kept head.
 */
export interface ChainFlaw {
  readonly position: number;
  /** Of the entry that stands there; `null` if there is none. */
  readonly entryId: string | null;
  readonly what: "missing" | "changed" | "forged" | "key-missing" | "cut" | "other" | "outside" | "unchained";
}

/** The first flaw of entries that should follow a point, in the order of their positions; `null` if they hold together. */
export function findFlaw(
  ring: KeyRing,
  before: ChainPoint,
  entries: ReadonlyArray<ChainedEvent & ChainLink>,
): ChainFlaw | null {
  let last = before;
  for (const entry of entries) {
    const position = last.position + 1;
    if (entry.position !== position) return { position, entryId: null, what: "missing" };
    const flaw = (what: ChainFlaw["what"]) => ({ position, entryId: entry.id, what });
    if (Buffer.compare(digestAfter(last, entry), entry.digest) !== 0) return flaw("changed");
    const check = checkPoint(ring, "entry", entry, entry.seal);
    if (check !== "right") return flaw(check === "wrong" ? "forged" : check);
    last = entry;
  }
  return null;
}

const HEAD = /^([1-9]\d{0,14})\.([A-Za-z0-9_-]{43})$/;

/**
 * A point in one line, to be kept elsewhere.
 * @example
 * ```ts
 * writeHead(CHAIN_START) // → "0.AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA"
 * ```
 */
export function writeHead({ position, digest }: ChainPoint): string {
  return `${position}.${Buffer.from(digest).toString("base64url")}`;
}

/**
 * Reads what `writeHead` wrote; `null` if the text is none.
 * @example
 * ```ts
 * readHead(`7.${"A".repeat(43)}`).position // → 7
 * readHead("seven") // → null
 * ```
 */
export function readHead(text: string): ChainPoint | null {
  const [, position, digest = ""] = HEAD.exec(text) ?? [];
  if (position === undefined) return null;
  return { position: Number(position), digest: new Uint8Array(Buffer.from(digest, "base64url")) };
}

/** The order of the members is part of the format; a list in JSON can be read in one way only. */
function digestAfter(before: ChainPoint, event: ChainedEvent): Uint8Array {
  const { id, at, kind, outcome, reason, accountId, actorId, appId, sessionId, network, requestId } = event;
  const who = [accountId, actorId, appId, sessionId, network, requestId];
  const said = [before.position + 1, id, at.toISOString(), kind, outcome, reason, ...who];
  return new Uint8Array(
    createHash("sha256").update(before.digest).update(JSON.stringify(said), "utf8").digest(),
  );
}

function macOf(key: Uint8Array | undefined, as: SealedAs, { position, digest }: ChainPoint): Buffer {
  if (key === undefined) throw new RangeError("the ring lacks its current key");
  return createHmac("sha256", chainKey(key)).update(`${as}\n${position}\n`).update(digest).digest();
}

/** A seal for each entry, and always under the same few keys. */
const derived = new WeakMap<Uint8Array, Uint8Array>();

function chainKey(key: Uint8Array): Uint8Array {
  const known = derived.get(key) ?? deriveKey(key, "journal");
  derived.set(key, known);
  return known;
}
