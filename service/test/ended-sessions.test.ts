/** One ending for each call, one call for each ending; all pairs in `ended-sessions.long.ts`. */
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import type { TestService } from "../../testing/service.ts";
import { startService } from "../../testing/service.ts";
import { inWhole } from "../../testing/whole.ts";
import { CALLS, changingRoutes, ENDINGS, fits, race } from "./ended-sessions.ts";

let service: TestService;
beforeAll(async () => {
  service = await startService();
});
afterAll(() => service.stop());

const endings = Object.keys(ENDINGS);
/** Each call with the next ending that it fits. */
const pairs = changingRoutes().map((route, place) => {
  const inTurn = [...endings.slice(place % endings.length), ...endings];
  const ending = inTurn.find((one) => fits(route.name, one)) ?? "reset";
  return [route.name, ending, route] as const;
});

describe("RC-12 an ended session changes nothing more", () => {
  test("every call of the contract that a session makes is played", () => {
    expect(Object.keys(CALLS).sort()).toEqual(
      changingRoutes()
        .map(({ name }) => name)
        .sort(),
    );
  });

  test.each(pairs)("%s, looped beside: %s", async (_name, ending, route) => {
    const { atReply, afterwards, after, statuses } = await race(service, route, ENDINGS[ending] as never);
    expect(afterwards).toEqual(atReply);
    expect(after).toBeGreaterThan(0);
    expect(statuses).toEqual([401]);
  });

  inWhole(
    "what an ending ends is not made anew in the same moment: access keys beside a reset, over and over",
    async () => {
      for (let round = 0; round < 5; round += 1) {
        const { atReply } = await race(service, routes.makeAccessKey, ENDINGS["reset"] as never);
        expect(atReply).toMatchObject({ keys: [] });
      }
    },
  );
});
