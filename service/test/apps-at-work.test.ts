/** Backends at work: an app with the right `accounts` works on accounts with its key, as an attacker with a stolen one would. */
import { afterAll, beforeAll, beforeEach, describe, expect, test } from "@jest/globals";
import type { Account, App, Problem } from "@lucchetto/contract";
import { routes } from "@lucchetto/contract";
import type { TestService } from "../../testing/service.ts";
import { json, PASSWORD, send, startService } from "../../testing/service.ts";
import { mailTo, secretOf } from "../../testing/visitor.ts";

interface Known {
  readonly app: App;
  readonly key: string;
}
const APP_ROUTES = Object.values(routes).filter((route) => "right" in route);

let service: TestService;
let book: Known;
let plain: Known;
let count = 0;

const office = async () => service.as(await service.operator());
async function addApp(name: string, rights: Array<"accounts">): Promise<Known> {
  const redirectUris = ["http://localhost:1/in"];
  return (await (await office())(routes.addApp, { body: { name, redirectUris, rights } })).body;
}
beforeAll(async () => {
  service = await startService({ settings: { LUCCHETTO_THROTTLE_APPS_MOST: "100000" } });
  book = await addApp("Hut book", ["accounts"]);
  plain = await addApp("Weather", []);
});
afterAll(() => service.stop());
let name: string;
beforeEach(() => {
  count += 1;
  name = `guest.${count}@brina.example`;
});

const basic = ({ app, key }: Known) => `Basic ${Buffer.from(`${app.clientId}:${key}`).toString("base64")}`;
async function call<Body = Account>(
  method: string,
  path: string,
  { as = book, at = service, body }: { as?: Known | null; at?: TestService; body?: object } = {},
) {
  const { body: text, headers } = body === undefined ? { headers: {} } : json(body);
  const reply = await send(at, method, path, {
    ...(text === undefined ? {} : { body: text }),
    headers: { ...headers, ...(as === null ? {} : { authorization: basic(as) }) },
  });
  return { status: reply.status, body: reply.text === "" ? null : reply.json<Body & Problem>() };
}
const codeOf = ({ status, body }: Awaited<ReturnType<typeof call>>) => [status, body?.code];
const change = (id: string, body: object, as: Known = book) =>
  call("PATCH", `/v1/app/accounts/${id}`, { as, body });

async function invited(more: object = {}): Promise<Account> {
  const { status, body } = await call("POST", "/v1/app/invitations", { body: { email: name, ...more } });
  expect(status).toBe(201);
  return body as Account;
}

async function journalOf(accountId: string) {
  const { body } = await (await office())(routes.listJournal, { query: { accountId, limit: 100 } });
  return body.items;
}

