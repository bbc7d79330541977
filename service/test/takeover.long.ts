/** The same game as in takeover.test.ts, longer and each time another. */
import { afterAll, beforeAll, test } from "@jest/globals";
import type { TestService } from "../../testing/service.ts";
import { startService } from "../../testing/service.ts";
import { playRuns } from "./takeover-model.ts";

let service: TestService;
beforeAll(async () => {
  service = await startService();
});
afterAll(() => service.stop());

/** Another one each time; `SEED` plays the same runs again. */
const seed = Number(process.env["SEED"] ?? Date.now() % 2 ** 31);

test("five hundred runs of up to forty actions", async () => {
  process.stdout.write(`takeover: seed ${seed}\n`);
  await playRuns(service, { numRuns: Number(process.env["RUNS"] ?? 500), maxCommands: 40, seed });
});
