/** Which headers stand on which reply of what is shipped: one table, for every route and every way to answer. */
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import {
  MAILBOX_PAGE,
  mailHtmlPath,
  OAUTH_PATHS,
  PLAIN_PAGES,
  PROBLEMS,
  routes,
  SESSION_EVENTS_PATH,
  SIGN_OUT_PAGE,
  VISITED_PAGES,
} from "@lucchetto/contract";
import { addPasskey } from "../passkey.ts";
import type { TestService } from "../service.ts";
import { PASSWORD } from "../service.ts";
import { startShipped } from "../shipped-service.ts";
import { mailTo } from "../visitor.ts";
import type { Asked, Exchange } from "./exchange.ts";
import { exchange, exchangeRaw } from "./exchange.ts";

/** Of every reply. */
const ALWAYS = {
  "x-content-type-options": "nosniff",
  "referrer-policy": "no-referrer",
  "cross-origin-resource-policy": "same-origin",
  "cross-origin-opener-policy": "same-origin",
  "x-frame-options": "DENY",
  "x-request-id": expect.stringMatching(/^[0-9a-f-]{36}$/),
};
/** What is data may load nothing and is framed by nobody. */
const DATA = { ...ALWAYS, "content-security-policy": "default-src 'none';frame-ancestors 'none'" };
/** Pages load what is the service's own. */
const PAGE = {
  ...ALWAYS,
  "content-security-policy":
    "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; connect-src 'self'; frame-src 'self'; object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'",
  "cache-control": "no-store",
  "content-type": "text/html; charset=utf-8",
};
/** A mail's own page stands in a frame of the mailbox. */
const MAIL = {
  ...PAGE,
  "content-security-policy": expect.stringMatching(
    /^default-src 'none'; style-src 'unsafe-inline'; .*sandbox/,
  ),
  "x-frame-options": "SAMEORIGIN",
};
const AT_LEAST_A_YEAR = expect.stringMatching(/^max-age=(3[2-9]|[4-9]\d)\d{6}\b/);

const MODES = [
  ["development", undefined],
  ["production", "https://accounts.brina.example"],
] as const;

