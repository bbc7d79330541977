/** The hasp in front of applications of every style, with people made up by the test helper: no service runs. */
import type { Server } from "node:http";
import type { AddressInfo } from "node:net";
import { afterEach, describe, expect, test } from "@jest/globals";
import type { HaspOptions } from "@lucchetto/hasp";
import { createHasp, HaspOptionsError } from "@lucchetto/hasp";
import { expressHasp } from "@lucchetto/hasp/express";
import { fastifyHasp } from "@lucchetto/hasp/fastify";
import type { TestPerson } from "@lucchetto/hasp/testing";
import { testAccounts } from "@lucchetto/hasp/testing";
import { webHasp } from "@lucchetto/hasp/web";
import express from "express";
import fc from "fast-check";
import type { FastifyBaseLogger } from "fastify";
import Fastify from "fastify";
import { pino } from "pino";

const html = { accept: "text/html" };
const ANNA: TestPerson = { displayName: "Anna", email: "anna@brina.example", labels: ["keeper"] };
const BASIC = `Basic realm="http://localhost", charset="UTF-8"`;

describe("for an application's own tests", () => {
  async function application(more: Partial<HaspOptions> = {}) {
    const accounts = testAccounts();
    const lines: string[] = [];
    const log = pino({ level: "warn" }, { write: (line: string) => void lines.push(line) });
    const app = Fastify({ loggerInstance: log as FastifyBaseLogger });
    await app.register(fastifyHasp, { ...accounts.options, ...more });
    app.get("/", { preHandler: app.hasp.open() }, async ({ account }) => account?.displayName ?? "guest");
    app.get("/members", { preHandler: app.hasp.closed() }, async ({ account }) => account);
    app.get("/keepers", { preHandler: app.hasp.closed({ label: "keeper" }) }, async () => "ledger");
    app.get("/money", { preHandler: app.hasp.closed({ level: 2 }) }, async () => "money");
    app.post("/money", { preHandler: app.hasp.closed({ level: 2 }) }, async () => "money");
    app.get("/erase", { preHandler: app.hasp.closed({ freshWithin: 300 }) }, async () => "erased");
    app.get("/people", { preHandler: app.hasp.closed({ accessKeys: false }) }, async () => "people");
    app.get("/kept", { preHandler: app.hasp.closed() }, async (_request, reply) =>
      reply.header("cache-control", "public, max-age=60").send("kept"),
    );
    const get = (url: string, headers: Record<string, string> = {}, method: "GET" | "POST" = "GET") =>
      app.inject({ url, headers, method });
    return { accounts, get, app, lines };
  }

  test("as this account, as a script, and ended; the same answers as with a service", async () => {
    const { accounts, get } = await application();
    expect((await get("/")).body).toBe("guest");
    const anna = accounts.as(ANNA);
    expect((await get("/", anna)).body).toBe("Anna");
    expect((await get("/members", anna)).json()).toMatchObject({
      displayName: "Anna",
      labels: ["keeper"],
      session: { aal: 1 },
      accessKey: null,
    });
    expect((await get("/keepers", accounts.as({ displayName: "Bruno" }))).json()).toMatchObject({
      status: 403,
      code: "label-missing",
    });
    const away = await get("/members?a=1", html);
    expect(away.statusCode).toBe(303);
    expect(away.headers.location).toMatch(/^https:\/\/accounts\.test\/oauth\/authorize\?/);
    accounts.end(anna);
    expect((await get("/members", anna)).statusCode).toBe(401);
    accounts.setReachable(false);
    expect((await get("/members", accounts.as(ANNA))).statusCode).toBe(503);
    expect((await get("/", accounts.as(ANNA))).body).toBe("guest");
  });

  test("it cannot be left in by mistake", () => {
    const before = process.env["NODE_ENV"];
    process.env["NODE_ENV"] = "production";
    try {
      expect(() => createHasp(testAccounts().options)).toThrow(/testing: found in production/);
    } finally {
      process.env["NODE_ENV"] = before;
    }
  });

  test("access keys come in as Bearer and as HTTP Basic; a wrong one gets 401 with the challenges", async () => {
    const { accounts, get } = await application();
    const script = accounts.asScript(ANNA);
    expect((await get("/members", script)).json()).toMatchObject({
      displayName: "Anna",
      session: null,
      accessKey: { id: expect.any(String) },
    });
    const key = script.authorization.replace("Bearer ", "");
    const basic = { authorization: `Basic ${Buffer.from(`anna:${key}`).toString("base64")}` };
    expect((await get("/keepers", basic)).body).toBe("ledger");
    const wrong = Buffer.from("anna:lca_wrong").toString("base64");
    for (const authorization of ["Bearer lca_wrong", `Basic ${wrong}`]) {
      // A signed-in browser's cookie does not make up for it.
      const reply = await get("/members", { ...accounts.as(ANNA), ...html, authorization });
      expect(reply.statusCode).toBe(401);
      expect(reply.headers["www-authenticate"]).toEqual([
        'Bearer realm="http://localhost", error="invalid_token"',
        BASIC,
      ]);
    }
    // What was meant for a server before this one is nobody's here, and takes nobody's session away.
    for (const authorization of ["Bearer something", "Basic !", "Digest x", "Basic YQ==", "Basic YTpi"]) {
      expect((await get("/members", { authorization })).statusCode).toBe(401);
      expect((await get("/members", { ...accounts.as(ANNA), authorization })).statusCode).toBe(200);
    }
    expect((await get("/people", script)).json()).toMatchObject({ code: "step-up-required" });
    // Browsers would ask for a password in a window of their own.
    const fetched = await get("/members", { "sec-fetch-site": "same-origin" });
    expect(fetched.headers["www-authenticate"]).toEqual(['Bearer realm="http://localhost"']);
    const foreign = { ...basic, origin: "https://evil.test" };
    expect((await get("/money", foreign, "POST")).json()).toMatchObject({ code: "foreign-origin" });
  });

  test("people's own passwords: a wrong one is called wrong; browsers are asked where that is wanted", async () => {
    const wrong = { authorization: `Basic ${Buffer.from("anna:not the password").toString("base64")}` };
    const { get } = await application({ basicPasswords: true });
    const refused = await get("/members", wrong);
    expect(refused.json()).toMatchObject({
      status: 401,
      detail: "The name or the password in the Authorization header is wrong.",
    });
    expect((await get("/members", html)).statusCode).toBe(303);
    const { get: prompting } = await application({ basicPasswords: "prompt" });
    for (const headers of [html, { ...html, "sec-fetch-site": "none" }, { ...html, ...wrong }]) {
      const asked = await prompting("/members", headers);
      expect([asked.statusCode, asked.headers["www-authenticate"]]).toEqual([401, BASIC]);
      expect(asked.body).toContain("This page is for people who are signed in");
    }
    const program = await prompting("/members", wrong);
    expect(program.headers["www-authenticate"]?.[0]).toBe(BASIC);
    expect(() => createHasp({ ...testAccounts().options, basicPasswords: "promt" as "prompt" })).toThrow(
      'basicPasswords: found "promt", expected true, false or "prompt"',
    );
  });

  test("RFC 9470: a missing level or freshness is asked for, of people by the way round, of programs by the challenge", async () => {
    const { accounts, get } = await application();
    const one = accounts.as(ANNA);
    expect((await get("/money", accounts.as({ ...ANNA, level: 2 }))).body).toBe("money");
    const program = await get("/money", one);
    expect(program.statusCode).toBe(401);
    expect(program.headers["www-authenticate"]).toMatch(
      /^Bearer realm="http:\/\/localhost", error="insufficient_user_authentication", error_description="[^"]+", acr_values="aal2"$/,
    );
    const person = await get("/money", { ...one, ...html });
    expect(new URL(person.headers.location as string).searchParams.get("acr_values")).toBe("aal2");
    const old = accounts.as({ ...ANNA, secondsSinceProof: 301 });
    expect((await get("/erase", old)).headers["www-authenticate"]).toContain('max_age="300"');
    const asked = await get("/erase", { ...old, ...html });
    expect(new URL(asked.headers.location as string).searchParams.get("max_age")).toBe("300");
    expect((await get("/erase", accounts.as({ ...ANNA, secondsSinceProof: 300 }))).body).toBe("erased");
    expect((await get("/erase", accounts.asScript(ANNA))).json()).toMatchObject({ code: "step-up-required" });
    const { app } = await application();
    expect(() => app.hasp.closed({ freshWithin: 59 })).toThrow(/at least 60 seconds/);
  });

  test("a closed page that browsers may keep is told once, in development", async () => {
    const { accounts, get, lines } = await application();
    const anna = accounts.as(ANNA);
    await get("/members", anna);
    await get("/members", html);
    expect(lines).toEqual([]);
    await get("/kept", anna);
    await get("/kept", anna);
    expect(lines).toHaveLength(1);
    expect(lines[0]).toMatch(/GET \/kept is closed, but its reply may be kept by browsers/);
    const production = await application({ development: false });
    await production.get("/kept", production.accounts.as(ANNA));
    expect(production.lines).toEqual([]);
  });
});

