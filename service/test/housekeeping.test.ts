import { request } from "node:http";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import { readEmail } from "@lucchetto/core";
import { eventually } from "../../testing/eventually.ts";
import type { InProcessService, TestService } from "../../testing/service.ts";
import { freePort, json, PASSWORD, send, startProduction, startService } from "../../testing/service.ts";
import { mailTo, registerProved } from "../../testing/visitor.ts";
import { inTransaction } from "../src/base/storage/in-transaction.ts";

let service: InProcessService;
beforeAll(async () => {
  service = await startService({
    settings: {
      LUCCHETTO_PROXY_CHECK_CLIENT_ID: "brina-site",
      LUCCHETTO_PROXY_CHECK_PROXIES: '["127.0.0.1"]',
    },
  });
});
afterAll(() => service.stop());

describe("addresses of mail", () => {
  test.each([
    "squat@brina.example/#nowhere",
    "squat@brina.example?x",
    "squat@brina.example#x",
    "squat@brina.example\\x",
    "squat@brina.example%2f",
    "squat@brina.example ",
    "squat@ brina.example",
    "squat@brina.example:25",
    "squat@[127.0.0.1]",
    "squat@brina\u0007.example",
    "squat@brina.example\u200b",
    "squat@user@brina.example",
  ])("HK-4 %j is none", async (email) => {
    expect(readEmail(email)).toBeNull();
    const reply = await send(service, "POST", "/v1/accounts", json({ email, password: PASSWORD }));
    expect([reply.status, reply.json()]).toMatchObject([400, { code: "invalid-fields" }]);
  });

  test("HK-4 a domain in its own script and its A-label are one account, which is written to in one form", async () => {
    const { id } = await service.register("Anna@Bücher.example");
    const mail = await mailTo(service, "Anna@xn--bcher-kva.example", "verify");
    expect(mail.to).toBe("Anna@xn--bcher-kva.example");
    const again = await send(
      service,
      "POST",
      "/v1/accounts",
      json({ email: "anna@XN--BCHER-KVA.example", password: PASSWORD }),
    );
    expect(again.json()).toMatchObject({ code: "identifier-taken" });
    const [row] = await service.dataSource.query("SELECT email, emailKey FROM account WHERE id = ?", [id]);
    expect(row).toEqual({ email: "Anna@xn--bcher-kva.example", emailKey: "anna@xn--bcher-kva.example" });
  });
});

test("HK-3 three hundred GETs of the proxy entry and of authorize by one session leave a few rows", async () => {
  const { token } = await registerProved(service, "bruno@brina.example");
  const office = service.as(await service.operator());
  await office(routes.addApp, {
    body: { name: "Brina site", clientId: "brina-site", redirectUris: [`${service.url}/`] },
  });
  const port = new URL(service.url).port;
  const headers = { cookie: `lucchetto-${port}=${token}`, accept: "text/html" };
  const query = new URLSearchParams({
    response_type: "code",
    client_id: "brina-site",
    redirect_uri: `${service.url}/`,
    code_challenge: "x".repeat(43),
    code_challenge_method: "S256",
    state: "s",
  });
  for (let round = 0; round < 6; round += 1)
    await Promise.all(
      Array.from({ length: 50 }, (_, index) =>
        send(service, "GET", index % 2 === 0 ? "/proxy/enter?to=/" : `/oauth/authorize?${query}`, {
          headers,
        }),
      ),
    );
  const count = async (question: string) => Number((await service.dataSource.query(question))[0].rows);
  // Those that come at the same moment do not see each other.
  expect(await count("SELECT COUNT(*) AS `rows` FROM check_token")).toBeLessThan(60);
  expect(await count("SELECT COUNT(*) AS `rows` FROM authorization_code")).toBeLessThan(60);
  expect(
    await count("SELECT COUNT(*) AS `rows` FROM journal_entry WHERE kind = 'app.check-token-issued'"),
  ).toBeLessThan(60);
});

