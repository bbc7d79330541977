import { mkdtempSync, readFileSync, statSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import type { CommandLine } from "../../testing/command.ts";
import { commandLine } from "../../testing/command.ts";
import type { TestService } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";

let service: TestService;
let home: string;
let lucchetto: CommandLine;
beforeAll(async () => {
  service = await startShipped();
  await service.operator();
  home = mkdtempSync(join(tmpdir(), "lucchetto-home-"));
  lucchetto = commandLine(home, service);
});
afterAll(() => service.stop());

describe("the key ring", () => {
  const withPassword = () => ({ env: { LUCCHETTO_DATABASE_PASSWORD: service.database.password } });

  test("PW-21 keys add, promote and retire change the ring's file, and never show a key", async () => {
    const file = join(home, "with-keys.yaml");
    const configuration = JSON.parse(readFileSync(service.configFile, "utf8"));
    writeFileSync(file, JSON.stringify({ ...configuration, keys: { file: "ring.yaml" } }));
    const keys = (...args: string[]) =>
      lucchetto(["keys", ...args, "--config", file, "--json"], withPassword());
    expect(JSON.parse((await keys("list")).out)).toMatchObject({ current: null, ids: [] });
    expect(JSON.parse((await keys("add")).out)).toMatchObject({ current: "k1", ids: ["k1"] });
    expect(JSON.parse((await keys("add")).out)).toMatchObject({ current: "k1", ids: ["k1", "k2"] });
    expect(await keys("retire", "k1")).toMatchObject({
      status: 1,
      err: expect.stringContaining("promote another first"),
    });
    expect(JSON.parse((await keys("promote", "k2")).out)).toMatchObject({ current: "k2" });
    await service.dataSource.query("UPDATE password_record SET scheme = CONCAT(scheme, ',pepper=k1')");
    expect(await keys("retire", "k1")).toMatchObject({
      status: 1,
      err: expect.stringMatching(/\d+ password records? (is|are) peppered under it/),
    });
    await service.dataSource.query("UPDATE password_record SET scheme = REPLACE(scheme, ',pepper=k1', '')");
    // The tests' service seals its mails under a key of the same name.
    expect(await keys("retire", "k1")).toMatchObject({
      status: 1,
      err: expect.stringMatching(/\d+ mails? (is|are) sealed under it/),
    });
    // Without a terminal nobody can be asked: what is lost is said, and nothing is removed.
    const asked = await keys("retire", "k1", "--give-up");
    expect(asked).toMatchObject({
      status: 2,
      err: expect.stringContaining("never sent; their people ask again"),
    });
    const { ids, needs } = JSON.parse((await keys("list")).out);
    expect([ids, needs.k1.records]).toEqual([["k1", "k2"], 0]);
    expect(needs.k1.sealed).toBeGreaterThan(0);
    const givenUp = await keys("retire", "k1", "--give-up", "--yes");
    expect(JSON.parse(givenUp.out)).toMatchObject({ ids: ["k2"] });
    expect(JSON.parse((await keys("add")).out)).toMatchObject({ ids: ["k2", "k3"] });
    await service.dataSource.query(
      "UPDATE mail SET sealedBody = CONCAT('k3', SUBSTRING(sealedBody, 3)) WHERE sealedBody IS NOT NULL",
    );
    expect(await keys("retire", "k3")).toMatchObject({ status: 1 });
    await service.dataSource.query("DELETE FROM mail");
    const last = await keys("retire", "k3");
    expect(JSON.parse(last.out)).toMatchObject({ ids: ["k2"] });
    expect(await keys("promote", "k9")).toMatchObject({
      status: 1,
      err: expect.stringContaining("no key k9"),
    });
    const ring = readFileSync(join(home, "ring.yaml"), "utf8");
    expect(statSync(join(home, "ring.yaml")).mode & 0o777).toBe(0o600);
    expect(last.out).not.toContain(/k2: (\S+)/.exec(ring)?.[1] ?? "nothing");
  });
});
