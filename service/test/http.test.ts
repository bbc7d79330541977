import { connect } from "node:net";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { PROBLEMS, routes } from "@lucchetto/contract";
import type { TestService } from "../../testing/service.ts";
import { json, PASSWORD, send, startService } from "../../testing/service.ts";

let service: TestService;
let token: string;
beforeAll(async () => {
  service = await startService({ looksInside: true });
  ({ token } = await service.register("anna@brina.example"));
});
afterAll(() => service.stop());

const registration = { email: "n@brina.example", password: PASSWORD };
const cookie = () => `lucchetto-${new URL(service.url).port}=${token}`;
const accounts = async () =>
  Number((await service.dataSource.query("SELECT COUNT(*) AS n FROM account"))[0].n);
const asJson = { "content-type": "application/json" };

describe("problems", () => {
  test("HT-1 every problem's page exists and says what to do", async () => {
    for (const code of Object.keys(PROBLEMS)) {
      const reply = await send(service, "GET", `/problems/${code}`, { headers: { accept: "text/html" } });
      expect(reply.status).toBe(200);
      expect(reply.text).toContain(`"code":"${code}"`);
    }
    expect(
      (await send(service, "GET", "/problems/nonsense", { headers: { accept: "text/html" } })).status,
    ).toBe(404);
  });

  test("HT-1 a problem carries its page's address, its status and the request's id", async () => {
    const reply = await send(service, "GET", "/v1/session");
    expect(reply.headers.get("content-type")).toContain("application/problem+json");
    expect(reply.json()).toMatchObject({
      type: `${service.configuration.publicUrl}/problems/not-signed-in`,
      status: 401,
      requestId: reply.headers.get("x-request-id"),
    });
  });

  test("HT-9 two requests have two ids, found again in the log; a caller's own id is not taken", async () => {
    const replies = await Promise.all(
      [1, 2].map(() => send(service, "GET", "/v1/session", { headers: { "x-request-id": "mine" } })),
    );
    const ids = replies.map(({ headers }) => headers.get("x-request-id") ?? "");
    expect(new Set(ids).size).toBe(2);
    expect(ids).not.toContain("mine");
    for (const id of ids) expect(service.log()).toContain(id);
  });

  test("HT-9 a trusted proxy's id is kept in a safe form, and replaced in any other", async () => {
    const behind = await startService({
      beside: service,
      settings: { LUCCHETTO_TRUSTED_PROXIES: '["127.0.0.1"]' },
    });
    try {
      const idFor = async (id: string) =>
        (await send(behind, "GET", "/v1/session", { headers: { "x-request-id": id } })).headers.get(
          "x-request-id",
        );
      expect(await idFor("proxy-0123456789")).toBe("proxy-0123456789");
      for (const unsafe of [
        "short",
        "x".repeat(1_000),
        "with spaces in it",
        "<script>alert(1)</script>",
        "a;b=c;d=e",
      ])
        expect(await idFor(unsafe)).toMatch(/^[0-9a-f]{8}-/);
    } finally {
      await behind.stop();
    }
  });
});