test("HK-3 a browser that holds a check token of its session gets no other", async () => {
  const { token } = await service.register("carla@brina.example");
  const port = new URL(service.url).port;
  const enter = (cookie: string) =>
    send(service, "GET", "/proxy/enter?to=/", { headers: { cookie, accept: "text/html" } });
  const own = `lucchetto-${port}=${token}`;
  const [first = ""] = (await enter(own)).headers.getSetCookie();
  expect(first).toMatch(/lck_/);
  const again = await enter(`${own}; ${first.split(";", 1)[0] ?? ""}`);
  expect([again.status, again.headers.getSetCookie()]).toEqual([303, []]);
});

describe("HK-5 metrics", () => {
  const ask = (at: TestService, path: string, headers: Record<string, string> = {}) =>
    send(at, "GET", path, { headers });

  test("are shown to listed addresses, and to nobody behind a proxy that is not trusted", async () => {
    expect((await ask(service, "/metrics")).text).toContain("lucchetto_http_request_seconds");
    expect((await ask(service, "/metrics", { "x-forwarded-for": "127.0.0.1" })).status).toBe(404);
    const closed = await startService({ settings: { LUCCHETTO_METRICS_FROM: '["10.0.0.0/8"]' } });
    try {
      expect((await ask(closed, "/metrics")).status).toBe(404);
    } finally {
      await closed.stop();
    }
  });

  test("have a port of their own, where one is named, and are answered there alone", async () => {
    const port = await freePort();
    const settings = { LUCCHETTO_METRICS_PORT: String(port), LUCCHETTO_LISTEN_HOSTS: "[localhost]" };
    const production = await startProduction(settings);
    const there = `http://127.0.0.1:${port}`;
    try {
      const reply = await fetch(`${there}/metrics`);
      expect(reply.headers.get("content-type")).toContain("text/plain");
      expect(await reply.text()).toContain("lucchetto_http_request_seconds");
      expect((await fetch(`${there}/v1/sign-in`)).status).toBe(404);
      expect((await fetch(`${there}/metrics`, { method: "POST" })).status).toBe(404);
      expect((await ask(production, "/metrics")).status).toBe(404);
    } finally {
      await production.stop();
    }
    await expect(fetch(`${there}/metrics`)).rejects.toThrow("fetch failed");
    const elsewhere = await startProduction({ ...settings, LUCCHETTO_METRICS_FROM: '["10.0.0.0/8"]' });
    try {
      expect((await fetch(`${there}/metrics`)).status).toBe(404);
    } finally {
      await elsewhere.stop();
    }
  });

  /** By a client that lets one choose the Host. */
  const statusAt = (at: TestService, path: string, headers: Record<string, string>) =>
    new Promise<number | undefined>((resolve, reject) => {
      const { hostname, port } = new URL(at.url);
      request({ hostname, port, path, headers }, (reply) => resolve(reply.resume().statusCode))
        .on("error", reject)
        .end();
    });

  test("S12 in production: to nobody through a proxy that does not say for whom, whatever host it names", async () => {
    const host = "accounts.brina.example";
    const listed = '["127.0.0.1", "192.0.2.0/24"]';
    for (const proxies of ["[]", '["127.0.0.1"]']) {
      const production = await startProduction({
        LUCCHETTO_LISTEN_HOSTS: "[]",
        LUCCHETTO_METRICS_FROM: listed,
        LUCCHETTO_TRUSTED_PROXIES: proxies,
      });
      try {
        // Many a proxy names the upstream itself.
        for (const path of ["/v1/sign-in", "/metrics"])
          expect(await statusAt(production, path, { host: "localhost:8420" })).toBe(421);
        expect(await statusAt(production, "/metrics", { host: "elsewhere.example" })).toBe(421);
        expect(await statusAt(production, "/metrics", { host })).toBe(404);
        const scraper = { host, "x-forwarded-for": "192.0.2.7" };
        expect(await statusAt(production, "/metrics", scraper)).toBe(proxies === "[]" ? 404 : 200);
        expect(await statusAt(production, "/metrics", { host, "x-forwarded-for": "198.51.100.1" })).toBe(404);
      } finally {
        await production.stop();
      }
    }
  });
});