describe("an app with the right `accounts`", () => {
  test("invites, finds, labels, refers, suspends and restores; each stands in the journal as its doing", async () => {
    const member = { displayName: "Ada Guest", labels: ["keeper"], reference: `M-${count}`, language: "it" };
    const account = await invited(member);
    expect(account).toMatchObject({ ...member, email: name, state: "invited", emailVerified: false });
    // S12: only whoever was invited makes it active.
    expect(
      await call("PATCH", `/v1/app/accounts/${account.id}`, { body: { state: "active" } }),
    ).toMatchObject({ status: 400, body: { errors: [{ path: "state", code: "account-is-invited" }] } });
    expect(await call("POST", "/v1/app/invitations", { body: { email: name } })).toMatchObject({
      status: 200,
      body: { id: account.id },
    });
    for (const search of ["Ada G", name.toUpperCase(), account.id, `M-${count}`]) {
      const found = await call<{ items: Account[] }>(
        "GET",
        `/v1/app/accounts?search=${encodeURIComponent(search)}`,
      );
      expect(found).toMatchObject({ status: 200, body: { items: [{ id: account.id }] } });
      // What only operators see is not among it.
      expect(Object.keys(found.body?.items[0] ?? {})).not.toContain("lastSignInAt");
    }
    const secret = secretOf(await mailTo(service, name, "invite"));
    await service.client(routes.redeemLink, { body: { secret, password: PASSWORD } });
    const token = await service.signIn(name);
    const session = () =>
      send(service, "GET", "/v1/session", { headers: { authorization: `Bearer ${token}` } });

    expect((await change(account.id, { labels: ["cook"], reference: "c-1" })).body).toMatchObject({
      labels: ["cook"],
      reference: "c-1",
    });
    expect((await change(account.id, { reference: null })).body).toMatchObject({ reference: null });
    expect((await session()).status).toBe(200);
    expect((await change(account.id, { state: "suspended" })).body).toMatchObject({ state: "suspended" });
    expect((await session()).status).toBe(401);
    await expect(service.signIn(name)).rejects.toMatchObject({ problem: { code: "account-suspended" } });
    await change(account.id, { state: "active" });
    await service.signIn(name);

    const done = (await journalOf(account.id)).filter(({ appId }) => appId === book.app.id);
    expect(done.map(({ kind, reason }) => [kind, reason]).reverse()).toEqual([
      ["account.invited", null],
      ["account.invited", null],
      ["account.changed", "labels"],
      ["account.changed", "reference"],
      ["account.changed", "suspended"],
      ["account.changed", "active"],
    ]);
    expect(done.every(({ actorId, appName }) => actorId === null && appName === "Hut book")).toBe(true);
  });

  test("adds an account without a password, which its owner sets by mail", async () => {
    const { status, body } = await call("POST", "/v1/app/accounts", {
      body: { email: name, labels: ["cook"] },
    });
    expect(status).toBe(201);
    expect(body).toMatchObject({ state: "active", emailVerified: false, labels: ["cook"] });
    await expect(service.signIn(name)).rejects.toMatchObject({ problem: { code: "sign-in-refused" } });
    await service.client(routes.askForLink, { body: { purpose: "reset", identifier: name } });
    const secret = secretOf(await mailTo(service, name, "reset"));
    await service.client(routes.redeemLink, { body: { secret, password: PASSWORD } });
    const token = await service.signIn(name);
    expect((await service.as(token)(routes.showAccount)).body).toMatchObject({
      id: body?.id,
      labels: ["cook"],
    });
  });

  test("taken names are told by field; nothing is stored", async () => {
    await invited({ reference: `R-${count}`, username: `guest${count}` });
    const other = (await call("POST", "/v1/app/accounts", { body: { email: `x.${name}` } })).body as Account;
    const taken = async (reply: Promise<Awaited<ReturnType<typeof call>>>, path: string) =>
      expect(await reply).toMatchObject({
        status: 409,
        body: { code: "identifier-taken", errors: [{ path }] },
      });
    await taken(call("POST", "/v1/app/accounts", { body: { email: name } }), "email");
    const body = { email: `y.${name}`, username: `guest${count}` };
    await taken(call("POST", "/v1/app/invitations", { body }), "username");
    await taken(change(other.id, { reference: `R-${count}`, labels: ["cook"] }), "reference");
    const { body: found } = await call<{ items: Account[] }>("GET", `/v1/app/accounts?search=${other.id}`);
    expect(found?.items).toMatchObject([{ labels: [], reference: null }]);
  });

  test("S12 references that differ by a blank at the end are those of two accounts", async () => {
    const add = (email: string, reference: string) =>
      call<Account>("POST", "/v1/app/accounts", { body: { email, reference } });
    const plain = await add(`plain.${name}`, `B-${count}`);
    const blank = await add(`blank.${name}`, `B-${count} `);
    expect([plain.status, blank.status]).toEqual([201, 201]);
    for (const { body } of [plain, blank]) {
      const found = await call<{ items: Account[] }>("POST", "/v1/accounts/look-up", {
        body: { references: [body?.reference] },
      });
      expect(found.body?.items.map(({ id }) => id)).toEqual([body?.id]);
    }
  });

  test("its own webhook is not asked for what its server does, and is told whose doing it was", async () => {
    const asking = await startService({
      beside: service,
      settings: {
        LUCCHETTO_WEBHOOKS_SECRET: `whsec_${Buffer.alloc(32, 7).toString("base64")}`,
        // Nobody answers there: whatever is asked is refused.
        LUCCHETTO_WEBHOOKS_CONSULT_URL: "http://127.0.0.1:9/ask",
        LUCCHETTO_WEBHOOKS_CONSULT_TIMEOUT: "1s",
        LUCCHETTO_WEBHOOKS_CONSULT_WHEN_SILENT: "refuse",
        LUCCHETTO_WEBHOOKS_NOTIFY_URL: "http://127.0.0.1:9/told",
      },
    });
    try {
      const refused = await send(asking, "POST", "/v1/accounts", json({ email: name, password: PASSWORD }));
      expect(refused.json()).toMatchObject({ code: "application-unresponsive" });
      const { status, body } = await call("POST", "/v1/app/accounts", { at: asking, body: { email: name } });
      expect(status).toBe(201);
      const changed = await call("PATCH", `/v1/app/accounts/${body?.id}`, {
        at: asking,
        body: { labels: ["cook"] },
      });
      expect(changed.status).toBe(200);
      const [told] = await service.dataSource.query<Array<{ body: string }>>(
        "SELECT body FROM delivery WHERE type = 'account.changed' AND accountId = ?",
        [body?.id],
      );
      expect(JSON.parse(told?.body ?? "{}")).toMatchObject({
        data: { accountId: body?.id, appId: book.app.id, actorId: null },
      });
    } finally {
      await asking.stop();
    }
  });
});