describe("where requests may come from", () => {
  test.each([
    ["a foreign origin", { origin: "https://evil.test" }],
    ["an app's origin", { origin: "http://localhost:8421" }],
    ["the origin null", { origin: "null" }],
    [
      "a foreign origin with Sec-Fetch-Site forged",
      { origin: "https://evil.test", "sec-fetch-site": "same-origin" },
    ],
    ["another site", { "sec-fetch-site": "cross-site" }],
    ["the same site", { "sec-fetch-site": "same-site" }],
    ["neither header", {}],
  ])(
    "HT-2 with a cookie, %s is refused, and nothing ends",
    async (_what, headers: Record<string, string>) => {
      const reply = await send(service, "DELETE", "/v1/session", {
        headers: { cookie: cookie(), ...headers },
      });
      expect(reply.status).toBe(403);
      expect(reply.json()).toMatchObject({ code: "foreign-origin" });
      expect((await send(service, "GET", "/v1/session", { headers: { cookie: cookie() } })).status).toBe(200);
    },
  );

  test("HT-2 a foreign origin may not sign anybody in, cookie or not; the remedy for programs is named", async () => {
    const body = json({ proof: { type: "password", identifier: "anna@brina.example", password: PASSWORD } });
    const foreign = await send(service, "POST", "/v1/sign-in", {
      ...body,
      headers: { ...body.headers, origin: "https://evil.test" },
    });
    expect(foreign.status).toBe(403);
    expect(foreign.headers.get("set-cookie")).toBeNull();
    const program = await send(service, "DELETE", "/v1/session", { headers: { cookie: cookie() } });
    expect(program.json<{ detail: string }>().detail).toContain("Authorization: Bearer");
  });

  test("HT-2 own pages and programs are served", async () => {
    const body = json({ proof: { type: "password", identifier: "anna@brina.example", password: PASSWORD } });
    for (const headers of [{ origin: service.url }, { "sec-fetch-site": "same-origin" }, {}] as Array<
      Record<string, string>
    >) {
      expect(
        (await send(service, "POST", "/v1/sign-in", { ...body, headers: { ...body.headers, ...headers } }))
          .status,
      ).toBe(201);
    }
  });

  test("HT-13 other origins read nothing, the public metadata apart", async () => {
    for (const path of ["/v1/session", "/openapi.json", "/sign-in", "/healthz"]) {
      const reply = await send(service, "GET", path, { headers: { origin: "https://evil.test" } });
      expect(reply.headers.get("access-control-allow-origin")).toBeNull();
    }
    expect(
      (await send(service, "OPTIONS", "/v1/sign-in", { headers: { origin: "https://evil.test" } })).status,
    ).toBe(405);
    const metadata = await send(service, "GET", "/.well-known/oauth-authorization-server");
    expect(metadata.headers.get("access-control-allow-origin")).toBe("*");
  });
});

describe("pages", () => {
  test("HT-3 HT-5 carry a strict policy, no-referrer and nosniff, and are not kept", async () => {
    for (const path of [
      "/sign-in",
      "/register",
      "/sign-out",
      "/account",
      "/console",
      "/console/accounts",
      "/docs",
    ]) {
      const { status, headers, text } = await send(service, "GET", path);
      expect(status).toBe(200);
      const policy = headers.get("content-security-policy") ?? "";
      for (const directive of [
        "default-src 'none'",
        "object-src 'none'",
        "base-uri 'none'",
        "frame-ancestors 'none'",
        "form-action 'self'",
      ]) {
        expect(policy).toContain(directive);
      }
      expect(policy).not.toContain("unsafe");
      expect(headers.get("referrer-policy")).toBe("no-referrer");
      expect(headers.get("x-content-type-options")).toBe("nosniff");
      expect(headers.get("cache-control")).toBe("no-store");
      expect(text).not.toMatch(/<script(?![^>]*(src=|application\/json))/);
    }
  });

  test("HT-4 HSTS comes over https alone", async () => {
    const secure = await startService({ beside: service, publicUrl: "https://accounts.brina.example" });
    try {
      const age = /max-age=(\d+)/.exec(
        (await send(secure, "GET", "/sign-in")).headers.get("strict-transport-security") ?? "",
      );
      expect(Number(age?.[1])).toBeGreaterThanOrEqual(31_536_000);
      const plain = await send(service, "GET", "/sign-in", { headers: { "x-forwarded-proto": "https" } });
      expect(plain.headers.get("strict-transport-security")).toBeNull();
    } finally {
      await secure.stop();
    }
  });

  test("a site's name with markup in it is written as text", async () => {
    const odd = await startService({
      beside: service,
      settings: { LUCCHETTO_SITE_NAME: "</script><script>alert(1)</script>" },
    });
    try {
      const { text } = await send(odd, "GET", "/sign-in");
      expect(text).not.toContain("<script>alert(1)");
    } finally {
      await odd.stop();
    }
  });

  test("HT-6 the sign-out page sends people only to addresses registered by the app", async () => {
    const operator = await service.operator();
    const signedOutUris = ["http://localhost:9999/signed-out"];
    const { body } = await service.as(operator)(routes.addApp, {
      body: { name: "Hut book", redirectUris: ["http://localhost:9999/signed-in"], signedOutUris },
    });
    const page = async (returnTo: string) =>
      (
        await send(
          service,
          "GET",
          `/sign-out?${new URLSearchParams({ client_id: body.app.clientId, return_to: returnTo, sid: "x" })}`,
          { headers: { cookie: cookie() } },
        )
      ).text;
    expect(await page(signedOutUris[0] as string)).toContain(
      '"returnTo":"http://localhost:9999/signed-out","automatic":false',
    );
    for (const address of [
      "//evil.test",
      "http://localhost:9999/signed-out/x",
      "https://evil.test",
      "javascript:alert(1)",
    ]) {
      expect(await page(address)).toContain('"returnTo":null');
    }
  });

  test("HT-12 the well-known change-password address leads to a page, and no random one does", async () => {
    const reply = await send(service, "GET", "/.well-known/change-password");
    expect(reply.status).toBe(303);
    expect((await send(service, "GET", reply.headers.get("location") ?? "")).status).toBe(200);
    const missing = "/.well-known/resource-that-should-not-exist-whose-status-code-should-not-be-200";
    expect((await send(service, "GET", missing)).status).toBe(404);
  });

  test("in development, another loopback name is led to the right one", async () => {
    const port = new URL(service.url).port;
    const reply = await fetch(`http://127.0.0.1:${port}/sign-in?next=%2Fconsole`, { redirect: "manual" });
    expect(reply.headers.get("location")).toBe(`http://localhost:${port}/sign-in?next=%2Fconsole`);
  });
});

