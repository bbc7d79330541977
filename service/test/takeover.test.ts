import { afterAll, beforeAll, test } from "@jest/globals";
import type { TestService } from "../../testing/service.ts";
import { startService } from "../../testing/service.ts";
import { isWhole } from "../../testing/whole.ts";
import { playRuns } from "./takeover-model.ts";

let service: TestService;
beforeAll(async () => {
  service = await startService();
});
afterAll(() => service.stop());

test("RC-3 RC-4 RC-5 RC-10 whatever a stranger does with what they hold, the service does what the model says, and the owner comes back", async () => {
  await playRuns(service, { numRuns: isWhole ? 10 : 4, maxCommands: 12, seed: 20_260_701 });
});