describe("paths closed or open without each route saying so", () => {
  async function application(guard: HaspOptions["guard"]) {
    const accounts = testAccounts();
    const app = Fastify();
    await app.register(fastifyHasp, { ...accounts.options, ...(guard === undefined ? {} : { guard }) });
    app.get("/*", async ({ account }) => account?.displayName ?? "guest");
    return { accounts, get: (url: string, headers = {}) => app.inject({ url, headers }) };
  }

  test("all closed but some: only a plainly written open path is open", async () => {
    const { accounts, get } = await application({ open: ["/", "/about/*"] });
    for (const open of ["/", "/?a=/members", "/about", "/about/us"])
      expect((await get(open)).body).toBe("guest");
    for (const path of [
      "/members",
      "/aboutus",
      "/about/../members",
      "/about/%2e%2e/members",
      "/about//x",
      "/ABOUT",
    ])
      expect((await get(path)).statusCode).toBe(401);
    expect((await get("/members", accounts.as(ANNA))).body).toBe("Anna");
  });

  test("all open but some: a closed path is closed in every spelling", async () => {
    const { accounts, get } = await application({
      closed: ["/members/*", { path: "/ledger", label: "keeper" }],
    });
    for (const open of ["/", "/membersclub", "/ledger/public"]) expect((await get(open)).body).toBe("guest");
    for (const path of [
      "/members",
      "/members/",
      "/MEMBERS/x",
      "//members",
      "/%6dembers/x",
      "/%256dembers",
      "/open/../members",
      "/./members",
      "/members;a=1/x",
      "/open%2f..%2fmembers",
      "/ledger/",
    ])
      expect((await get(path)).statusCode).toBe(401);
    expect((await get("/ledger", accounts.as({ displayName: "Bruno" }))).statusCode).toBe(403);
    expect((await get("/ledger", accounts.as(ANNA))).body).toBe("Anna");
  });

  test("no spelling of letters opens a closed path", async () => {
    const { get } = await application({ closed: ["/members/*"] });
    const encode = (text: string, choices: readonly number[]) =>
      [...text]
        .map((letter, at) => {
          const hex = letter.charCodeAt(0).toString(16).padStart(2, "0");
          return [letter, letter.toUpperCase(), `%${hex}`, `%25${hex}`][choices[at % choices.length] ?? 0];
        })
        .join("");
    await fc.assert(
      fc.asyncProperty(fc.array(fc.nat(3), { minLength: 1, maxLength: 8 }), async (choices) => {
        expect((await get(`/${encode("members", choices)}/x`)).statusCode).toBe(401);
      }),
      { numRuns: 60 },
    );
  });

  test("a guard that cannot be meant is refused, with the place", () => {
    const { options } = testAccounts();
    for (const guard of [
      { open: ["about"] },
      { closed: ["/a*b"] },
      { closed: [{ path: "/a", freshWithin: 1 }] },
    ])
      expect(() => createHasp({ ...options, guard })).toThrow(/^guard\.0: /);
    expect(() => createHasp({ ...options, keepAnswersFor: 61_000 })).toThrow(HaspOptionsError);
  });
});

