/** Every changing call of operators and applications beside everything that ends their right (RC-12). */
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import type { TestService } from "../../testing/service.ts";
import { startService } from "../../testing/service.ts";
import { PAIRS, raceActor } from "./ended-actors.ts";

let service: TestService;
beforeAll(async () => {
  service = await startService();
});
afterAll(() => service.stop());

test.each(PAIRS.map((pair) => [pair.route.name, pair.ending, pair] as const))(
  "RC-12 %s, looped beside: %s",
  async (_name, _ending, pair) => {
    const { atReply, afterwards, after, statuses } = await raceActor(service, pair);
    expect(afterwards).toEqual(atReply);
    expect(after).toBeGreaterThan(0);
    expect(statuses.every((status) => status === 401 || status === 403)).toBe(true);
  },
);
