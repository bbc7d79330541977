import { afterAll, beforeAll, beforeEach, describe, expect, test } from "@jest/globals";
import type { App } from "@lucchetto/contract";
import { routes } from "@lucchetto/contract";
import { eventually } from "../../testing/eventually.ts";
import type { TestService } from "../../testing/service.ts";
import { PASSWORD, send, startService } from "../../testing/service.ts";
import { mailTo, registerProved } from "../../testing/visitor.ts";

let service: TestService;
let app: { app: App; key: string };
let count = 0;
let anna: { id: string; token: string; email: string };

beforeAll(async () => {
  service = await startService();
  const operator = service.as(await service.operator());
  const redirectUris = ["http://localhost:1/in"];
  app = (await operator(routes.addApp, { body: { name: "Hut book", redirectUris } })).body;
});
afterAll(() => service.stop());
beforeEach(async () => {
  count += 1;
  const email = `anna.${count}@brina.example`;
  anna = { ...(await service.register(email)), email };
});

const basic = (name: string, password: string) =>
  `Basic ${Buffer.from(`${name}:${password}`).toString("base64")}`;

/** What the app learns by a token. */
async function introspect(token: string, extra: Record<string, string> = {}) {
  const reply = await send(service, "POST", "/oauth/introspect", {
    headers: { authorization: basic(app.app.clientId, app.key) },
    body: new URLSearchParams({ token, ...extra }),
  });
  expect(reply.status).toBe(200);
  return reply.json<Record<string, unknown>>();
}

async function makeKey(body: { name: string; expiresAt?: string; labels?: string[] } = { name: "backup" }) {
  return (await service.as(anna.token)(routes.makeAccessKey, { body })).body;
}

const label = async (labels: string[], state?: "suspended" | "active") =>
  service.as(await service.operator())(routes.changeAccount, {
    params: { id: anna.id },
    body: { labels, ...(state === undefined ? {} : { state }) },
  });

/** Failures counted against a network. */
async function failuresFrom(network: string): Promise<number> {
  const [row] = await service.dataSource.query(
    "SELECT failures FROM throttle_count WHERE kind = 'network' AND subject = ?",
    [network],
  );
  return Number(row?.failures ?? 0);
}

