import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import type { ProblemReply } from "../problem.ts";
import type { Asker, Places } from "./places.ts";
import { createPlaces } from "./places.ts";

const HOUR = 3_600_000;
const asker = (network: string, account = "anybody", isKnown = false): Asker => ({
  network,
  account,
  isKnown,
});

/** Work that ends when it is told to, and the order in which it began. */
function works(settings: { parallel: number; queue?: number }) {
  const places = createPlaces({ queue: 1_000, wait: HOUR, ...settings });
  const begun: string[] = [];
  const away: string[] = [];
  const ends: Array<() => void> = [];
  const ask = (name: string, who: Asker): void => {
    places
      .run(who, () => {
        begun.push(name);
        return new Promise<void>((resolve) => ends.push(resolve));
      })
      .catch(() => away.push(name));
  };
  const settle = () => new Promise((resolve) => setImmediate(resolve));
  return {
    ...{ places, begun, away, ask },
    /** Ends so many that run, one after the other. */
    async end(count: number): Promise<void> {
      for (let left = count; left > 0; left -= 1) {
        ends.shift()?.();
        await settle();
      }
    },
  };
}

describe("places for hashing", () => {
  test("RY-6 a hundred requests of one network cost somebody else one hash's wait", async () => {
    const { ask, end, begun } = works({ parallel: 2 });
    for (let one = 0; one < 100; one += 1) ask(`flood ${one}`, asker("203.0.113.1", `name ${one}`));
    await end(10);
    ask("somebody", asker("198.51.100.7"));
    await end(1);
    expect(begun.at(-1)).toBe("somebody");
  });

  test("RY-6 networks take turns, and so do accounts within one", async () => {
    const { ask, end, begun } = works({ parallel: 1 });
    ask("running", asker("other"));
    for (const name of ["a1", "a2"]) ask(name, asker("N", "a"));
    for (const name of ["b1", "b2"]) ask(name, asker("N", "b"));
    for (const name of ["m1", "m2"]) ask(name, asker("M", "m"));
    await end(7);
    expect(begun).toEqual(["running", "a1", "m1", "b1", "m2", "a2", "b2"]);
  });

  test("RY-6 known browsers come first, whatever waits", async () => {
    const { ask, end, begun } = works({ parallel: 1 });
    ask("running", asker("N"));
    for (let network = 0; network < 50; network += 1) ask(`stranger ${network}`, asker(`network ${network}`));
    ask("known", asker("N", "anna", true));
    await end(1);
    expect(begun).toEqual(["running", "known"]);
  });

  test("RY-6 S2 whoever comes with many of their own network while others wait is told 429, everybody else 503; at once or after a long wait", async () => {
    const told = async (places: Places, all: readonly Asker[]) => {
      const work = () => new Promise<void>(() => undefined);
      return Promise.all(all.map((who) => places.run(who, work).catch(({ code }: ProblemReply) => code)));
    };
    const full = createPlaces({ parallel: 1, queue: 2, wait: HOUR });
    void full.run(asker("running"), () => new Promise<void>(() => undefined));
    const [first, , last] = [asker("N", "a"), asker("M"), asker("N", "b")];
    const line = [full.run(first, async () => undefined), full.run(asker("M"), async () => undefined)];
    for (const one of line) one.catch(() => undefined);
    expect(await told(full, [last])).toEqual(["throttled"]);
    expect(await told(full, [asker("O")])).toEqual(["too-busy"]);

    // With nobody else in line it is only too much.
    const alone = createPlaces({ parallel: 1, queue: 1, wait: HOUR });
    void alone.run(first, () => new Promise<void>(() => undefined));
    alone.run(first, async () => undefined).catch(() => undefined);
    expect(await told(alone, [last])).toEqual(["too-busy"]);

    const short = createPlaces({ parallel: 1, queue: 10, wait: 5 });
    void short.run(asker("running"), () => new Promise<void>(() => undefined));
    // What waits keeps no process running, so something else has to.
    const alive = setInterval(() => undefined, 1);
    expect(await told(short, [first, last, asker("M")])).toEqual(["throttled", "throttled", "too-busy"]);
    clearInterval(alive);
  });

  test("RY-6 a full line sends away the newest of who has most in it, and never others for them", async () => {
    const { ask, end, away, places } = works({ parallel: 1, queue: 4 });
    ask("running", asker("N"));
    for (const name of ["n1", "n2", "n3", "n4", "n5"]) ask(name, asker("N", name));
    await end(0);
    ask("m1", asker("M"));
    ask("m2", asker("M"));
    ask("m3", asker("M"));
    ask("known", asker("N", "anna", true));
    await new Promise((resolve) => setImmediate(resolve));
    expect(away.sort()).toEqual(["m3", "n2", "n3", "n4", "n5"]);
    expect(places.load()).toEqual({ running: 1, waiting: 4 });
  });

  test("whoever comes gets a place or is sent away, once; no more run than there are places", async () => {
    const coming = fc.record({
      network: fc.constantFrom("a", "b", "c"),
      account: fc.constantFrom("x", "y"),
      isKnown: fc.boolean(),
      ends: fc.nat(3),
    });
    await fc.assert(
      fc.asyncProperty(
        fc.array(coming, { maxLength: 40 }),
        fc.integer({ min: 1, max: 3 }),
        async (all, parallel) => {
          const { ask, end, begun, away, places } = works({ parallel, queue: 5 });
          for (const [place, { ends, ...who }] of all.entries()) {
            ask(String(place), who);
            await end(ends);
            const { running, waiting } = places.load();
            if (running > parallel || waiting > 5) return false;
          }
          await end(all.length);
          const { running, waiting } = places.load();
          const settled = [...begun, ...away].map(Number).sort((left, right) => left - right);
          return running + waiting === 0 && settled.every((name, place) => name === place);
        },
      ),
    );
  });

  test("what nobody waits for is done where nobody wants a place, on more cores while nobody does, and is never sent away", async () => {
    const places = createPlaces({ parallel: 1, queue: 1, wait: HOUR });
    const order: string[] = [];
    let end: () => void = () => undefined;
    const somebody = asker("N");
    const first = places.run(somebody, () => new Promise<void>((resolve) => (end = resolve)));
    const done = (name: string) => async () => void order.push(name);
    const beside = [1, 2, 3].map((number) => places.runInBackground(done(`beside ${number}`)));
    const waiting = places.run(somebody, done("somebody waits"));
    await expect(places.run(somebody, done("one too many"))).rejects.toMatchObject({ code: "too-busy" });
    expect(places.load()).toEqual({ running: 1, waiting: 1 });
    end();
    await Promise.all([first, waiting, ...beside]);
    expect(order).toEqual(["somebody waits", "beside 1", "beside 2", "beside 3"]);
    expect(places.load()).toEqual({ running: 0, waiting: 0 });

    const wide = createPlaces({ parallel: 1, queue: 1, wait: HOUR, together: 3 });
    const ends: Array<() => void> = [];
    const work = () => new Promise<void>((resolve) => ends.push(resolve));
    const all = [1, 2, 3, 4].map(() => wide.runInBackground(work));
    await new Promise((resolve) => setImmediate(resolve));
    expect(wide.load()).toEqual({ running: 3, waiting: 0 });
    // Whoever comes waits for none of it.
    await wide.run(somebody, done("at once"));
    expect(order.at(-1)).toBe("at once");
    while (ends.length > 0) {
      ends.shift()?.();
      await new Promise((resolve) => setImmediate(resolve));
    }
    await Promise.all(all);
  });
});
