/** Everything that somebody holds who is not signed in, beside everything that ends it (RC-12). */
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import type { TestService } from "../../testing/service.ts";
import { startService } from "../../testing/service.ts";
import { PROOF_PAIRS, raceProof } from "./ended-proofs.ts";

let service: TestService;
beforeAll(async () => {
  service = await startService();
});
afterAll(() => service.stop());

test.each(PROOF_PAIRS)("RC-12 %s, shown over and over beside: %s", async (...pair) => {
  const { atReply, afterwards, after, statuses } = await raceProof(service, pair);
  expect(afterwards).toEqual(atReply);
  expect(after).toBeGreaterThan(0);
  expect(statuses.every((status) => status >= 400 && status < 500)).toBe(true);
});