describe("answers used again, at a price", () => {
  async function application(options: Partial<HaspOptions>) {
    const accounts = testAccounts();
    const hasp = createHasp({ ...accounts.options, ...options });
    const headers = accounts.as(ANNA);
    const visit = { method: "GET", url: "/", headers };
    return { accounts, headers, may: async (wanted = {}) => "account" in (await hasp.closed(visit, wanted)) };
  }

  test("off: what has ended has ended; on: for that long it goes on, but never where freshness is asked", async () => {
    const off = await application({});
    expect(await off.may()).toBe(true);
    off.accounts.end(off.headers);
    expect(await off.may()).toBe(false);
    const on = await application({ keepAnswersFor: 60_000 });
    expect(await on.may()).toBe(true);
    on.accounts.end(on.headers);
    expect(await on.may()).toBe(true);
    expect(await on.may({ freshWithin: 60 })).toBe(false);
    expect(await on.may()).toBe(false);
  });

  test("while Lucchetto cannot be reached: closed, or whoever was known a moment ago", async () => {
    const closed = await application({});
    expect(await closed.may()).toBe(true);
    closed.accounts.setReachable(false);
    expect(await closed.may()).toBe(false);
    const known = await application({ whenUnreachable: "last-known" });
    known.accounts.setReachable(false);
    expect(await known.may()).toBe(false);
    known.accounts.setReachable(true);
    expect(await known.may()).toBe(true);
    known.accounts.setReachable(false);
    expect(await known.may()).toBe(true);
    expect(await known.may({ freshWithin: 600 })).toBe(false);
    known.accounts.setReachable(true);
    known.accounts.end(known.headers);
    expect(await known.may()).toBe(false);
    known.accounts.setReachable(false);
    expect(await known.may()).toBe(false);
  });
});

