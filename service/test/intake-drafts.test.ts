/** Uploads of the console, as an operator and as whoever is none. */
import { createHash } from "node:crypto";
import { readdirSync, readFileSync, statSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import type { Client, IntakeDraft } from "@lucchetto/contract";
import { routes } from "@lucchetto/contract";
import { waitsForALock } from "../../testing/database.ts";
import { eventually } from "../../testing/eventually.ts";
import type { TestService } from "../../testing/service.ts";
import { json, send, startService } from "../../testing/service.ts";

const DAY = 24 * 3_600_000;
const sha1 = (text: string) => createHash("sha1").update(text).digest("hex");
const PLAN = `source: {file: /etc/passwd, format: csv}
columns: {username: login, email: mail}
passwords:
  - {kind: recipe, column: pw, salt: salt, recipe: "hex(sha1(concat(salt, password)))"}
`;

let service: TestService;
let token: string;
let operator: Client;
beforeAll(async () => {
  service = await startService();
  token = await service.operator();
  operator = service.as(token);
});
afterAll(() => service.stop());

const rowsOf = (name: string, count: number) =>
  Array.from(
    { length: count },
    (_, n) => `${name}${n},${name}${n}@old.example,${sha1(`s${n}${name} password ${n}`)},s${n}`,
  );
async function begin(lines: readonly string[]): Promise<IntakeDraft> {
  const { body } = await operator(routes.beginIntakeDraft, { body: { name: "guests.csv", format: "csv" } });
  return add(body as IntakeDraft, `login,mail,pw,salt\n${lines.join("\n")}\n`);
}
async function add(draft: IntakeDraft, text: string): Promise<IntakeDraft> {
  const body = { at: draft.bytes, bytes: Buffer.from(text).toString("base64") };
  return (await operator(routes.addIntakePart, { params: { id: draft.id }, body })).body as IntakeDraft;
}
const ended = (id: string) =>
  eventually(async () => {
    const { body } = await operator(routes.showIntakeDraft, { params: { id } });
    return body.state === "checking" || body.state === "running" ? null : body;
  });
const run = (id: string, more: object = {}) =>
  operator(routes.runIntakeDraft, { params: { id }, body: { plan: PLAN, ...more } });
/** Everything that uploads left on disk. */
const filesOnDisk = () =>
  readdirSync(tmpdir())
    .filter((name) => name.startsWith("lucchetto-uploads-"))
    .flatMap((folder) => readdirSync(join(tmpdir(), folder)).map((name) => join(tmpdir(), folder, name)));
async function refusal(call: Promise<unknown>): Promise<{ status: number; code?: string | undefined }> {
  const error = await call.then(
    () => null,
    (thrown: { problem: { status: number; errors?: Array<{ code: string }> } }) => thrown.problem,
  );
  return { status: error?.status ?? 200, code: error?.errors?.[0]?.code };
}

describe("an upload", () => {
  test("is planned, checked and taken in; it lies sealed on disk, and is gone at the end", async () => {
    const draft = await begin(rowsOf("ugo", 40).concat("vito,no address,x,y"));
    const { body: drafted } = await operator(routes.planIntakeDraft, { params: { id: draft.id }, body: {} });
    expect(drafted.plan).toContain("recipe: hex(sha1(concat(salt, password)))");
    expect(drafted.preview.columns).toEqual(["login", "mail", "pw", "salt"]);
    expect(drafted.preview.rows[0]).toEqual(["ugo0", "ugo0@old.example", "•••• (40)", "•••• (2)"]);
    const [file = ""] = filesOnDisk();
    expect(statSync(file).mode & 0o777).toBe(0o600);
    expect(readFileSync(file, "latin1")).not.toMatch(/old\.example|login/);

    const known = [{ who: "ugo7", password: "ugo password 8" }];
    await operator(routes.checkIntakeDraft, { params: { id: draft.id }, body: { plan: PLAN, known } });
    expect(await ended(draft.id)).toMatchObject({
      state: "checked",
      check: { rows: 41, faultCount: 1, known: [{ who: "ugo7", outcome: "wrong" }] },
    });
    // Neither a wrong password nor none at all begins anything.
    await run(draft.id, { known });
    expect(await ended(draft.id)).toMatchObject({
      state: "failed",
      fault: expect.stringContaining("ugo7 does not match"),
    });
    await run(draft.id);
    expect(await ended(draft.id)).toMatchObject({
      state: "failed",
      fault: expect.stringContaining("no known password"),
    });

    await run(draft.id, { known: [{ who: "ugo7", password: "ugo password 7" }] });
    const done = await ended(draft.id);
    expect(done).toMatchObject({ state: "done", fault: null });
    expect(filesOnDisk()).toEqual([]);
    const { body: intakes } = await operator(routes.listIntakes);
    expect(intakes.items[0]).toMatchObject({
      id: done.intakeId,
      source: "guests.csv",
      taken: 40,
      refused: 1,
    });
    const { body, headers } = json({
      proof: { type: "password", identifier: "ugo9", password: "ugo password 9" },
      deliver: "token",
    });
    expect((await send(service, "POST", "/v1/sign-in", { body, headers })).status).toBe(201);
    const { body: journal } = await operator(routes.listJournal, { query: { kind: "intake.begun" } });
    expect(journal.items[0]?.actorId).not.toBeNull();
  });

  test("that names another database, or no plan at all, is refused; whatever file it names, it is the upload", async () => {
    const draft = await begin(rowsOf("vera", 1));
    const params = { id: draft.id };
    for (const plan of [
      "source: {database: 'mariadb://root@127.0.0.1:3306/x', table: t, key: id}\ncolumns: {email: mail}",
      "source: [",
      "columns: {}",
      PLAN.replace("hex(sha1(concat(salt, password)))", "password"),
    ])
      expect([plan, await refusal(operator(routes.checkIntakeDraft, { params, body: { plan } }))]).toEqual([
        plan,
        { status: 400, code: "plan-unsound" },
      ]);
    await operator(routes.checkIntakeDraft, { params, body: { plan: PLAN } });
    expect(await ended(draft.id)).toMatchObject({
      state: "checked",
      check: { source: "guests.csv", rows: 1 },
    });
    await operator(routes.dropIntakeDraft, { params });
    expect((await refusal(operator(routes.showIntakeDraft, { params }))).status).toBe(404);
  });

  test("comes part by part, goes on where it stood, and never out of order", async () => {
    const draft = await begin([]);
    const params = { id: draft.id };
    const part = (at: number, bytes: string) =>
      operator(routes.addIntakePart, { params, body: { at, bytes } });
    expect(await refusal(part(0, "AAAA"))).toEqual({ status: 400, code: "part-elsewhere" });
    expect(await refusal(part(draft.bytes + 1, "AAAA"))).toEqual({ status: 400, code: "part-elsewhere" });
    expect((await refusal(part(draft.bytes, "not base64!"))).status).toBe(400);
    // A browser that asks again while the first answer is under way.
    const twice = await Promise.all([1, 2].map(() => refusal(part(draft.bytes, "bG9naW4K"))));
    expect(twice.map(({ status }) => status).toSorted()).toEqual([200, 400]);
    const { body: now } = await operator(routes.showIntakeDraft, { params });
    const more = await add(now as IntakeDraft, `${rowsOf("wilma", 3).join("\n")}\n`);
    await operator(routes.checkIntakeDraft, { params, body: { plan: PLAN } });
    expect(await ended(draft.id)).toMatchObject({ bytes: more.bytes, check: { rows: 4, wouldBeTaken: 3 } });
    await operator(routes.dropIntakeDraft, { params });
  });

  test("is no one's but operators'; there are few at a time, and none is older than a day", async () => {
    const { token: somebody } = await service.register("somebody@brina.example");
    const stranger = service.as(somebody);
    expect(
      (await refusal(stranger(routes.beginIntakeDraft, { body: { name: "x", format: "csv" } }))).status,
    ).toBe(403);
    const drafts = [await begin([]), await begin([]), await begin([])];
    const params = { id: drafts[0]?.id ?? "" };
    expect((await refusal(stranger(routes.showIntakeDraft, { params }))).status).toBe(403);
    expect(
      (await refusal(operator(routes.beginIntakeDraft, { body: { name: "x", format: "csv" } }))).status,
    ).toBe(503);
    await service.clock.advance(DAY + 1);
    operator = service.as(await service.signIn("office@brina.example"));
    const next = await begin([]);
    expect((await refusal(operator(routes.showIntakeDraft, { params }))).status).toBe(404);
    expect(filesOnDisk()).toHaveLength(1);
    await operator(routes.dropIntakeDraft, { params: { id: next.id } });
  });

  test("RC-12 stops after the rows under way when whoever began it loses the label, and goes on for another", async () => {
    const email = "putout@brina.example";
    const { id: operatorId } = await service.register(email);
    await operator(routes.changeAccount, { params: { id: operatorId }, body: { labels: ["operator"] } });
    const theirs = service.as(await service.signIn(email));
    await service.register("zora0@old.example");
    const draft = await begin(rowsOf("zora", 60));
    const body = { plan: PLAN, known: [{ who: "zora1", password: "zora password 1" }] };
    // The first rows wait for the account that has the first one's address; taking the label waits for them.
    const holding = service.dataSource.createQueryRunner();
    await holding.startTransaction();
    await holding.query("SELECT id FROM account WHERE emailKey = ? FOR UPDATE", ["zora0@old.example"]);
    await theirs(routes.runIntakeDraft, { params: { id: draft.id }, body });
    await eventually(() => waitsForALock(service.database), "rows that wait");
    const taking = operator(routes.changeAccount, { params: { id: operatorId }, body: { labels: [] } });
    await holding.commitTransaction();
    await holding.release();
    await taking;
    const taken = async (): Promise<number> => {
      const [row] = await service.dataSource.query("SELECT taken FROM intake ORDER BY id DESC LIMIT 1");
      return row.taken;
    };
    const atReply = await taken();
    expect(await ended(draft.id)).toMatchObject({
      state: "failed",
      fault: expect.stringContaining("no longer an operator"),
    });
    expect(await taken()).toBe(atReply);
    expect(atReply).toBeLessThan(59);
    await operator(routes.runIntakeDraft, { params: { id: draft.id }, body });
    expect(await ended(draft.id)).toMatchObject({ state: "done", fault: null });
    expect(await taken()).toBe(59);
  });
});