describe("access keys", () => {
  test("made once and shown once; the database has its hash; an app learns whose it is, and nothing of a session", async () => {
    await label(["keeper", "operator"]);
    const { accessKey, key } = await makeKey();
    expect(key).toMatch(/^lca_[\w-]{43}$/);
    expect(accessKey).toMatchObject({ name: "backup", labels: null, expiresAt: null, lastUsedAt: null });
    const answer = await introspect(key);
    expect(answer).toMatchObject({
      active: true,
      sub: anna.id,
      labels: ["keeper"],
      key_id: accessKey.id,
      amr: ["key"],
      acr: "aal1",
    });
    expect(answer).not.toHaveProperty("sid");
    expect(answer).not.toHaveProperty("exp");

    // The use is written after the answer.
    const body = await eventually(async () => {
      const listed = (await service.as(anna.token)(routes.listAccessKeys)).body;
      return listed.items[0]?.lastUsedAt === null ? null : listed;
    });
    expect(body.items).toMatchObject([{ id: accessKey.id, lastUsedAt: expect.any(String) }]);
    const [row] = await service.dataSource.query("SELECT * FROM access_key WHERE id = ?", [accessKey.id]);
    expect(JSON.stringify(row)).not.toContain(key.slice(4));
    expect(JSON.stringify(body) + service.log()).not.toContain(key.slice(4));
    expect(await mailTo(service, anna.email, "access-key-made")).toMatchObject({
      subject: "A new access key for your account at Brina Huts",
    });
    const { body: data } = await service.as(anna.token)(routes.exportOwnData);
    expect(data.accessKeys).toMatchObject([{ name: "backup" }]);
  });

  test("labels: at most its own, never operator, and what the account has lost is gone at once", async () => {
    await label(["keeper", "warden", "operator"]);
    const { key } = await makeKey({ name: "one label", labels: ["keeper"] });
    expect((await introspect(key))["labels"]).toEqual(["keeper"]);
    await label(["warden"]);
    expect((await introspect(key))["labels"]).toEqual([]);
    for (const labels of [["operator"], ["keeper"]]) {
      await expect(makeKey({ name: "too much", labels })).rejects.toMatchObject({
        problem: { status: 400, errors: [{ path: "labels.0" }] },
      });
    }
  });

  test("LI-12 SE-8 it ends when it says, when deleted, with a reset, and for good with a suspension", async () => {
    const expiresAt = new Date(service.clock.now().getTime() + 60_000).toISOString();
    const { key: short } = await makeKey({ name: "a minute", expiresAt });
    expect((await introspect(short))["exp"]).toBe(Math.floor(new Date(expiresAt).getTime() / 1_000));
    await service.clock.advance(60_000);
    expect(await introspect(short)).toEqual({ active: false });

    const deleted = await makeKey({ name: "deleted" });
    const stranger = service.as((await service.register(`stranger.${count}@brina.example`)).token);
    const params = { id: deleted.accessKey.id };
    await expect(stranger(routes.deleteAccessKey, { params })).rejects.toMatchObject({
      problem: { code: "not-found" },
    });
    expect(await introspect(deleted.key)).toMatchObject({ active: true });
    await service.as(anna.token)(routes.deleteAccessKey, { params });
    expect(await introspect(deleted.key)).toEqual({ active: false });

    const { key } = await makeKey({ name: "suspended" });
    await label([], "suspended");
    expect(await introspect(key)).toEqual({ active: false });
    await label([], "active");
    expect(await introspect(key)).toEqual({ active: false });

    anna.token = await service.signIn(anna.email);
    const { key: reset } = await makeKey({ name: "reset" });
    await service.client(routes.askForLink, { body: { purpose: "reset", identifier: anna.email } });
    const { links } = await mailTo(service, anna.email, "reset");
    const secret = new URL(links[0] ?? "").hash.slice(1);
    await service.client(routes.redeemLink, { body: { secret, password: "another good password" } });
    expect(await introspect(reset)).toEqual({ active: false });
  });

  test("SE-16 making one needs a proof of the last ten minutes; a past end and more than fifty are refused", async () => {
    await expect(makeKey({ name: "past", expiresAt: "2020-01-01T00:00:00.000Z" })).rejects.toMatchObject({
      problem: { errors: [{ path: "expiresAt" }] },
    });
    for (let made = 0; made < 50; made += 1) await makeKey({ name: `number ${made}` });
    await expect(makeKey({ name: "one too many" })).rejects.toMatchObject({
      problem: { errors: [{ path: "name", message: expect.stringContaining("50") }] },
    });
    const { body } = await service.as(anna.token)(routes.listAccessKeys);
    await service.as(anna.token)(routes.deleteAccessKey, { params: { id: body.items[0]?.id ?? "" } });
    await service.clock.advance(10 * 60_000);
    await expect(makeKey({ name: "late" })).rejects.toMatchObject({ problem: { code: "reauthenticate" } });
    const proof = { type: "password", password: PASSWORD } as const;
    const again = await service.as(anna.token)(routes.reauthenticate, { body: { proof } });
    anna.token = again.body.token as string;
    await makeKey({ name: "proved" });
  });

  test("it acts nowhere: no route of the contract takes it, with or without the operator's label", async () => {
    await label(["operator"]);
    const { key } = await makeKey();
    for (const path of [
      "/v1/session",
      "/v1/account",
      "/v1/account/access-keys",
      "/v1/operator/accounts",
      "/v1/sessions",
    ]) {
      const reply = await send(service, "GET", path, { headers: { authorization: `Bearer ${key}` } });
      expect(reply.status).toBe(401);
    }
  });

  test("a wrong one tells nothing, and stands in the journal with its reason and app", async () => {
    const { key } = await makeKey();
    const wrong = `${key.slice(0, -2)}${key.endsWith("AA") ? "BB" : "AA"}`;
    expect(await introspect(wrong)).toEqual({ active: false });
    expect(await introspect("lca_")).toEqual({ active: false });
    expect(await introspect(key, { username: "somebody@brina.example" })).toEqual({ active: false });
    for (const username of [anna.email, anna.email.toUpperCase(), anna.id, ""])
      expect(await introspect(key, { username })).toMatchObject({ active: true });
    const operator = service.as(await service.operator());
    const { body } = await operator(routes.listJournal, { query: { kind: "access-key.refused", limit: 2 } });
    expect(body.items).toMatchObject([
      { reason: "other-name", accountId: anna.id, appId: app.app.id },
      { reason: "unknown", accountId: null, appId: app.app.id },
    ]);
  });

  test("S9 whoever tries keys by the hundred fills no journal, and hides no refusal of a real one", async () => {
    const refused = (where: string) =>
      service.dataSource.query<Array<{ reason: string }>>(
        `SELECT reason FROM journal_entry WHERE kind = 'access-key.refused' AND ${where} ORDER BY id`,
      );
    const bruno = await registerProved(service, "bruno.key@brina.example");
    const own = service.as(bruno.token);
    const { body: made } = await own(routes.makeAccessKey, { body: { name: "Backup" } });
    const wrong = `${made.key.slice(0, -2)}${made.key.endsWith("AA") ? "BB" : "AA"}`;
    await service.clock.advance(16 * 60_000);
    const before = (await refused("accountId IS NULL")).length;
    await Promise.all(Array.from({ length: 130 }, () => introspect(wrong)));
    expect(await refused("accountId IS NULL")).toHaveLength(before + 1);
    const theirs = `accountId = '${bruno.id}'`;
    for (let times = 0; times < 3; times += 1)
      await introspect(made.key, { username: "somebody@brina.example" });
    expect(await refused(theirs)).toEqual([{ reason: "other-name" }]);
    // With the next window it says how many there were.
    await service.clock.advance(16 * 60_000);
    await introspect(wrong);
    await introspect(made.key, { username: "somebody@brina.example" });
    expect((await refused("accountId IS NULL")).at(-1)?.reason).toBe("unknown, 129 more before");
    expect((await refused(theirs)).at(-1)?.reason).toBe("other-name, 2 more before");
  });
});

