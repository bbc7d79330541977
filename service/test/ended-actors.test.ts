/** One ending for each call, one call for each ending; all pairs in `ended-actors.long.ts`. */
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import type { TestService } from "../../testing/service.ts";
import { startService } from "../../testing/service.ts";
import { actorsRoutes, NOT_PLAYED, PAIRS, PLAYED, raceActor } from "./ended-actors.ts";

let service: TestService;
beforeAll(async () => {
  service = await startService();
});
afterAll(() => service.stop());

/** Each call with the next of its endings. */
const chosen = PLAYED.map((name, place) => {
  const own = PAIRS.filter(({ route }) => route.name === name);
  return own[place % own.length] ?? own[0];
}).filter((pair) => pair !== undefined);

describe("RC-12 whoever may no longer changes nothing more", () => {
  test("every call of the contract that an operator or an app makes is played, or said not to be", () => {
    expect([...PLAYED, ...NOT_PLAYED].sort()).toEqual(
      actorsRoutes()
        .map(({ name }) => name)
        .sort(),
    );
  });

  test.each(chosen.map((pair) => [pair.route.name, pair.ending, pair] as const))(
    "%s, looped beside: %s",
    async (_name, _ending, pair) => {
      const { atReply, afterwards, after, statuses } = await raceActor(service, pair);
      expect(afterwards).toEqual(atReply);
      expect(after).toBeGreaterThan(0);
      expect(statuses.every((status) => status === 401 || status === 403)).toBe(true);
    },
  );
});