describe("what is for this machine alone", () => {
  test.each([
    ["X-Forwarded-For", { "x-forwarded-for": "203.0.113.10" }],
    ["a chain that ends here", { "x-forwarded-for": "203.0.113.10:4711, 127.0.0.1" }],
    ["Forwarded", { forwarded: "for=203.0.113.10;proto=https" }],
    ["an address that cannot be read", { "x-forwarded-for": "unknown" }],
  ])(
    "S1 a proxy that says by %s that somebody else asks opens neither mailbox, clock nor traces",
    async (_how, headers) => {
      for (const [method, path] of [
        ["GET", "/v1/development/mailbox"],
        ["GET", "/v1/development/clock"],
        ["DELETE", "/v1/development/clock"],
        ["GET", "/v1/development/traces"],
        ["GET", "/mailbox/0190b6a2-0000-7000-8000-000000000000.html"],
      ] as const) {
        const reply = await send(service, method, path, { headers });
        expect([path, reply.status]).toEqual([path, 421]);
        expect(reply.json()).toMatchObject({ code: "wrong-host", detail: expect.stringContaining("proxy") });
      }
      const here = { "x-forwarded-for": "127.0.0.1, ::1" };
      expect((await send(service, "GET", "/v1/development/clock", { headers: here })).status).toBe(200);
    },
  );
});

