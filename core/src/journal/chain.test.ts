/** A chain tells of every change that somebody without the key ring can make. */
import { randomBytes } from "node:crypto";
import { expect, test } from "@jest/globals";
import fc from "fast-check";
import type { ChainedEvent, ChainLink, ChainPoint } from "./chain.ts";
import { CHAIN_START, chainAfter, checkPoint, findFlaw, readHead, sealPoint, writeHead } from "./chain.ts";

const ring = { current: "k1", keys: new Map([["k1", randomBytes(32)]]) };
const stranger = { current: "k1", keys: new Map([["k1", randomBytes(32)]]) };

const text = fc.option(fc.string({ unit: "grapheme", maxLength: 12 }), { nil: null });
const event: fc.Arbitrary<ChainedEvent> = fc.record({
  id: fc.uuid(),
  at: fc.date({ noInvalidDate: true, min: new Date(0), max: new Date("2100-01-01") }),
  kind: fc.constantFrom("sign-in.completed", "account.changed"),
  outcome: fc.constantFrom("done", "refused"),
  ...{
    reason: text,
    accountId: text,
    actorId: text,
    appId: text,
    sessionId: text,
    network: text,
    requestId: text,
  },
});

type Entry = ChainedEvent & ChainLink;

function chain(events: readonly ChainedEvent[], under = ring, start: ChainPoint = CHAIN_START): Entry[] {
  let last = start;
  return events.map((one) => {
    const link = chainAfter(under, last, one);
    last = link;
    return { ...one, ...link };
  });
}

const events = fc.uniqueArray(event, { minLength: 3, maxLength: 8, selector: ({ id }) => id });

test("JO-9 what was changed, removed, swapped or written by somebody else is named at the first place", () => {
  fc.assert(
    fc.property(events, fc.nat(), fc.nat(), (written, one, other) => {
      const entries = chain(written);
      expect(findFlaw(ring, CHAIN_START, entries)).toBeNull();
      const at = one % entries.length;
      const position = at + 1;
      const entry = entries[at] as Entry;
      const flawOf = (changed: readonly Entry[]) => findFlaw(ring, CHAIN_START, changed);

      const members = Object.keys(written[0] ?? {}) as Array<keyof ChainedEvent>;
      const member = members[other % members.length] as keyof ChainedEvent;
      const value = member === "at" ? new Date(entry.at.getTime() + 1) : `${String(entry[member])}x`;
      const changed = { ...entry, [member]: value };
      const named = { position, entryId: changed.id };
      expect(flawOf(entries.with(at, changed))).toEqual({ ...named, what: "changed" });
      // Worked out anew from there to the end, but without the ring.
      const rest = [changed, ...entries.slice(at + 1)];
      const forged = chain(rest, stranger, entries[at - 1] ?? CHAIN_START);
      expect(flawOf([...entries.slice(0, at), ...forged])).toEqual({ ...named, what: "forged" });

      const without = entries.toSpliced(at, 1);
      const removed = at === entries.length - 1 ? null : { position, entryId: null, what: "missing" };
      expect(flawOf(without)).toEqual(removed);

      const next = entries[at + 1];
      if (next === undefined) return;
      const { position: here, digest, seal } = entry;
      const swapped = entries
        .with(at, { ...next, position: here, digest, seal })
        .with(at + 1, { ...entry, position: next.position, digest: next.digest, seal: next.seal });
      expect(flawOf(swapped)).toEqual({ position, entryId: next.id, what: "changed" });
    }),
  );
});

test("a seal says what a point is, and of which key it is", () => {
  const [entry] = chain([
    {
      ...{ id: "0198f0c2-7a4e-7b1c-9d2e-5f60718293a4", at: new Date(0), kind: "account.changed" },
      ...{ outcome: "done", reason: null, accountId: null, actorId: null },
      ...{ appId: null, sessionId: null, network: null, requestId: null },
    },
  ]) as [Entry];
  expect(checkPoint(ring, "entry", entry, entry.seal)).toBe("right");
  // A seal of an entry does not make it the beginning or the end.
  for (const end of ["base", "head"] as const) expect(checkPoint(ring, end, entry, entry.seal)).toBe("wrong");
  expect(checkPoint(ring, "entry", { ...entry, position: 2 }, entry.seal)).toBe("wrong");
  const rotated = { current: "k2", keys: new Map([...ring.keys, ["k2", randomBytes(32)]]) };
  expect(checkPoint(rotated, "entry", entry, entry.seal)).toBe("right");
  expect(checkPoint(ring, "entry", entry, sealPoint(rotated, "entry", entry))).toBe("key-missing");
  for (const none of ["", "k1", "k1:", `${entry.seal}A`, entry.seal.slice(0, -1), `K1${entry.seal.slice(2)}`])
    expect(checkPoint(ring, "entry", entry, none)).toBe("wrong");
});

test("a head is one line that reads back", () => {
  fc.assert(
    fc.property(
      fc.integer({ min: 1, max: 1e14 }),
      fc.uint8Array({ minLength: 32, maxLength: 32 }),
      (position, digest) => {
        const line = writeHead({ position, digest });
        expect(readHead(line)).toEqual({ position, digest });
        expect(line).toMatch(/^\d+\.[A-Za-z0-9_-]{43}$/);
      },
    ),
  );
  for (const none of ["", "1", "0.", `0.${"A".repeat(43)}`, `1.${"A".repeat(42)}`, ` 1.${"A".repeat(43)}`])
    expect(readHead(none)).toBeNull();
});
