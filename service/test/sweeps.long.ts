import { expect, test } from "@jest/globals";
import { startService } from "../../testing/service.ts";

test("HK-2 a million old rows go in batches, while people sign in", async () => {
  const service = await startService();
  try {
    const { dataSource } = service;
    const at = "2020-01-01 00:00:00";
    for (let round = 0; round < 100; round += 1)
      await dataSource.query(
        `INSERT INTO throttle_count SELECT UNHEX(SHA2(CONCAT('${round}-', seq), 256)), 'network', NULL, 1, '${at}', '${at}', '${at}' FROM seq_1_to_10000`,
      );
    const left = async (): Promise<number> => {
      const [row] = await dataSource.query<Array<{ left: string }>>(
        `SELECT COUNT(*) AS \`left\` FROM throttle_count WHERE changedAt = '${at}'`,
      );
      return Number(row?.left);
    };
    expect(await left()).toBe(1_000_000);
    await service.register("dora@brina.example");
    let signedIn = 0;
    while ((await left()) > 0) {
      let isSwept = false;
      const sweeping = service.sweep().finally(() => (isSwept = true));
      while (!isSwept) {
        expect(await service.signIn("dora@brina.example")).toMatch(/^lcs_/);
        signedIn += 1;
      }
      await sweeping;
    }
    // They came in between, not after it.
    expect(signedIn).toBeGreaterThan(20);
  } finally {
    await service.stop();
  }
});
