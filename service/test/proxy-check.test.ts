import type { Server } from "node:http";
import { createServer } from "node:http";
import { request } from "node:https";
import type { AddressInfo } from "node:net";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import type { TestNginx } from "../../testing/nginx.ts";
import { SITE_NAME, startNginx } from "../../testing/nginx.ts";
import { enrolAuthenticator } from "../../testing/second-factor.ts";
import type { TestService } from "../../testing/service.ts";
import { freePort, PASSWORD, send, startService } from "../../testing/service.ts";

let service: TestService;
let nginx: TestNginx;
let behind: Server;
let site: string;
let anna: { id: string; token: string };

const FILES = {
  "index.html": "<h1>For members</h1>",
  "about/index.html": "<h1>For all</h1>",
  "ledger/index.html": "<h1>For keepers</h1>",
  "key-box/index.html": "<h1>4 7 1</h1>",
};

beforeAll(async () => {
  // What stands behind the proxy: it tells what it was told.
  behind = createServer((asked, reply) => {
    reply.setHeader("content-type", "application/json");
    reply.end(JSON.stringify(asked.rawHeaders));
  });
  await new Promise<void>((resolve) => behind.listen(0, "127.0.0.1", () => resolve()));
  const port = await freePort();
  site = `https://${SITE_NAME}:${port}`;
  service = await startService({
    publicUrl: `${site}/people`,
    settings: {
      LUCCHETTO_PROXY_CHECK_CLIENT_ID: "brina-site",
      LUCCHETTO_PROXY_CHECK_PROXIES: '["127.0.0.1"]',
      LUCCHETTO_TRUSTED_PROXIES: '["127.0.0.1"]',
    },
  });
  const servicePort = Number(new URL(service.url).port);
  nginx = await startNginx({
    port,
    servicePort,
    appPort: (behind.address() as AddressInfo).port,
    files: FILES,
  });
  anna = await service.register("anna@brina.example");
  const operator = service.as(await service.operator());
  await operator(routes.addApp, {
    body: { name: "Brina site", clientId: "brina-site", redirectUris: [`${site}/`] },
  });
});
afterAll(async () => {
  await nginx.stop();
  await new Promise((resolve) => behind.close(resolve));
  await service.stop();
});

interface Got {
  readonly status: number;
  readonly headers: Record<string, string | string[] | undefined>;
  readonly text: string;
}

/** Asks nginx as the site's name; headers may stand in any case. */
function get(path: string, headers: Record<string, string> = {}, method = "GET"): Promise<Got> {
  return new Promise((resolve, reject) => {
    const asked = request(
      {
        host: "127.0.0.1",
        port: nginx.port,
        path,
        method,
        servername: SITE_NAME,
        headers: { host: `${SITE_NAME}:${nginx.port}`, ...headers },
        rejectUnauthorized: false,
      },
      (reply) => {
        let text = "";
        reply.on("data", (chunk: Buffer) => (text += chunk.toString()));
        reply.on("end", () => resolve({ status: reply.statusCode ?? 0, headers: reply.headers, text }));
      },
    );
    asked.on("error", reject).end();
  });
}

const html = { accept: "text/html" };
const own = (token: string) => `__Secure-lucchetto=${token}`;

/** The cookie for what stands behind the proxy, of a session. */
async function enter(token: string): Promise<string> {
  const reply = await get("/people/proxy/enter?to=/", { cookie: own(token) });
  expect(reply.status).toBe(303);
  expect(reply.headers.location).toBe(`${site}/`);
  const [line = ""] = reply.headers["set-cookie"] ?? [];
  expect(line).toMatch(/^__Host-lucchetto-proxy=lck_[\w-]{43}; Path=\/; HttpOnly; Secure; SameSite=Lax$/);
  return line.split(";", 1)[0] ?? "";
}

/** The identity headers that the application got. */
function identity({ text }: Got): Record<string, string[]> {
  const raw = JSON.parse(text) as string[];
  const found: Record<string, string[]> = {};
  for (let at = 0; at < raw.length; at += 2) {
    const name = (raw[at] ?? "").toLowerCase().replaceAll("_", "-");
    if (name.startsWith("lucchetto")) (found[name] ??= []).push(raw[at + 1] ?? "");
  }
  return found;
}

