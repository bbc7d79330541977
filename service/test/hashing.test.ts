/** The gate before hashes, the end of a measurement, and what errors of statements tell. */
import { inspect } from "node:util";
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import { pino } from "pino";
import { QueryFailedError } from "typeorm";
import { eventually } from "../../testing/eventually.ts";
import type { TestService } from "../../testing/service.ts";
import { startService } from "../../testing/service.ts";
import type { Asker } from "../src/base/queue/places.ts";
import { withoutValues } from "../src/base/storage/index.ts";
import { createTuning } from "../src/people/password/tuning.ts";
import { createHashing } from "../src/records/password/hashing.ts";
import { judgeHashing } from "../src/start/tasks/check.ts";

let service: TestService;
beforeAll(async () => {
  service = await startService();
});
afterAll(() => service.stop());

test("a measurement of schemes ends with the service, after the hash under way", async () => {
  const { configuration, clock } = service;
  let begun = 0;
  let endFirst: () => void = () => undefined;
  const first = new Promise<void>((resolve) => (endFirst = resolve));
  const hashing = createHashing(configuration);
  const counted = {
    ...hashing,
    async run<Result>(asker: Asker, work: () => Promise<Result>): Promise<Result> {
      begun += 1;
      await first;
      return hashing.run(asker, work);
    },
  };
  const tuning = createTuning({ hashing: counted, clock }, pino({ level: "silent" }));
  tuning.begin({ algorithm: "pbkdf2-sha512", targetMilliseconds: 50, memoryBytes: 2 ** 30 });
  expect(tuning.show().state).toBe("measuring");
  tuning.close();
  endFirst();
  await eventually(() => tuning.show().state === "idle");
  expect(begun).toBe(1);
});

test("a hash that is too cheap or too slow on this machine is warned of", () => {
  const judged = (milliseconds: number) => {
    const { verdict, detail } = judgeHashing("$scrypt$ln=15,r=8,p=3", milliseconds);
    return [verdict, detail.replace(/^.*? ms on this machine/, "")];
  };
  expect(judged(49.9)).toEqual(["warning", "; that makes guessing cheap"]);
  expect([judged(50), judged(1_000)]).toEqual([
    ["ok", ""],
    ["ok", ""],
  ]);
  expect(judged(1_001)).toEqual(["warning", "; people will notice the wait"]);
});

test("JO-2 a statement that fails tells what failed, and none of the values that it was given", async () => {
  const insert = service.dataSource.query("INSERT INTO account (id, email) VALUES ?", [
    [["not a uuid", "secret.address@brina.example"]],
  ]);
  const error: unknown = await insert.then(
    () => null,
    (thrown: unknown) => thrown,
  );
  expect(error).toBeInstanceOf(QueryFailedError);
  expect(inspect(error, { depth: 9 })).toContain("secret.address");
  const told = inspect(withoutValues(error), { depth: 9 });
  expect(told).not.toContain("secret.address");
  expect(told).toContain("INSERT INTO account");
});