describe.each(MODES)("HT-3 HT-4 HT-5 RY-5 headers in %s", (mode, publicUrl) => {
  let service: TestService;
  let operator: string;
  beforeAll(async () => {
    service = await startShipped({
      byCommand: true,
      ...(publicUrl === undefined ? {} : { publicUrl }),
      looksInside: true,
      settings: { LUCCHETTO_LISTEN_REQUEST_TIMEOUT: "3s" },
    });
    operator = await service.operator();
  });
  afterAll(() => service.stop());

  const transport = mode === "production" ? { "strict-transport-security": AT_LEAST_A_YEAR } : {};
  const port = () => new URL(service.url).port;
  const cookie = () => (mode === "production" ? "__Host-lucchetto" : `lucchetto-${port()}`);
  const asHtml = { accept: "text/html" };

  /** What each reply lacks of the table, or has too much. */
  const lacks = ({ headers }: Exchange, wanted: object) => {
    const all = { ...wanted, ...transport };
    const has = Object.fromEntries(Object.keys(all).map((name) => [name, headers[name]]));
    const surplus = mode === "production" ? undefined : headers["strict-transport-security"];
    return { has, all, surplus };
  };
  const hold = (what: string, reply: Exchange, wanted: object) => {
    const { has, all, surplus } = lacks(reply, wanted);
    expect({ what, has, surplus }).toEqual({ what, has: all, surplus: undefined });
  };

  test("every call, to whoever is not signed in and to an operator", async () => {
    const id = "0190b6a2-0000-7000-8000-000000000000";
    const seen = new Set<number>();
    for (const { method, path } of Object.values(routes)) {
      for (const authorization of [undefined, `Bearer ${operator}`]) {
        // What would end the session that asks is left for the end.
        if (authorization !== undefined && method === "DELETE") continue;
        const reply = await exchange(service.url, {
          method,
          path: path.replace(/:\w+/g, id),
          headers: {
            ...(authorization === undefined ? {} : { authorization }),
            ...(method === "GET" ? {} : { "content-type": "application/json" }),
          },
          ...(method === "GET" ? {} : { body: "{}" }),
        });
        seen.add(reply.status);
        hold(`${method} ${path} ${reply.status}`, reply, DATA);
        expect(reply.headers["cache-control"]).toBe("no-store");
      }
    }
    expect([...seen]).toEqual(expect.arrayContaining([200, 202, 400, 401, 404]));
  });

  test("every page, those of problems, and those that are not there", async () => {
    const pages = [
      ...PLAIN_PAGES,
      ...VISITED_PAGES,
      SIGN_OUT_PAGE,
      "/console",
      "/console/accounts",
      ...(mode === "development" ? [MAILBOX_PAGE] : []),
      ...Object.keys(PROBLEMS).map((code) => `/problems/${code}`),
    ];
    for (const path of pages) {
      const reply = await exchange(service.url, { path, headers: asHtml });
      expect([path, reply.status]).toEqual([path, 200]);
      hold(path, reply, PAGE);
      hold(`HEAD ${path}`, await exchange(service.url, { method: "HEAD", path, headers: asHtml }), PAGE);
    }
    for (const path of ["/no-such-page", "/problems/nonsense", "/account/x"]) {
      const reply = await exchange(service.url, { path, headers: asHtml });
      expect(reply.status).toBe(404);
      hold(path, reply, PAGE);
    }
    if (mode === "production") hold(MAILBOX_PAGE, await exchange(service.url, { path: MAILBOX_PAGE }), DATA);
  });

  test("everything that a page loads", async () => {
    const found = new Set<string>();
    for (const path of ["/sign-in", "/console"]) {
      const { body } = await exchange(service.url, { path, headers: asHtml });
      for (const [, address = ""] of body.matchAll(/(?:src|href)="([^"]+)"/g))
        if (address.startsWith("/")) found.add(address);
    }
    expect([...found].some((address) => address.endsWith(".js"))).toBe(true);
    expect([...found].some((address) => address.endsWith(".css"))).toBe(true);
    if (mode === "development") expect([...found].some((address) => address.includes("inside"))).toBe(true);
    for (const path of found) {
      const reply = await exchange(service.url, { path, headers: { "accept-encoding": "br" } });
      expect([path, reply.status]).toEqual([path, 200]);
      hold(path, reply, DATA);
    }
    hold("a missing one", await exchange(service.url, { path: "/assets/none.js" }), DATA);
  });

  test("what is for programs: health, metrics, descriptions, metadata, and the standards' endpoints", async () => {
    const paths = ["/healthz", "/readyz", "/metrics", "/openapi.json", OAUTH_PATHS.metadata];
    for (const path of paths) {
      const reply = await exchange(service.url, { path });
      expect([path, reply.status]).toEqual([path, 200]);
      // The public metadata may be read from everywhere.
      const isPublic = path === OAUTH_PATHS.metadata;
      hold(path, reply, isPublic ? { ...DATA, "cross-origin-resource-policy": expect.anything() } : DATA);
    }
    for (const path of Object.values(OAUTH_PATHS))
      for (const method of ["GET", "POST", "OPTIONS", "PUT"]) {
        const reply = await exchange(service.url, { method, path });
        hold(`${method} ${path} ${reply.status}`, reply, {
          ...((reply.headers["content-type"] ?? "").startsWith("text/html") ? PAGE : DATA),
          ...(path === OAUTH_PATHS.metadata ? { "cross-origin-resource-policy": expect.anything() } : {}),
        });
      }
    const wellKnown = "/.well-known/webauthn";
    hold(wellKnown, await exchange(service.url, { path: wellKnown }), DATA);
  });

  test("redirects, and the stream of a session", async () => {
    for (const path of ["/", "/.well-known/change-password"]) {
      const reply = await exchange(service.url, { path, headers: asHtml });
      expect([path, reply.status]).toEqual([path, 303]);
      hold(path, reply, DATA);
    }
    if (mode === "development") {
      const other = await exchange(service.url, {
        path: "/sign-in",
        headers: { ...asHtml, host: `127.0.0.1:${port()}` },
      });
      expect(other.status).toBe(307);
      hold("another loopback name", other, DATA);
    }
    const stream = {
      path: SESSION_EVENTS_PATH,
      headers: { cookie: `${cookie()}=${operator}`, "sec-fetch-site": "same-origin" },
    };
    const open = await exchange(service.url, stream);
    expect([open.status, open.headers["content-type"]]).toEqual([200, "text/event-stream"]);
    hold("an open stream", open, DATA);
    hold("no stream", await exchange(service.url, { path: SESSION_EVENTS_PATH }), DATA);
  });

  test("what an application is told, by the short way and by the long one", async () => {
    const { body: added } = await service.as(operator)(routes.addApp, {
      body: { name: "Hut book", redirectUris: ["http://localhost:9999/signed-in"] },
    });
    const { clientId } = added.app;
    const basic = `Basic ${Buffer.from(`${clientId}:${added.key}`).toString("base64")}`;
    const form = "application/x-www-form-urlencoded";
    const token = `lck_${"A".repeat(43)}`;
    const asked: Array<Pick<Asked, "path" | "body"> & { type: string }> = [
      { path: OAUTH_PATHS.introspect, type: form, body: `token=${token}` },
      { path: OAUTH_PATHS.introspect, type: form, body: `token_type_hint=x&token=${token}` },
      { path: routes.checkTokens.path, type: "application/json", body: JSON.stringify({ tokens: [token] }) },
      { path: routes.checkTokens.path, type: "application/json", body: JSON.stringify({ tokens: ["x"] }) },
      { path: OAUTH_PATHS.revoke, type: form, body: `token=${token}` },
    ];
    for (const { path, type, body = "" } of asked) {
      const headers = { authorization: basic, "content-type": type, "content-length": String(body.length) };
      const reply = await exchange(service.url, { method: "POST", path, headers, body });
      expect([path, reply.status]).toEqual([path, 200]);
      hold(`${path} ${body}`, reply, DATA);
    }
    const query = new URLSearchParams({
      response_type: "code",
      client_id: clientId,
      redirect_uri: "http://localhost:9999/signed-in",
      code_challenge: "A".repeat(43),
      code_challenge_method: "S256",
    }).toString();
    const way = await exchange(service.url, { path: `${OAUTH_PATHS.authorize}?${query}`, headers: asHtml });
    expect(way.status).toBe(303);
    hold("to the sign-in page", way, DATA);
  });

  test("errors, also of what is no request at all", async () => {
    const call = routes.signIn.path;
    const asJson = { "content-type": "application/json" };
    const proof = { type: "password", identifier: "nobody@brina.example", password: PASSWORD };
    const signIn = JSON.stringify({ proof });
    const errors: Array<[number, Asked]> = [
      [405, { method: "PUT", path: call }],
      [404, { path: "/v1/nothing" }],
      [404, { path: "/v1/operator/x", headers: asHtml }],
      [415, { method: "POST", path: call, headers: { "content-type": "text/plain" }, body: "x" }],
      [413, { method: "POST", path: call, headers: asJson, body: `"${"x".repeat(70_000)}"` }],
      [400, { method: "POST", path: call, headers: asJson, body: "{" }],
      [400, { path: "/%ff" }],
      [421, { path: "/sign-in", headers: { host: "evil.example" } }],
      [
        403,
        { method: "POST", path: call, headers: { ...asJson, origin: "https://evil.example" }, body: signIn },
      ],
      [405, { method: "OPTIONS", path: call, headers: { origin: "https://evil.example" } }],
    ];
    for (const [status, asked] of errors) {
      const reply = await exchange(service.url, asked);
      const what = `${asked.method ?? "GET"} ${asked.path}`;
      expect([what, reply.status]).toEqual([what, status]);
      hold(what, reply, DATA);
    }
    const host = `Host: localhost:${port()}\r\n`;
    for (const [status, bytes] of [
      [400, "no HTTP\r\n\r\n"],
      [431, `GET / HTTP/1.1\r\n${host}X-Long: ${"x".repeat(20_000)}\r\n\r\n`],
      // Begun and never ended.
      [408, `POST ${call} HTTP/1.1\r\n${host}Content-Type: application/json\r\nContent-Length: 10\r\n\r\n{`],
    ] as const) {
      const reply = await exchangeRaw(service.url, bytes);
      expect(reply.status).toBe(status);
      hold(`bytes answered with ${status}`, reply, DATA);
    }
  });

  test("replies to people: registered, signed in, a passkey added, signed out", async () => {
    const json = { "content-type": "application/json", origin: publicUrl ?? service.url };
    const email = "anna@brina.example";
    const registered = await exchange(service.url, {
      method: "POST",
      path: routes.register.path,
      headers: json,
      body: JSON.stringify({ email, password: PASSWORD }),
    });
    expect(registered.status).toBe(201);
    hold("registered", registered, DATA);
    const token = await service.signIn(email);
    const added = await addPasskey(service, token, { origin: publicUrl ?? service.url });
    const headers = { authorization: `Bearer ${added.token ?? ""}` };
    hold("the session", await exchange(service.url, { path: routes.showSession.path, headers }), DATA);
    if (mode === "development") {
      const { id } = await mailTo(service, email, "verify");
      const mail = await exchange(service.url, { path: mailHtmlPath(id), headers: asHtml });
      expect(mail.status).toBe(200);
      hold("a mail", mail, MAIL);
    }
    const out = await exchange(service.url, { method: "DELETE", path: routes.signOut.path, headers });
    expect(out.status).toBe(204);
    hold("signed out", out, DATA);
  });
});
