import { spawn } from "node:child_process";
import { appendFileSync } from "node:fs";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import { listSealed } from "../../service/src/edges/intake/wrap.ts";
import { storeRemade } from "../../service/src/people/password/password.ts";
import { BY_COMMAND } from "../../service/src/records/context.ts";
import { findRecord } from "../../service/src/records/password/store.ts";
import { COMMAND } from "../../testing/command.ts";
import { eventually } from "../../testing/eventually.ts";
import { digest, importingInto, planOf, SALTED } from "../../testing/import.ts";
import type { TestService } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";
import { inWhole } from "../../testing/whole.ts";

let service: TestService;
beforeAll(async () => {
  service = await startShipped();
});
afterAll(() => service.stop());
const importing = importingInto(() => service);
const { file, importRun, statusOf, signIn, recordOf, dump } = importing;

describe("a large table", () => {
  const many = (name: string, count: number) => {
    const path = file(`${name}.csv`, "login,mail,pw,salt\n");
    const lines = Array.from(
      { length: count },
      (_, n) => `${name}${n},${name}${n}@old.example,${digest("sha1", `s${n}${name} password ${n}`)},s${n}`,
    );
    appendFileSync(path, `${lines.join("\n")}\n`);
    return file(`${name}.yaml`, planOf(`${name}.csv`, SALTED));
  };
  const taken = async (name: string): Promise<number> => {
    const [{ count }] = await service.dataSource.query(
      "SELECT COUNT(*) AS count FROM account WHERE username LIKE ?",
      [`${name}%`],
    );
    return Number(count);
  };

  test("killed in the middle goes on where it stood: nobody twice, nobody left out", async () => {
    const plan = many("killed", 1_500);
    const args = ["import", "run", plan, "--unproven", "--wrap", "now", "--json"];
    const child = spawn(process.execPath, [COMMAND, ...args], {
      env: { PATH: process.env["PATH"], ...importing.env() },
      stdio: "ignore",
      detached: true,
    });
    const ended = new Promise((resolve) => child.once("exit", resolve));
    await eventually(async () => (await taken("killed")) > 0);
    process.kill(-(child.pid ?? 0), "SIGKILL");
    await ended;
    const before = await taken("killed");
    const { report, resumedAt } = await importRun(plan, ["--unproven", "--wrap", "now"]);
    expect(report).toMatchObject({ rows: 1_500, taken: 1_500, refused: 0, state: "done" });
    expect(resumedAt).toBe(before);
    expect(await taken("killed")).toBe(1_500);
    expect(await signIn("killed1499", "killed password 1499")).toBe(201);
  });

  test("with plain text, begun with hashes and gone on with sealed, has the recipe that it needs by then", async () => {
    file("change.csv", "login,mail,pw\nchange0,change0@old.example,plain as the day is long\n");
    const plan = file("change.yaml", planOf("change.csv", "  - {kind: plain, column: pw}\n"));
    const { report } = await importRun(plan, ["--wrap", "now"]);
    // As if it had been killed before its first row.
    await service.dataSource.query("DELETE FROM account WHERE usernameKey = 'change0'");
    await service.dataSource.query(
      "UPDATE intake SET state = 'running', position = 0, taken = 0 WHERE id = ?",
      [report.id],
    );
    const again = await importRun(plan, ["--wrap", "later"]);
    expect(again.report).toMatchObject({ id: report.id, taken: 1 });
    expect(await dump()).not.toContain("plain as the day is long");
    expect(await signIn("change0", "plain as the day is long")).toBe(201);
  });

  inWhole(
    "wrapped later: usable at once, useless in a dump, and wrapped beside the service, latest seen first",
    async () => {
      const plan = many("later", 30);
      const { dataSource, configuration } = service;
      const sealingKeys = configuration.keyRing;
      if (sealingKeys === null) throw new Error("there is a key ring");
      // Another instance holds it, so that nothing is wrapped meanwhile.
      await dataSource.query(
        "CREATE TRIGGER held BEFORE INSERT ON intake FOR EACH ROW SET NEW.claim = UUID(), NEW.claimedUntil = '2100-01-01'",
      );
      const { report, wrapsLater } = await importRun(
        plan,
        ["--known", "later7", "--password-stdin", "--wrap", "later"],
        "later password 7\n",
      );
      expect(wrapsLater).toBe(true);
      expect(report).toMatchObject({ taken: 30 });
      expect(await dump()).not.toContain(digest("sha1", "s3later password 3"));
      expect(await signIn("later3", "later password 4")).toBe(401);
      expect(await signIn("later3", "later password 3")).toBe(201);
      const ofAccount = "WHERE usernameKey = ?";
      await dataSource.query(`UPDATE account SET lastSignInAt = '2026-01-01' ${ofAccount}`, ["later20"]);
      await dataSource.query(`UPDATE account SET lastSignInAt = '2026-02-01' ${ofAccount}`, ["later25"]);
      const sealed = await listSealed({ dataSource, sealingKeys }, report.id);
      const names = await dataSource.query<Array<{ id: string; username: string }>>(
        "SELECT id, username FROM account",
      );
      const nameOf = (id: string | undefined) => names.find((one) => one.id === id)?.username;
      expect(sealed).toHaveLength(29);
      expect(sealed.slice(0, 2).map(({ accountId }) => nameOf(accountId))).toEqual(["later25", "later20"]);
      // Under a key that is not here nothing can be wrapped, and nothing is tried.
      const otherKeys = { current: "k9", keys: new Map([["k9", new Uint8Array(32)]]) };
      expect(await listSealed({ dataSource, sealingKeys: otherKeys }, report.id)).toEqual([]);
      const id = names.find(({ username }) => username === "later6")?.id ?? "";
      const row = await findRecord(dataSource, id);
      await dataSource.query("DROP TRIGGER held");
      await dataSource.query("UPDATE intake SET claim = NULL, claimedUntil = NULL");
      await eventually(async () => (await statusOf(report.id)).sealed === 0);
      expect(await statusOf(report.id)).toMatchObject({ notYetSignedIn: 29, firstSignIns: 1 });
      expect(await recordOf("later4")).toMatch(/^\$scrypt\$ln=8,r=8,p=1,recipe=/);
      const { body: fleet } = await service.as(await service.operator())(routes.showHashFleet);
      const wrapped = { algorithm: "scrypt", records: 29, recipe: "hex(sha1(concat(salt, password)))" };
      expect(fleet.schemes).toContainEqual(expect.objectContaining(wrapped));
      // Who signed in while the digest was being wrapped: the record of their password stands, and they are counted.
      if (row === null) throw new Error("later6 has a record");
      const remade = { row, remade: "$scrypt$ln=8,r=8,p=1$later$six", visit: BY_COMMAND, now: new Date() };
      await storeRemade({ configuration }, dataSource.manager, remade);
      expect(await recordOf("later6")).toBe(remade.remade);
      expect(await statusOf(report.id)).toMatchObject({ notYetSignedIn: 28, firstSignIns: 2 });
      // Not in the place of anything newer.
      await storeRemade({ configuration }, dataSource.manager, {
        ...remade,
        remade: "$scrypt$ln=8,r=8,p=1$older$six",
      });
      expect(await recordOf("later6")).toBe(remade.remade);
      expect(await signIn("later4", "later password 4")).toBe(201);
      expect(await signIn("later5", digest("sha1", "s5later password 5"))).toBe(401);
    },
  );
});