describe("a sign-in begun elsewhere (OpenID Connect Core, section 4)", () => {
  const hasp = webHasp(testAccounts().options);
  const begin = (members: Record<string, string>) =>
    hasp.own(
      new Request(`http://localhost/sign-in?${new URLSearchParams(members).toString()}`, { headers: html }),
    );
  const iss = "https://accounts.test";

  test("WH-2 the page travels, if it is this application's own; nothing else of the address counts", async () => {
    const wanted = async (target: string) => {
      const reply = await begin({ iss, target_link_uri: target, login_hint: "anna", code: "x", state: "y" });
      expect(reply?.status).toBe(303);
      expect(reply?.headers.getSetCookie().join()).not.toContain("-check");
      const asked = new URL(reply?.headers.get("location") ?? "").searchParams;
      expect([...asked.keys()]).not.toContain("login_hint");
      return asked.get("target_link_uri");
    };
    const { origin } = new URL(testAccounts().options.returnAddress);
    expect(await wanted(`${origin}/members?day=2`)).toBe(`${origin}/members?day=2`);
    for (const foreign of [
      "https://evil.test/members",
      `${origin}@evil.test/`,
      "javascript:alert(1)",
      "//evil.test",
      "",
    ])
      expect(await wanted(foreign)).toBe(`${origin}/`);
  });

  test("another service begins nothing here", async () => {
    for (const other of ["https://evil.test", "", `${iss}/`, `${iss}.evil.test`]) {
      const reply = await begin({ iss: other, target_link_uri: "http://localhost/members" });
      expect(reply?.status).toBe(400);
      expect(reply?.headers.getSetCookie()).toEqual([]);
      expect(await reply?.text()).toContain("expected service");
    }
  });
});

describe("a silent question", () => {
  const hasp = webHasp({ ...testAccounts().options, askSilently: true });
  const ask = (url: string, headers: Record<string, string> = {}) =>
    new Request(new URL(url, "http://localhost"), { headers: { ...html, ...headers } });

  test("a browser that keeps no cookies is asked once, and sees the page", async () => {
    const away = hasp.askSilently(ask("/hut?day=2"));
    const asked = new URL(away?.headers.get("location") ?? "").searchParams;
    expect(asked.get("prompt")).toBe("none");
    const back = new URLSearchParams({
      error: "login_required",
      state: asked.get("state") ?? "",
      iss: "https://accounts.test",
    });
    const answer = await hasp.own(ask(`/signed-in?${back.toString()}`));
    const page = answer?.headers.get("location") ?? "";
    expect([answer?.status, page]).toEqual([303, "/?asked=1"]);
    expect(hasp.askSilently(ask(page))).toBeNull();
  });

  test("what is no opening of a page is not asked", () => {
    expect(hasp.askSilently(ask("/", { "sec-fetch-mode": "cors" }))).toBeNull();
    expect(hasp.askSilently(ask("/", { accept: "application/json" }))).toBeNull();
    expect(hasp.askSilently(ask("/", { authorization: "Bearer lca_x" }))).toBeNull();
    // Known here a moment ago: Lucchetto may be away, and the page is shown all the same.
    expect(hasp.askSilently(ask("/", testAccounts().as(ANNA)))).toBeNull();
    expect(hasp.askSilently(new Request("http://localhost/", { method: "POST", headers: html }))).toBeNull();
    expect(webHasp(testAccounts().options).askSilently(ask("/"))).toBeNull();
  });
});

