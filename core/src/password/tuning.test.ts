import { describe, expect, test } from "@jest/globals";
import type { Measure } from "./index.ts";
import { ALGORITHMS, readScheme, tune, tuningSteps } from "./index.ts";

/** A machine that takes a thousandth of a millisecond for each unit of work: no clock is needed. */
const machine: Measure = async ({ algorithm, parameters }, hashes) => {
  const time = algorithm.work(parameters) / 3_000;
  return { times: Array.from({ length: hashes }, () => time), perSecond: 1_000 / time };
};

function algorithm(id: string) {
  const found = ALGORITHMS.get(id);
  if (found === undefined) throw new Error(id);
  return found;
}
const present = readScheme("$scrypt$ln=15,r=8,p=3");
const wish = { present, targetMilliseconds: 250, memoryBytes: 64 * 2 ** 20 };

describe("tuning", () => {
  test.each(["scrypt", "argon2id", "pbkdf2-sha256", "pbkdf2-sha512"])(
    "%s: candidates come near the wanted time, within the memory, and the dearest for an attacker is named",
    async (id) => {
      const mine = { ...wish, algorithm: algorithm(id) };
      const told: number[] = [];
      const rows = await tune(mine, machine, (done) => told.push(done));
      expect(told).toEqual(Array.from({ length: tuningSteps(mine) }, (_, index) => index + 1));
      expect(rows.filter((row) => row.present)).toMatchObject([{ scheme: present.text, attackerCost: 1 }]);
      for (const row of rows) {
        expect(row.memoryBytes).toBeLessThanOrEqual(64 * 2 ** 20 * 1.01);
        expect(readScheme(row.scheme, { memoryBytes: 2 ** 30, timesUsual: 100 }).text).toBe(row.scheme);
      }
      const costs = rows.map(({ attackerCost }) => attackerCost);
      expect(costs).toEqual([...costs].sort((left, right) => left - right));
      const allowed = rows.filter(({ median, belowFloor }) => median <= 275 && !belowFloor);
      expect(rows.filter(({ recommended }) => recommended)).toEqual(allowed.slice(-1));
    },
  );

  test("on a machine too slow for the target, the quickest that production accepts is named", async () => {
    const rows = await tune({ ...wish, algorithm: algorithm("scrypt"), targetMilliseconds: 1 }, machine);
    const allowed = rows.filter(({ belowFloor }) => !belowFloor);
    const quickest = Math.min(...allowed.map(({ median }) => median));
    expect(quickest).toBeGreaterThan(1.1);
    expect(rows.filter(({ recommended }) => recommended)).toMatchObject([
      { median: quickest, withinTarget: false, belowFloor: false },
    ]);
  });

  test("with less memory than any floor needs, nothing is recommended", async () => {
    const rows = await tune(
      {
        ...wish,
        algorithm: algorithm("argon2id"),
        memoryBytes: 2 ** 20,
        present: readScheme("$scrypt$ln=10,r=8,p=1"),
      },
      machine,
    );
    expect(rows.some(({ recommended }) => recommended)).toBe(false);
  });
});
