import { spawnSync } from "node:child_process";
import { createHash, randomBytes } from "node:crypto";
import { existsSync, mkdtempSync, readFileSync, statSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import { callCommand } from "../../testing/command.ts";
import { addPasskey, signInBy } from "../../testing/passkey.ts";
import { enrolAuthenticator } from "../../testing/second-factor.ts";
import type { TestService } from "../../testing/service.ts";
import { json, PASSWORD, send } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";
import { Visitor } from "../../testing/visitor.ts";
import { isWhole, sampleOf } from "../../testing/whole.ts";

const home = mkdtempSync(join(tmpdir(), "lucchetto-home-"));
const at = (name: string) => join(home, name);
const openssl = (...args: string[]) => spawnSync("openssl", args, { encoding: "utf8" });
const publicUrl = "http://localhost:{port}";

let service: TestService;
let elsewhere: TestService;
beforeAll(async () => {
  service = await startShipped({ publicUrl });
  elsewhere = await startShipped({ publicUrl, keys: service.keys });
  openssl("genpkey", "-algorithm", "X25519", "-out", at("mine.pem"));
  openssl("pkey", "-in", at("mine.pem"), "-pubout", "-out", at("mine.pub"));
  openssl("genpkey", "-algorithm", "X25519", "-out", at("other.pem"));
});
afterAll(async () => {
  await service.stop();
  await elsewhere.stop();
});

function lucchetto(here: TestService, args: readonly string[]) {
  const env = { LUCCHETTO_CONFIG: here.configFile, LUCCHETTO_DATABASE_PASSWORD: here.database.password };
  return callCommand(home, args, { env });
}
function linesOf(name: string): Array<Record<string, unknown>> {
  return readFileSync(at(name), "utf8")
    .trimEnd()
    .split("\n")
    .map((line) => JSON.parse(line));
}
async function statusOf(here: TestService, identifier: string, password = PASSWORD): Promise<number> {
  const { body, headers } = json({ proof: { type: "password", identifier, password }, deliver: "token" });
  return (await send(here, "POST", "/v1/sign-in", { body, headers })).status;
}

describe("an export", () => {
  test("OP-2 TO-6 HT-15 JO-1 goes round: into an empty database everything is as it was, and everybody gets in as before", async () => {
    const operator = await service.operator();
    const plain = await service.register("plain@brina.example");
    await service.as(operator)(routes.changeAccount, {
      params: { id: plain.id },
      body: { labels: ["keeper", "members"], reference: "bunk-7" },
    });
    await service.as(plain.token)(routes.changeOwnAccount, {
      body: { displayName: '=1+1 "<script>\u{1f3d4}' },
    });
    await service.dataSource.query(
      "UPDATE account SET wantsMailedProof = 1, isAddressCorrected = 1, emailVerifiedAt = NOW(3) WHERE id = ?",
      [plain.id],
    );
    const keyed = await service.register("keyed@brina.example");
    const { passkey } = await addPasskey(service, keyed.token);
    const coded = await service.register("coded@brina.example");
    await enrolAuthenticator(service, coded.token);
    const old = createHash("sha1").update("s1an old hut's password").digest("hex");
    writeFileSync(at("guests.csv"), `login,mail,pw,salt\nolga,olga@old.example,${old},s1\n`);
    writeFileSync(
      at("plan.yaml"),
      "source: {file: guests.csv, format: csv}\ncolumns: {username: login, email: mail}\npasswords:\n  - {kind: recipe, column: pw, recipe: 'hex(sha1(concat(salt, password)))', salt: salt}\n",
    );
    expect((await lucchetto(service, ["import", "run", at("plan.yaml"), "--unproven"])).status).toBe(0);

    const nowhere = await lucchetto(service, ["export", at("none.jsonl"), "--to", at("nowhere.pub")]);
    expect(nowhere).toMatchObject({
      status: 1,
      err: expect.stringMatching(/There is no file .*nowhere\.pub\./),
    });
    expect(existsSync(at("none.jsonl"))).toBe(false);
    const run = await lucchetto(service, ["export", at("all.jsonl"), "--to", at("mine.pub"), "--json"]);
    expect(run).toMatchObject({ status: 0, err: "" });
    expect(JSON.parse(run.out)).toMatchObject({ passkeys: 1, authenticators: 1, leftOut: 0 });
    expect(statSync(at("all.jsonl")).mode & 0o777).toBe(0o600);
    const [{ secret }] = await service.dataSource.query("SELECT sealedSecret AS secret FROM authenticator");
    expect(readFileSync(at("all.jsonl"), "utf8")).not.toContain(secret);
    const noted = await service.dataSource.query(
      "SELECT kind FROM journal_entry WHERE kind LIKE 'intake.%' OR kind LIKE 'accounts.%' ORDER BY id",
    );
    expect(noted.map(({ kind }: { kind: string }) => kind)).toEqual([
      "intake.begun",
      "intake.ended",
      "accounts.exported",
    ]);
    const mails = await service.as(operator)(routes.listMailbox, { query: {} });
    expect(mails.body.items.map(({ subject }) => subject)).toContainEqual(
      expect.stringContaining("All accounts were exported"),
    );

    const wrong = await lucchetto(elsewhere, ["import", "run", at("all.jsonl"), "--key", at("other.pem")]);
    expect(wrong).toMatchObject({ status: 1, err: expect.stringContaining("does not decrypt the secrets") });
    const back = await lucchetto(elsewhere, [
      "import",
      "run",
      at("all.jsonl"),
      "--key",
      at("mine.pem"),
      "--json",
    ]);
    const accounts = linesOf("all.jsonl").length - 2;
    expect(JSON.parse(back.out)).toMatchObject({
      report: { taken: accounts, refused: 0, state: "done" },
      operators: [expect.stringContaining("@")],
      leftOut: 0,
      otherRelyingParty: null,
    });
    await lucchetto(elsewhere, ["export", at("again.jsonl"), "--to", at("mine.pub")]);
    // All but the labels of operators, which no import gives, and what the sealing draws at random.
    const comparable = (name: string) =>
      linesOf(name).map(({ madeAt: _at, ...line }) =>
        JSON.stringify(line)
          .replace('"operator"', "")
          .replace(/"sealKey":\{[^}]*\}/, "")
          .replaceAll(/"(?:secret|seal)":"[^"]+"/g, ""),
      );
    expect(comparable("again.jsonl")).toEqual(comparable("all.jsonl"));

    const [protection] = await elsewhere.dataSource.query(
      "SELECT isOpenlyRegistered, wantsMailedProof, isAddressCorrected FROM account WHERE id = ?",
      [plain.id],
    );
    expect(protection).toEqual({ isOpenlyRegistered: 1, wantsMailedProof: 1, isAddressCorrected: 1 });
    expect(await statusOf(elsewhere, "plain@brina.example")).toBe(202);
    expect(await statusOf(elsewhere, "coded@brina.example")).toBe(202);
    expect(await statusOf(elsewhere, "olga", old)).toBe(401);
    expect(await statusOf(elsewhere, "olga", "an old hut's password")).toBe(201);
    expect((await signInBy(elsewhere, new Visitor(elsewhere), passkey)).status).toBe(201);

    const again = await lucchetto(elsewhere, ["import", "run", at("again.jsonl"), "--json"]);
    expect(JSON.parse(again.out).report).toMatchObject({ taken: 0, refused: accounts });

    // Whoever was erased since an export stays erased, however old the export is that is taken in (A18).
    const gives = `UPDATE account SET labels = '["operator"]' WHERE emailKey = 'office@brina.example'`;
    await elsewhere.dataSource.query(gives);
    const office = elsewhere.as(await elsewhere.operator());
    const [{ id }] = await elsewhere.dataSource.query(
      "SELECT id FROM account WHERE NOT JSON_CONTAINS(labels, '\"operator\"') AND state = 'active' LIMIT 1",
    );
    await office(routes.eraseAccount, { params: { id } });
    writeFileSync(at("older.jsonl"), readFileSync(at("again.jsonl")));
    const older = await lucchetto(elsewhere, ["import", "run", at("older.jsonl"), "--json"]);
    expect(JSON.parse(older.out).report).toMatchObject({ taken: 0 });
    const refused = await elsewhere.dataSource.query(
      "SELECT 1 FROM intake_refusal WHERE reason LIKE '%stays erased%'",
    );
    expect(refused).toHaveLength(1);
    expect(await elsewhere.dataSource.query("SELECT 1 FROM account WHERE id = ?", [id])).toEqual([]);
  });

  test("S13 that was changed, cut or put together anew is told so with its line, and nothing of it is taken", async () => {
    const whole = readFileSync(at("all.jsonl"), "utf8");
    const lines = whole.trimEnd().split("\n");
    const [head = "", first = "", second = ""] = lines;
    const take = async (text: string, ...more: string[]) => {
      const name = at(`cut-${randomBytes(3).toString("hex")}.jsonl`);
      writeFileSync(name, text);
      return lucchetto(service, ["import", "run", name, "--json", ...more]);
    };
    const accounts = () => service.dataSource.query("SELECT COUNT(*) AS count FROM account");
    const before = await accounts();
    // A proof of an address that nobody gave, another hash, an account more or less, two in another order, and the end cut off.
    const proved = first.replace(
      /"emailVerifiedAt":(?:null|"[^"]+")/,
      '"emailVerifiedAt":"2026-01-01T00:00:00.000Z"',
    );
    const changed: Array<[string, string]> = [
      ["line 2", [head, proved, ...lines.slice(2)].join("\n")],
      [
        "line 1",
        [
          head.replace('"recipes":[', '"recipes":[{"id":"r0123456789","text":"md5(password)"},'),
          ...lines.slice(1),
        ].join("\n"),
      ],
      ["line 2", [head, second, first, ...lines.slice(3)].join("\n")],
      ["line 3", lines.toSpliced(2, 0, first).join("\n")],
      ["line 3", lines.toSpliced(2, 1).join("\n")],
      [`line ${lines.length}`, whole.slice(0, -40)],
      ["line 2", [head, first.replace(/,"seal":"[^"]+"/, ""), ...lines.slice(2)].join("\n")],
    ];
    const ways = [[], ["--key", at("mine.pem")], ["--unsealed"]];
    for (const [index, [where, text]] of sampleOf(changed, 1).entries())
      expect(await take(text, ...(ways[index % ways.length] ?? []))).toMatchObject({
        status: 1,
        err: expect.stringMatching(new RegExp(`${where}: its seal does not fit`)),
      });
    expect((await take(lines.slice(0, -1).join("\n"))).err).toContain("is incomplete");
    expect(await accounts()).toEqual(before);
    if (!isWhole) return;
    expect((await take(whole.replace('"lucchettoExport":2', '"lucchettoExport":3'))).err).toContain(
      "not an export of this version",
    );
    expect((await take([head, "a".repeat(2 ** 20 + 1), ...lines.slice(2)].join("\n"))).err).toContain(
      "line 2: longer than 1 MiB",
    );
    // The key of another export opens nothing here, and the seals of nobody are no seals.
    const bare = whole
      .replaceAll(/,"seal":"[^"]+"\}$/gm, "}")
      .replace(/"sealKey":\{[^}]*\}/, '"sealKey":null');
    expect((await take(bare)).err).toContain("carries no seal");
    expect(await accounts()).toEqual(before);
  });

  test("S13 whose seal cannot be checked is imported only when that was said, and is named so", async () => {
    const lines = readFileSync(at("all.jsonl"), "utf8").trimEnd().split("\n");
    const bad = lines
      .map((line, index) => (index === 1 ? line.replace('"state":"active"', '"state":"king"') : line))
      .join("\n");
    writeFileSync(at("bad.jsonl"), bad);
    const nowhere = await startShipped();
    try {
      const refused = await lucchetto(nowhere, ["import", "run", at("bad.jsonl")]);
      expect(refused.err).toMatch(
        /cannot be checked here: give its private key with --key, or use the key ring it was made with \(key \S+\)/,
      );
      expect(
        (await lucchetto(nowhere, ["import", "run", at("all.jsonl"), "--key", at("other.pem")])).err,
      ).toContain("does not decrypt the secrets");
      const { out } = await lucchetto(nowhere, ["import", "run", at("bad.jsonl"), "--unsealed", "--json"]);
      expect(JSON.parse(out).report).toMatchObject({
        refused: 1,
        taken: lines.length - 3,
        source: expect.stringContaining("its seal not checked"),
      });
      const [{ count }] = await nowhere.dataSource.query("SELECT COUNT(*) AS count FROM authenticator");
      expect(Number(count)).toBe(0);
    } finally {
      await nowhere.stop();
    }
  });
});
