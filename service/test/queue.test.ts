import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import type { TestService } from "../../testing/service.ts";
import { startService } from "../../testing/service.ts";
import { claimsOf } from "../src/base/queue/claims.ts";
import type { DeliveryRow } from "../src/base/storage/index.ts";
import { DeliveryEntity } from "../src/base/storage/index.ts";
import { insertDelivery } from "../src/records/webhook/store.ts";

const FIRST = "01900000-0000-7000-8000-000000000001";
const SECOND = "01900000-0000-7000-8000-000000000002";

let service: TestService;
beforeAll(async () => {
  service = await startService();
});
afterAll(() => service.stop());

/** Lets so many seconds of every claim pass: claims are counted by the database's own clock. */
const pass = (seconds: number) =>
  service.dataSource.query("UPDATE delivery SET claimedUntil = claimedUntil - INTERVAL ? SECOND", [seconds]);

describe("claims", () => {
  test("what a dead instance had claimed is taken over when its claim ends; what is renewed is not", async () => {
    const { dataSource, clock } = service;
    const claims = claimsOf(dataSource, DeliveryEntity);
    const now = clock.now();
    for (let index = 0; index < 3; index += 1)
      await insertDelivery(dataSource.manager, {
        type: "account.registered",
        accountId: null,
        body: "{}",
        now,
      });
    const take = (claim: string) => claims.take(claim, clock.now(), 10);
    const mine = await take(FIRST);
    expect(mine).toHaveLength(3);
    expect(await take(SECOND)).toEqual([]);
    // A moved clock ends no claim.
    await clock.advance(3_600_000);
    expect(await take(SECOND)).toEqual([]);
    await pass(7);
    await claims.renew([FIRST]);
    await pass(7);
    expect(await take(SECOND)).toEqual([]);
    await pass(2);
    expect(await take(SECOND)).toMatchObject([{ tries: 2 }, { tries: 2 }, { tries: 2 }]);

    // Whoever lost its claim notes no failure over the one who has it now.
    const [lost] = mine as [DeliveryRow];
    await claims.noteFailed(lost, "it answered 500", null);
    const row = () => dataSource.getRepository(DeliveryEntity).findOneByOrFail({ id: lost.id });
    expect(await row()).toMatchObject({ state: "waiting", claim: SECOND });
    await claims.giveBack([lost]);
    expect(await row()).toMatchObject({ claim: SECOND, tries: 2 });
    await claims.giveBack([await row()]);
    expect(await row()).toMatchObject({ claim: null, claimedUntil: null, tries: 1 });
    await claims.noteArrived([lost.id], { state: "delivered", lastAnswer: "200" });
    expect(await row()).toMatchObject({ state: "delivered", lastAnswer: "200" });
  });
});