describe("a plain web Request", () => {
  test("own addresses, guests, accounts, labels and streams", async () => {
    const accounts = testAccounts();
    const hasp = webHasp({ ...accounts.options, guard: { closed: ["/guarded"] } });
    const ask = (path: string, headers: Record<string, string> = {}, method = "GET") =>
      new Request(`http://localhost${path}`, { headers, method });
    const anna = accounts.as(ANNA);
    expect(await hasp.own(ask("/"))).toBeNull();
    expect((await hasp.own(ask("/guarded")))?.status).toBe(401);
    expect(await hasp.own(ask("/guarded", anna))).toBeNull();
    expect(await hasp.open(ask("/"))).toBeNull();
    expect((await hasp.open(ask("/", anna)))?.displayName).toBe("Anna");
    const away = await hasp.own(ask("/sign-in?next=/members", html));
    expect(away?.status).toBe(303);
    expect(away?.headers.getSetCookie()).toHaveLength(1);
    const passage = await hasp.closed(ask("/members"), { label: "keeper" });
    if (!("answer" in passage)) throw new Error("let in");
    expect(passage.answer.headers.get("content-type")).toBe("application/problem+json");
    expect(await passage.answer.json()).toMatchObject({ code: "not-signed-in" });
    expect(await hasp.closed(ask("/members", anna), { label: "keeper" })).toHaveProperty("account");

    expect((await hasp.own(ask("/hasp-live")))?.status).toBe(204);
    const stream = await hasp.own(ask("/hasp-live", anna));
    expect(stream?.headers.get("content-type")).toBe("text/event-stream");
    const reader = stream?.body?.getReader();
    expect(new TextDecoder().decode((await reader?.read())?.value)).toBe("retry: 3000\n\n");
    accounts.end(anna);
    expect(new TextDecoder().decode((await reader?.read())?.value)).toContain("event: ended");
    expect((await hasp.own(ask("/hasp-live.js")))?.headers.get("content-type")).toMatch(/javascript/);
  });
});

describe("Express style", () => {
  let server: Server | null = null;
  afterEach(() => new Promise((resolve) => (server === null ? resolve(null) : server.close(resolve))));

  test("guard, and the warning of a page that may be kept", async () => {
    const accounts = testAccounts();
    const warnings: string[] = [];
    const hasp = expressHasp({
      ...accounts.options,
      guard: { closed: ["/guarded"] },
      warn: (text) => void warnings.push(text),
    });
    const app = express();
    app.use(hasp.own());
    app.get("/guarded", (request, response) => void response.json(request.account?.displayName));
    app.get("/kept", hasp.closed(), (_request, response) => {
      response.set("cache-control", "public, max-age=60").send("kept");
    });
    await new Promise<void>((resolve) => {
      server = app.listen(0, "127.0.0.1", () => resolve());
    });
    const url = `http://127.0.0.1:${(server!.address() as AddressInfo).port}`;
    expect((await fetch(`${url}/guarded`)).status).toBe(401);
    const anna = accounts.as(ANNA);
    const reply = await fetch(`${url}/Guarded/`, { headers: anna });
    expect(await reply.json()).toBe("Anna");
    expect(reply.headers.get("cache-control")).toBe("no-store");
    await (await fetch(`${url}/kept`, { headers: anna })).text();
    expect(warnings).toEqual([expect.stringMatching(/GET \/kept is closed/)]);
  });
});
