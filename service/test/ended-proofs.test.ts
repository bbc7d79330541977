/** Each holding beside one of its endings, and the next beside the next; all pairs in `ended-proofs.long.ts`. */
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import type { TestService } from "../../testing/service.ts";
import { startService } from "../../testing/service.ts";
import { PROOF_PAIRS, raceProof } from "./ended-proofs.ts";

let service: TestService;
beforeAll(async () => {
  service = await startService();
});
afterAll(() => service.stop());

const holdings = [...new Set(PROOF_PAIRS.map(([holding]) => holding))];
const chosen = holdings.flatMap((name, place) => {
  const own = PROOF_PAIRS.filter(([holding]) => holding === name);
  return [own[place % own.length], own[(place + 3) % own.length]].filter((pair) => pair !== undefined);
});

test.each(chosen)("RC-12 %s, shown over and over beside: %s", async (...pair) => {
  const { atReply, afterwards, after, statuses } = await raceProof(service, pair);
  expect(afterwards).toEqual(atReply);
  expect(after).toBeGreaterThan(0);
  expect(statuses.every((status) => status >= 400 && status < 500)).toBe(true);
});