describe("a person's own password as HTTP Basic", () => {
  const check = (asking: { app: App; key: string }, body: object) =>
    send(service, "POST", "/v1/basic-check", {
      headers: {
        authorization: basic(asking.app.clientId, asking.key),
        "content-type": "application/json",
      },
      body: JSON.stringify({ address: "192.0.2.7", ...body }),
    });

  test("only for an app registered for it; counted like a sign-in; whoever would be asked for more is refused", async () => {
    const shown = { identifier: anna.email, password: PASSWORD };
    expect((await check(app, shown)).json()).toMatchObject({ status: 403, code: "own-password-not-taken" });
    const operator = service.as(await service.operator());
    const { body: taking } = await operator(routes.addApp, {
      body: { name: "Old scripts", redirectUris: ["http://localhost:1/old"], basicPasswords: true },
    });
    const right = await check(taking, shown);
    expect(right.json()).toEqual({ account: expect.objectContaining({ id: anna.id, email: anna.email }) });
    // No session came of it.
    const [{ sessions }] = await service.dataSource.query(
      "SELECT COUNT(*) AS sessions FROM session WHERE accountId = ?",
      [anna.id],
    );
    expect(Number(sessions)).toBe(1);

    for (let tries = 0; tries < 5; tries += 1) {
      const wrong = await check(taking, { ...shown, password: "not the password" });
      expect(wrong.json()).toMatchObject({ status: 401, code: "sign-in-refused" });
    }
    const held = await check(taking, shown);
    expect(held.status).toBe(429);
    expect(held.headers.get("retry-after")).toMatch(/^\d+$/);
    expect(await failuresFrom("192.0.2.7")).toBe(5);
    await operator(routes.changeAccount, { params: { id: anna.id }, body: { mustChangePassword: true } });
    await service.clock.advance(60 * 60_000);
    expect((await check(taking, shown)).json()).toMatchObject({ code: "sign-in-refused" });
    const { body } = await service.as(await service.operator())(routes.listJournal, {
      query: { accountId: anna.id, kind: "sign-in.refused", limit: 1 },
    });
    expect(body.items).toMatchObject([{ reason: "operator-needed", network: "192.0.2.7" }]);
  });
});

describe("what each app asked", () => {
  test("is counted by kind, for operators", async () => {
    const { key } = await makeKey();
    await introspect(key);
    await introspect("lck_nothing");
    const operator = service.as(await service.operator());
    const seen = await eventually(async () => {
      const { body } = await operator(routes.listApps, { query: {} });
      const asked = body.items.find(({ id }) => id === app.app.id)?.asked ?? [];
      return asked.find(({ kind, today }) => kind === "introspect" && today >= 2);
    });
    expect(seen.thirtyDays).toBeGreaterThanOrEqual(seen.today);
  });
});