test("whoever waited for a lock in vain does not wait once more; a deadlock is tried again", async () => {
  let tries = 0;
  const failing = (code: string) =>
    inTransaction(service.dataSource, async () => {
      tries += 1;
      await Promise.resolve();
      throw Object.assign(new Error(code), { code });
    }).catch((error: Error) => error.message);
  expect(await failing("ER_LOCK_WAIT_TIMEOUT")).toBe("ER_LOCK_WAIT_TIMEOUT");
  expect(tries).toBe(1);
  tries = 0;
  await failing("ER_LOCK_DEADLOCK");
  expect(tries).toBe(8);
});

test("HK-2 every sweep goes along an index, and every table that grows by use has one", async () => {
  const swept: Array<readonly [string, unknown[]]> = [];
  const { dataSource } = service;
  const query = dataSource.query.bind(dataSource);
  dataSource.query = ((text: string, parameters: unknown[]) => {
    if (text.startsWith("DELETE")) swept.push([text, parameters]);
    return query(text, parameters);
  }) as typeof dataSource.query;
  await service.sweep();
  dataSource.query = query as typeof dataSource.query;
  for (const [text, parameters] of swept) {
    const [plan] = await query<Array<{ possible_keys: string | null }>>(`EXPLAIN ${text}`, parameters);
    expect([text, plan?.possible_keys ?? "no key"]).not.toEqual([text, "no key"]);
  }
  // The journal goes in the order of its chain (service/test/chain.test.ts).
  const tables = new Set(swept.map(([text]) => /FROM (\w+)/.exec(text)?.[1]));
  for (const table of [
    "app_question",
    "authenticator",
    "authorization_code",
    "delivery",
    "held_address",
    "known_device",
    "mail",
    "mail_link",
    "recovery_code",
    "registration",
    "session",
    "sign_in",
    "throttle_count",
  ])
    expect([table, tables.has(table)]).toEqual([table, true]);
});

test("HK-2 a hundred thousand old rows go in batches, while people sign in", async () => {
  const { dataSource } = service;
  const at = "2020-01-01 00:00:00";
  for (let round = 0; round < 6; round += 1)
    await dataSource.query(
      `INSERT INTO throttle_count SELECT UNHEX(SHA2(CONCAT('${round}-', seq), 256)), 'network', NULL, 1, '${at}', '${at}', '${at}' FROM seq_1_to_5000`,
    );
  await service.register("dora@brina.example");
  const sweeping = service.sweep();
  for (let signedIn = 0; signedIn < 10; signedIn += 1)
    expect(await service.signIn("dora@brina.example")).toMatch(/^lcs_/);
  await sweeping;
  for (let rounds = 0; rounds < 3; rounds += 1) await service.sweep();
  const [{ left }] = await dataSource.query(
    `SELECT COUNT(*) AS \`left\` FROM throttle_count WHERE changedAt = '${at}'`,
  );
  expect(Number(left)).toBe(0);
});

test("HK-2 the journal is kept for its time, and entries of after it stay", async () => {
  const { id } = await service.register("elio@brina.example");
  const count = async () =>
    (await service.dataSource.query("SELECT 1 FROM journal_entry WHERE accountId = ?", [id]))
      .length as number;
  const before = await count();
  const unchained = "SELECT 1 FROM journal_entry WHERE position IS NULL";
  await eventually(async () => (await service.dataSource.query(unchained)).length === 0, "all is chained");
  await service.clock.advance(399 * 86_400_000);
  await service.sweep();
  expect(await count()).toBe(before);
  await service.clock.advance(2 * 86_400_000);
  await service.sweep();
  expect(await count()).toBe(0);
  await service.clock.reset();
});