describe("a site behind nginx", () => {
  test("a guest is sent to sign in and comes back; an open part is open; a program gets the challenge", async () => {
    expect((await get("/about/", html)).text).toContain("For all");
    const guest = await get("/?a=1", html);
    expect(guest.status).toBe(303);
    expect(guest.headers.location).toBe(`${site}/people/proxy/enter?to=%2F%3Fa%3D1`);
    const onward = await get("/people/proxy/enter?to=%2F%3Fa%3D1", html);
    expect(onward.headers.location).toBe(
      "/people/sign-in?next=%2Fpeople%2Fproxy%2Fenter%3Fto%3D%252F%253Fa%253D1",
    );

    // A password for a server before this one is nobody's here: the person is sent on all the same.
    const before = { authorization: `Basic ${Buffer.from("staging:secret").toString("base64")}` };
    expect((await get("/", { ...html, ...before })).status).toBe(303);

    const program = await get("/");
    expect(program.status).toBe(401);
    expect(program.headers["www-authenticate"]).toBe(
      `Bearer realm="${site}/people", Basic realm="${site}/people", charset="UTF-8"`,
    );
  });

  test("with the check token the site opens; signing out closes it at the next request", async () => {
    const token = await service.signIn("anna@brina.example");
    const cookie = await enter(token);
    expect((await get("/", { ...html, cookie })).text).toContain("For members");
    // Neither the own token nor another app's check token opens it.
    expect((await get("/", { ...html, cookie: own(token) })).status).toBe(303);
    expect((await get("/", { cookie: cookie.replace("lck_", "lcs_") })).status).toBe(401);
    await service.as(token)(routes.signOut);
    expect((await get("/", { ...html, cookie })).status).toBe(303);
  });

  test("a label is asked for, and shows at the next request", async () => {
    const cookie = await enter(anna.token);
    expect((await get("/ledger/", { ...html, cookie })).status).toBe(403);
    const operator = service.as(await service.operator());
    await operator(routes.changeAccount, { params: { id: anna.id }, body: { labels: ["keeper"] } });
    expect((await get("/ledger/", { ...html, cookie })).text).toContain("For keepers");
  });

  test("a second factor is asked for, set up on the way, and lapses; keys do not do", async () => {
    const { token } = await service.register("bruno@brina.example");
    const cookie = await enter(token);
    const short = await get("/key-box/", { ...html, cookie });
    expect(short.status).toBe(303);
    const way = "/people/proxy/enter?to=%2Fkey-box%2F&level=2";
    expect(short.headers.location).toBe(site + way);
    const next = encodeURIComponent(way);
    const wayOn = async (shown: string) => (await get(way, { cookie: own(shown) })).headers.location;
    expect(await wayOn(token)).toBe(`/people/account/second-factor?next=${next}`);
    const program = await get("/key-box/", { cookie });
    expect(program.status).toBe(401);
    expect(program.headers["www-authenticate"]).toContain(
      '"insufficient_user_authentication", acr_values="aal2"',
    );

    const authenticator = await enrolAuthenticator(service, token);
    expect(await wayOn(authenticator.token)).toBe(`${site}/key-box/`);
    expect((await get("/key-box/", { ...html, cookie })).text).toContain("4 7 1");
    expect(await wayOn("lcs_nobody")).toBe(`/people/sign-in?next=${next}`);

    const made = await service.as(authenticator.token)(routes.makeAccessKey, { body: { name: "script" } });
    const key = { authorization: `Bearer ${made.body.key}` };
    expect((await get("/app/", key)).status).toBe(200);
    const refused = await get("/key-box/", { ...html, ...key });
    expect([refused.status, refused.headers.location]).toEqual([401, undefined]);

    await service.clock.advance(11 * 60_000);
    const wish = (query: string, headers: Record<string, string> = {}) =>
      send(service, "GET", `/v1/proxy-check${query}`, { headers: { cookie, ...headers } });
    expect((await wish("?level=3")).status).toBe(400);
    expect((await wish("?fresh=soon")).status).toBe(400);
    const stale = await wish("?fresh=600", {
      ...html,
      "lucchetto-asked": "/cancel",
      "lucchetto-method": "GET",
    });
    expect([stale.status, stale.headers.get("www-authenticate")]).toEqual([
      401,
      expect.stringContaining('max_age="600"'),
    ]);
    const fresh = "/people/proxy/enter?to=%2Fcancel&fresh=600";
    expect(stale.headers.get("lucchetto-sign-in")).toBe(site + fresh);
    expect((await get(fresh, { cookie: own(authenticator.token) })).headers.location).toBe(
      `/people/account/reauthenticate?next=${encodeURIComponent(fresh)}`,
    );
    expect((await wish("?fresh=36000", { "lucchetto-method": "GET" })).status).toBe(200);
  });

  test("OA-12 HA-5 identity headers from outside never reach the application, in any spelling", async () => {
    const forged = {
      "Lucchetto-Account": "forged",
      lucchetto_account: "forged",
      "LUCCHETTO-LABELS": "operator",
      "lUcChEtTo-EmAiL": "forged@brina.example",
      Lucchetto_Labels: "operator",
      "Lucchetto-Reference": "forged",
    };
    const guest = await get("/app/", forged);
    expect(guest.status).toBe(200);
    expect(identity(guest)).toEqual({});
    // S12 Other proxies copy what the check answers: for guests too each header is there, and empty.
    const told = await send(service, "GET", "/v1/proxy-check?guests=yes");
    for (const name of ["account", "reference", "email", "username", "name", "labels", "session", "level"])
      expect([name, told.headers.get(`lucchetto-${name}`)]).toEqual([name, ""]);

    const client = service.as(anna.token);
    await client(routes.changeOwnAccount, { body: { displayName: "Anna Löwe 100%" } });
    const known = await get("/app/", { ...forged, cookie: await enter(anna.token) });
    expect(identity(known)).toEqual({
      "lucchetto-account": [anna.id],
      "lucchetto-name": ["Anna L%C3%B6we 100%25"],
      "lucchetto-labels": ["keeper"],
      "lucchetto-session": [expect.stringMatching(/^[0-9a-f-]{36}$/)],
      "lucchetto-level": ["1"],
    });
    // HA-5: nobody has proved the address yet, so it is not told.
    await service.dataSource.query("UPDATE account SET emailVerifiedAt = createdAt WHERE id = ?", [anna.id]);
    const proved = await get("/app/", { ...forged, cookie: await enter(anna.token) });
    expect(identity(proved)["lucchetto-email"]).toEqual(["anna@brina.example"]);
    // No cookie and no credentials of the visitor either.
    expect(known.text).not.toMatch(/lck_|lcs_|cookie|authorization/i);
  });

  test("HA-2 a page's cookie changes something only from the site's own pages, and a WebSocket counts as a change", async () => {
    const cookie = await enter(anna.token);
    const answers = [];
    for (const headers of [
      { origin: "https://evil.test" },
      { origin: "null" },
      { origin: site, "sec-fetch-site": "same-origin" },
      { "sec-fetch-site": "same-site" },
      { "sec-fetch-site": "same-origin" },
      {},
    ])
      answers.push((await get("/", { cookie, ...headers }, "POST")).status);
    // The site is static: what is let through is refused by nginx itself, which takes no POST there.
    expect(answers).toEqual([403, 403, 405, 403, 405, 403]);
    expect((await get("/", { cookie, origin: "https://evil.test" })).status).toBe(200);
    const ask = (headers: Record<string, string>) =>
      send(service, "GET", "/v1/proxy-check", { headers: { cookie, ...headers } });
    expect((await ask({ "lucchetto-method": "GET" })).status).toBe(200);
    for (const headers of [{}, { "lucchetto-method": "GET", "lucchetto-upgrade": "websocket" }])
      expect((await ask(headers)).json()).toMatchObject({ status: 403, code: "foreign-origin" });
  });

  test("OA-12 callers not listed as proxies are refused, whatever they say of themselves", async () => {
    const elsewhere = await startService({
      beside: service,
      settings: { LUCCHETTO_PROXY_CHECK_PROXIES: '["10.0.0.0/8"]' },
    });
    try {
      const reply = await send(elsewhere, "GET", "/v1/proxy-check", {
        headers: { "x-forwarded-for": "10.1.2.3" },
      });
      expect(reply.status).toBe(403);
      expect(reply.json()).toMatchObject({ code: "proxies-only" });
    } finally {
      await elsewhere.stop();
    }
  });

  test("an access key opens it as Bearer and as HTTP Basic; a wrong one is refused with the challenge and journalled", async () => {
    const client = service.as(await service.signIn("anna@brina.example"));
    const { body } = await client(routes.makeAccessKey, { body: { name: "the ledger's script" } });
    const basic = (name: string, password: string) => ({
      authorization: `Basic ${Buffer.from(`${name}:${password}`).toString("base64")}`,
    });
    const bearer = { authorization: `Bearer ${body.key}` };
    expect((await get("/ledger/", bearer)).status).toBe(200);
    expect((await get("/ledger/", basic("anna@brina.example", body.key))).status).toBe(200);
    expect((await get("/ledger/", basic("bruno@brina.example", body.key))).status).toBe(401);
    expect(identity(await get("/app/", bearer))["lucchetto-session"]).toBeUndefined();

    const wrong = await get("/", { ...html, authorization: `Bearer lca_${"x".repeat(43)}` });
    expect(wrong.status).toBe(401);
    expect(wrong.headers["www-authenticate"]).toContain('error="invalid_token"');
    // A wrong key makes nobody a guest.
    expect((await get("/app/", { authorization: `Bearer lca_${"x".repeat(43)}` })).status).toBe(401);
    // The person's own password is not taken here.
    expect((await get("/", basic("anna@brina.example", PASSWORD))).status).toBe(401);
    const operator = service.as(await service.operator());
    const { body: journal } = await operator(routes.listJournal, { query: { kind: "access-key.refused" } });
    expect(journal.items.map(({ reason }) => reason)).toEqual(["unknown", "other-name"]);
    // A browser does not send a Basic password along with what a foreign page makes it send.
    const foreign = { ...basic("anna@brina.example", body.key), origin: "https://evil.test" };
    expect((await get("/app/", foreign, "POST")).status).toBe(403);
    expect((await get("/app/", foreign)).status).toBe(200);
  });
});