describe("whoever holds its key", () => {
  test("no other caller may do it: no app without the right, no own token, no check token, nobody", async () => {
    expect(APP_ROUTES).toHaveLength(4);
    const token = await service.operator();
    for (const { method, path } of APP_ROUTES) {
      const at = path.replace(":id", book.app.id);
      const sent = method === "GET" ? {} : { body: {} };
      expect(codeOf(await call(method, at, { as: plain, ...sent }))).toEqual([403, "right-missing"]);
      expect(codeOf(await call(method, at, { as: null, ...sent }))).toEqual([401, "app-unknown"]);
      const wrong = { ...book, key: plain.key };
      expect(codeOf(await call(method, at, { as: wrong, ...sent }))).toEqual([401, "app-unknown"]);
      const asOperator = await send(service, method, at, {
        headers: { authorization: `Bearer ${token}`, cookie: `lucchetto=${token}` },
      });
      expect(asOperator.status).toBe(401);
    }
  });

  test("operators and auditors are neither found nor changed, invited again, made nor unmade", async () => {
    const boss = await office();
    for (const label of ["operator", "auditor"]) {
      const email = `${label}.${name}`;
      const { id } = await service.register(email);
      await boss(routes.changeAccount, { params: { id }, body: { labels: [label, "cook"] } });
      const found = await call<{ items: Account[] }>("GET", `/v1/app/accounts?search=${label}.guest`);
      expect(found.body?.items).toEqual([]);
      for (const body of [{ state: "suspended" }, { labels: ["cook"] }, { reference: "mine" }])
        expect(codeOf(await change(id, body))).toEqual([403, "account-of-operators"]);

      const invitation = { email: `invited.${email}`, labels: [label] };
      await boss(routes.inviteAccount, { body: invitation });
      const again = await call("POST", "/v1/app/invitations", { body: { email: invitation.email } });
      expect(codeOf(again)).toEqual([403, "account-of-operators"]);

      const target = (await call("POST", "/v1/app/accounts", { body: { email: `t.${email}` } })).body;
      const refused = {
        status: 400,
        body: { errors: [{ path: "labels.1", message: "Only an operator gives this label." }] },
      };
      const labels = ["cook", label];
      expect(await change(target?.id ?? "", { labels })).toMatchObject(refused);
      for (const path of ["/v1/app/accounts", "/v1/app/invitations"])
        expect(await call("POST", path, { body: { email: `new.${email}`, labels } })).toMatchObject(refused);
    }
  });

  test("gets at no password, factor or address, and at nothing that is being erased", async () => {
    const { id, token } = await service.register(name);
    for (const body of [
      { email: "mine@evil.test" },
      { emailVerified: true },
      { password: PASSWORD },
      { mustChangePassword: false },
      { username: "mine" },
    ])
      expect(await change(id, body)).toMatchObject({
        status: 400,
        body: { errors: expect.arrayContaining([expect.objectContaining({ code: "unknown-field" })]) },
      });
    for (const path of ["/v1/app/accounts", "/v1/app/invitations"])
      expect(codeOf(await call("POST", path, { body: { email: `p.${name}`, password: PASSWORD } }))).toEqual([
        400,
        "invalid-fields",
      ]);
    expect((await call("DELETE", `/v1/app/accounts/${id}`)).status).toBe(405);
    // Nothing to change is nothing done: neither the journal nor the application hears of it.
    expect(await change(id, {})).toMatchObject({ status: 400, body: { code: "invalid-fields" } });
    expect(codeOf(await change(book.app.id, { labels: [] }))).toEqual([404, "not-found"]);

    await service.as(token)(routes.eraseOwnAccount);
    for (const state of ["active", "suspended"])
      expect(codeOf(await change(id, { state }))).toEqual([404, "not-found"]);
    const found = await call<{ items: Account[] }>("GET", `/v1/app/accounts?search=${id}`);
    expect(found.body?.items).toEqual([]);
  });

  test("floods no mailbox, and does only so much in a minute", async () => {
    await invited();
    for (let again = 0; again < 4; again += 1)
      expect((await call("POST", "/v1/app/invitations", { body: { email: name } })).status).toBe(200);
    const sixth = await call("POST", "/v1/app/invitations", { body: { email: name } });
    expect(sixth).toMatchObject({ status: 429, body: { code: "throttled" } });

    const strict = await startService({ settings: { LUCCHETTO_THROTTLE_APPS_MOST: "3" } });
    try {
      const redirectUris = ["http://localhost:1/in"];
      const operator = strict.as(await strict.operator());
      const { body: other } = await operator(routes.addApp, {
        body: { name: "Other", redirectUris, rights: ["accounts"] },
      });
      const look = () => call("GET", "/v1/app/accounts", { as: other, at: strict });
      // Those that open a window side by side do not outrun it either.
      for (let minute = 0; minute < 20; minute += 1) {
        const many = await Promise.all([look(), look(), look(), look(), look()]);
        expect(many.map(({ status }) => status).sort()).toEqual([200, 200, 200, 429, 429]);
        await strict.clock.advance(61_000);
      }
    } finally {
      await strict.stop();
    }
  });

  test("the other operators hear of an app with the right", async () => {
    const { id } = await service.register(name);
    const boss = await office();
    await boss(routes.changeAccount, { params: { id }, body: { labels: ["operator"] } });
    await boss(routes.addApp, {
      body: { name: "Ledger", redirectUris: ["http://localhost:1/in"], rights: ["accounts"] },
    });
    expect((await mailTo(service, name, "operators-told")).text).toContain("Ledger");
  });
});