describe("bad requests", () => {
  test.each([
    ["broken JSON", '{"email":', 400],
    ["an array", "[]", 400],
    ["text", '"x"', 400],
    ["null", "null", 400],
    ["nothing", "", 400],
    ["HT-8 __proto__", '{"__proto__":{"polluted":1}}', 400],
    ["HT-8 constructor.prototype", '{"constructor":{"prototype":{"polluted":1}}}', 400],
    ["HT-8 __proto__ below", '{"email":{"x":{"__proto__":{"polluted":1}}}}', 400],
    ["HT-8 ten thousand arrays", `{"email":${"[".repeat(10_000)}${"]".repeat(10_000)}}`, 400],
    ["an unknown member", JSON.stringify({ ...registration, "x\r\ny": 1 }), 400],
  ])("%s is a clear 4xx and changes nothing", async (_what, body, status) => {
    const before = await accounts();
    const reply = await send(service, "POST", "/v1/accounts", { body, headers: asJson });
    expect(reply.status).toBe(status);
    expect(reply.headers.get("content-type")).toContain("application/problem+json");
    expect(await accounts()).toBe(before);
    expect(({} as { polluted?: number }).polluted).toBeUndefined();
  });

  test("PW-5 HT-11 bytes that are not UTF-8 are refused, UTF-16 too", async () => {
    const before = await accounts();
    const text = JSON.stringify(registration);
    const cut = Buffer.concat([Buffer.from(text.slice(0, -2)), Buffer.from([0xc3, 0x28]), Buffer.from('"}')]);
    for (const bytes of [cut, Buffer.from(text, "utf16le")]) {
      const reply = await send(service, "POST", "/v1/accounts", {
        body: new Uint8Array(bytes),
        headers: asJson,
      });
      expect(reply.status).toBe(400);
    }
    expect(await accounts()).toBe(before);
  });

  test("HT-11 a wrong method gets 405 with the real ones, a wrong type 415, an unknown path 404", async () => {
    const described = (await send(service, "GET", "/openapi.json")).json<{
      paths: Record<string, Record<string, unknown>>;
    }>();
    /** An address may be that of a call and stand where an id of another one could. */
    const methodsAt = (at: string) =>
      Object.entries(described.paths)
        .filter(([path]) => new RegExp(`^${path.replace(/\{[^}]+\}/g, "[^/]+")}$`).test(at))
        .flatMap(([, operations]) => Object.keys(operations).map((method) => method.toUpperCase()))
        .sort();
    for (const path of Object.keys(described.paths)) {
      const at = path.replace(/\{[^}]+\}/g, "0198f0c2-0000-7000-8000-000000000000");
      const real = methodsAt(at);
      for (const method of ["GET", "POST", "PUT", "PATCH", "DELETE"].filter((one) => !real.includes(one))) {
        const reply = await send(service, method, at);
        expect({ method, path, status: reply.status }).toEqual({ method, path, status: 405 });
        expect(reply.headers.get("allow")?.split(", ")).toEqual(real);
      }
    }
    for (const type of [
      "text/plain",
      "application/x-www-form-urlencoded",
      "multipart/form-data; boundary=x",
      "application/xml",
    ]) {
      const reply = await send(service, "POST", "/v1/accounts", {
        body: JSON.stringify(registration),
        headers: { "content-type": type },
      });
      expect(reply.status).toBe(415);
    }
    const charset = { "content-type": "application/json; charset=utf-8" };
    expect(
      (
        await send(service, "POST", "/v1/accounts", {
          body: JSON.stringify({ ...registration, email: "charset@brina.example" }),
          headers: charset,
        })
      ).status,
    ).toBe(201);
    expect((await send(service, "GET", "/v1/nonsense")).json()).toMatchObject({
      code: "not-found",
      status: 404,
    });
    expect((await send(service, "POST", "/oauth/token", { body: "{}", headers: asJson })).status).toBe(415);
  });

  test("a wrong type is told as such, and what is missing as missing", async () => {
    const reply = await send(service, "POST", "/v1/mail-links", json({ identifier: ["a"], returnTo: 5 }));
    expect(reply.json<{ errors: unknown[] }>().errors).toEqual([
      expect.objectContaining({ path: "purpose" }),
      {
        path: "identifier",
        code: "wrong-type",
        parameters: { expected: "text" },
        message: "This must be text.",
      },
      {
        path: "returnTo",
        code: "wrong-type",
        parameters: { expected: "text" },
        message: "This must be text.",
      },
    ]);
    expect(reply.json()).toMatchObject({
      detail: expect.stringContaining("identifier: This must be text."),
    });
    const missing = await send(service, "POST", "/v1/account/email", json({}));
    expect(missing.status).toBe(401);
    const secretless = await send(service, "POST", "/v1/mail-links/redeem", json({}));
    expect(secretless.json()).toMatchObject({
      errors: [{ path: "secret", code: "missing", parameters: {}, message: "This is missing." }],
    });
    const union = await send(service, "POST", "/v1/sign-in", json({ proof: { type: "nonsense" } }));
    expect(union.json()).toMatchObject({ status: 400, errors: [{ path: "proof.type" }] });
  });

  test("HT-7 a body one byte over the limit is refused, announced or not", async () => {
    const body = JSON.stringify({ ...registration, displayName: "x".repeat(64 * 1024) });
    expect((await send(service, "POST", "/v1/accounts", { body, headers: asJson })).status).toBe(413);
    const stream = new ReadableStream({
      start(controller) {
        controller.enqueue(new TextEncoder().encode(body));
        controller.close();
      },
    });
    const reply = await fetch(`${service.url}/v1/accounts`, {
      method: "POST",
      body: stream,
      headers: asJson,
      duplex: "half",
    } as RequestInit);
    expect(reply.status).toBe(413);
  });

  test("HT-7 a connection has some requests under way at once, and is ended when there are too many", async () => {
    const { port } = new URL(service.url);
    const pipelined = (count: number) =>
      new Promise<number>((resolve) => {
        const socket = connect(Number(port), "127.0.0.1");
        const one = `GET /healthz HTTP/1.1\r\nHost: localhost:${port}\r\n\r\n`;
        let text = "";
        const answered = () => text.split("HTTP/1.1 200").length - 1;
        socket.on("data", (chunk: Buffer) => {
          text += chunk.toString();
          if (answered() === count) socket.end();
        });
        socket.on("error", () => undefined);
        socket.on("close", () => resolve(answered()));
        socket.write(one.repeat(count));
      });
    expect(await pipelined(20)).toBe(20);
    expect(await pipelined(500)).toBeLessThan(500);
    expect((await send(service, "GET", "/healthz")).status).toBe(200);
  });

  test("HT-7 a body that drips in past the time limit ends its connection; others are served meanwhile", async () => {
    const quick = await startService({
      beside: service,
      settings: { LUCCHETTO_LISTEN_REQUEST_TIMEOUT: "3s" },
    });
    const { port } = new URL(quick.url);
    try {
      // At a call that takes the ordinary way, and at the one that takes the short way.
      const ended = ["/v1/accounts", "/oauth/introspect"].map(async (path) => {
        const socket = connect(Number(port), "127.0.0.1");
        const type = path === "/oauth/introspect" ? "application/x-www-form-urlencoded" : "application/json";
        socket.write(
          `POST ${path} HTTP/1.1\r\nHost: localhost:${port}\r\nAuthorization: Basic eDp5\r\nContent-Type: ${type}\r\nContent-Length: 53\r\n\r\n`,
        );
        const drip = setInterval(() => socket.write("t"), 100);
        let answer = "";
        socket.on("data", (chunk: Buffer) => (answer += chunk.toString()));
        socket.on("error", () => undefined);
        await new Promise((resolve) => socket.once("close", resolve));
        clearInterval(drip);
        return answer;
      });
      expect((await send(quick, "GET", "/healthz")).status).toBe(200);
      for (const answer of await Promise.all(ended))
        expect(answer).toMatch(/^HTTP\/1\.1 408 .*request-timeout/s);
      expect((await send(quick, "GET", "/healthz")).status).toBe(200);
    } finally {
      await quick.stop();
    }
  });

  test.each([
    ["what is not HTTP", "nonsense\r\n\r\n", 400],
    [
      "headers without end",
      `GET /healthz HTTP/1.1\r\nHost: localhost\r\nX: ${"x".repeat(40_000)}\r\n\r\n`,
      431,
    ],
    [
      "an address that cannot be decoded",
      "GET /v1/%zz HTTP/1.1\r\nHost: localhost\r\nConnection: close\r\n\r\n",
      400,
    ],
    [
      "a path out of the static files",
      "GET /assets/../../package.json HTTP/1.1\r\nHost: localhost\r\nConnection: close\r\n\r\n",
      404,
    ],
    [
      "the same in disguise",
      "GET /assets/%2e%2e/%2e%2e/package.json HTTP/1.1\r\nHost: localhost\r\nConnection: close\r\n\r\n",
      404,
    ],
    [
      "an id far too long",
      `GET /v1/operator/accounts/${"x".repeat(300)} HTTP/1.1\r\nHost: localhost\r\nConnection: close\r\n\r\n`,
      414,
    ],
    [
      "S12 two Host headers",
      "GET /v1/sign-in HTTP/1.1\r\nHost: localhost\r\nhost: localhost\r\nConnection: close\r\n\r\n",
      400,
    ],
    [
      "S12 two Host headers before a check of tokens",
      `POST /oauth/introspect HTTP/1.1\r\nHost: localhost\r\nHOST: elsewhere.example\r\nConnection: close\r\nAuthorization: Basic YTpi\r\nContent-Type: application/x-www-form-urlencoded\r\nContent-Length: 53\r\n\r\ntoken=lck_${"x".repeat(43)}`,
      400,
    ],
  ])("%s still gets a problem", async (_what, raw, status) => {
    const answer = await new Promise<string>((resolve) => {
      let text = "";
      const socket = connect(Number(new URL(service.url).port), "127.0.0.1", () => socket.write(raw));
      socket.on("data", (chunk) => (text += chunk.toString()));
      socket.on("close", () => resolve(text));
      socket.on("error", () => resolve(text));
    });
    expect(answer.startsWith(`HTTP/1.1 ${status}`)).toBe(true);
    expect(answer).toContain("application/problem+json");
    expect(answer).not.toMatch(/at .*\.(ts|js):\d+/);
  });
});

