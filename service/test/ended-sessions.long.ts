/** Every changing call of a session beside everything that ends it (RC-12). */
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import type { TestService } from "../../testing/service.ts";
import { startService } from "../../testing/service.ts";
import { changingRoutes, ENDINGS, fits, race } from "./ended-sessions.ts";

let service: TestService;
beforeAll(async () => {
  service = await startService();
});
afterAll(() => service.stop());

describe.each(Object.entries(ENDINGS))("RC-12 %s", (name, ending) => {
  test.each(
    changingRoutes()
      .filter((route) => fits(route.name, name))
      .map((route) => [route.name, route] as const),
  )("beside %s", async (_call, route) => {
    const { atReply, afterwards, after, statuses } = await race(service, route, ending);
    expect(afterwards).toEqual(atReply);
    expect(after).toBeGreaterThan(0);
    expect(statuses).toEqual([401]);
  });
});