describe("OA-11 an app with forms of its own", () => {
  let registered = 0;
  const forms = async (ownForms: boolean) => {
    registered += 1;
    const operator = service.as(await service.operator());
    const { body } = await operator(routes.addApp, {
      body: { name: `Desk ${registered}`, redirectUris: ["http://localhost:1/desk"], ownForms },
    });
    return body;
  };
  const visitor = (key: string, more: Record<string, string> = {}) => ({
    "lucchetto-app-key": key,
    "lucchetto-visitor-address": "198.51.100.9",
    "lucchetto-visitor-agent": "Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0",
    ...more,
  });
  const call = async (method: string, path: string, headers: Record<string, string>, body?: unknown) =>
    send(service, method, path, {
      headers: { ...headers, ...(body === undefined ? {} : { "content-type": "application/json" }) },
      body: body === undefined ? null : JSON.stringify(body),
    });
  const signIn = (headers: Record<string, string>, password = PASSWORD) =>
    call("POST", "/v1/sign-in", headers, { proof: { type: "password", identifier: anna.email, password } });

  test("its sessions act beside its key alone, tell where the visitor is, and never operate", async () => {
    await label(["operator"]);
    const { app: desk, key } = await forms(true);
    const begun = await signIn(visitor(key));
    expect(begun.status).toBe(201);
    expect(begun.headers.getSetCookie()).toEqual([]);
    const { token, session } = begun.json<{
      token: string;
      session: { userAgent: string; network: string };
    }>();
    expect(session).toMatchObject({ network: "198.51.100.9", userAgent: expect.stringContaining("Firefox") });

    const bearer = { authorization: `Bearer ${token}` };
    expect((await call("GET", "/v1/session", bearer)).status).toBe(401);
    expect((await call("GET", "/v1/session", { ...bearer, ...visitor(key) })).status).toBe(200);
    const other = await forms(true);
    expect((await call("GET", "/v1/session", { ...bearer, ...visitor(other.key) })).status).toBe(401);
    expect((await call("GET", "/v1/session", { ...bearer, ...visitor("lcp_wrong") })).json()).toMatchObject({
      code: "app-unknown",
    });
    expect((await call("GET", "/v1/operator/accounts", { ...bearer, ...visitor(key) })).json()).toMatchObject(
      {
        code: "operators-only",
      },
    );
    const without = { ...bearer, "lucchetto-app-key": key };
    expect((await call("GET", "/v1/session", without)).json()).toMatchObject({ code: "malformed-request" });
    const password = { present: PASSWORD, password: "a new good password" };
    expect(
      (await call("POST", "/v1/account/password", { ...bearer, ...visitor(key) }, password)).status,
    ).toBe(200);
    const operator = service.as(await service.operator());
    await operator(routes.removeApp, { params: { id: desk.id } });
    expect((await call("GET", "/v1/session", { ...bearer, ...visitor(key) })).status).toBe(401);
  });

  test("the visitor's address and device mark count in the throttle; without the right they are ignored", async () => {
    const { key } = await forms(true);
    const first = await signIn(visitor(key));
    const mark = first.headers.get("lucchetto-visitor-device") ?? "";
    expect(mark).toMatch(/^lcd_/);
    const address = `203.0.113.${count}`;
    for (let tries = 0; tries < 5; tries += 1)
      await signIn(visitor(key, { "lucchetto-visitor-address": address }), "not the password");
    // Strange devices wait; the one that is known does not.
    expect((await signIn(visitor(key, { "lucchetto-visitor-address": address }))).status).toBe(429);
    expect((await signIn(visitor(key, { "lucchetto-visitor-device": mark }))).status).toBe(201);
    expect(await failuresFrom(address)).toBe(5);

    const { key: plain } = await forms(false);
    const hidden = `203.0.113.${100 + count}`;
    const wrong = await signIn(visitor(plain, { "lucchetto-visitor-address": hidden }), "not the password");
    expect(wrong.status).toBe(401);
    expect(await failuresFrom(hidden)).toBe(0);
    const operator = service.as(await service.operator());
    const { body } = await operator(routes.listJournal, {
      query: { accountId: anna.id, kind: "sign-in.refused", limit: 1 },
    });
    expect(body.items).toMatchObject([{ network: "127.0.0.1" }]);
    // And what it gets then is a browser's reply, as for anybody.
    await service.clock.advance(60 * 60_000);
    const plainReply = await signIn(visitor(plain, { "lucchetto-visitor-address": hidden }));
    expect(plainReply.json()).not.toHaveProperty("token");
  });
});