describe("who may call", () => {
  test("HT-10 without, with a dead and with a malformed token the answer is 401 with a challenge; without the label 403", async () => {
    const dead = (await service.register("dead@brina.example")).token;
    await service.as(dead)(routes.signOut);
    const guarded = Object.values(routes).filter(
      ({ access }) => access === "session" || access === "operator",
    );
    for (const { method, path, access } of guarded) {
      const at = path.replace(/:[A-Za-z]+/g, "0198f0c2-0000-7000-8000-000000000000");
      for (const authorization of [
        undefined,
        `Bearer ${dead}`,
        "Bearer",
        "Basic eDp5",
        "Bearer lcs_short",
        `Bearer ${"x".repeat(3_000)}`,
      ]) {
        const reply = await send(service, method, at, {
          headers: authorization === undefined ? {} : { authorization },
        });
        expect({ method, path, authorization, status: reply.status }).toEqual({
          method,
          path,
          authorization,
          status: 401,
        });
        expect(reply.headers.get("www-authenticate")).toMatch(/^Bearer/);
      }
      if (access === "operator") {
        const reply = await send(service, method, at, { headers: { authorization: `Bearer ${token}` } });
        expect(reply.status).toBe(403);
        expect(reply.headers.get("www-authenticate")).toBeNull();
      }
    }
  });

  test("HT-14 an operator's ids that name nothing answer like missing ones, and the label is asked for at every call", async () => {
    const operator = await service.operator();
    for (const id of ["0198f0c2-0000-7000-8000-000000000000", "nonsense", "%00", "' OR 1=1"]) {
      const reply = await send(service, "GET", `/v1/operator/accounts/${encodeURIComponent(id)}`, {
        headers: { authorization: `Bearer ${operator}` },
      });
      expect(reply.status).toBe(404);
    }
    await service.dataSource.query(
      "UPDATE account SET labels = '[]' WHERE emailKey = 'office@brina.example'",
    );
    const reply = await send(service, "GET", "/v1/operator/accounts", {
      headers: { authorization: `Bearer ${operator}` },
    });
    expect(reply.status).toBe(403);
    await service.dataSource.query(
      "UPDATE account SET labels = '[\"operator\"]' WHERE emailKey = 'office@brina.example'",
    );
  });

  test("lists go page by page, search takes what is there literally, and a made-up cursor is told", async () => {
    const operator = service.as(await service.operator());
    for (let index = 0; index < 5; index += 1) await service.register(`page${index}@brina.example`);
    const seen: string[] = [];
    let cursor: string | undefined;
    do {
      const { body } = await operator(routes.listAccounts, {
        query: { search: "PAGE", limit: 2, ...(cursor ? { cursor } : {}) },
      });
      seen.push(...body.items.map(({ email }) => email ?? ""));
      cursor = body.next ?? undefined;
    } while (cursor !== undefined);
    expect(seen).toEqual([4, 3, 2, 1, 0].map((index) => `page${index}@brina.example`));
    for (const search of ["%", "_", "\\", "' OR '1'='1"]) {
      expect((await operator(routes.listAccounts, { query: { search } })).body.items).toEqual([]);
    }
    await expect(operator(routes.listAccounts, { query: { cursor: "made-up" } })).rejects.toMatchObject({
      problem: { status: 400 },
    });
  });
});
