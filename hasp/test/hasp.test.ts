import type { Server } from "node:http";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import type { Answer, HaspOptions } from "@lucchetto/hasp";
import { createHasp, HaspOptionsError } from "@lucchetto/hasp";
import { expressHasp } from "@lucchetto/hasp/express";
import express from "express";
import { eventually } from "../../testing/eventually.ts";
import type { TestSampleApp } from "../../testing/sample-app.ts";
import { registerApp, startSampleApp } from "../../testing/sample-app.ts";
import type { TestService } from "../../testing/service.ts";
import { freePort, send } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";

let service: TestService;
let sample: TestSampleApp;
let expressServer: Server;
let expressOptions: HaspOptions;
let expressUrl: string;

beforeAll(async () => {
  service = await startShipped();
  await service.register("anna@brina.example");
  sample = await startSampleApp(service);
  const port = await freePort();
  expressUrl = `http://localhost:${port}`;
  expressOptions = await registerApp(service, port, "Express app");
  const hasp = expressHasp(expressOptions);
  const app = express();
  app.use(hasp.own());
  app.get(
    "/",
    hasp.open(),
    (request, response) => void response.json({ who: request.account?.email ?? "guest" }),
  );
  app.get(
    "/members",
    hasp.closed(),
    (request, response) => void response.json({ who: request.account?.email }),
  );
  app.get(
    "/keepers",
    hasp.closed({ label: "keeper" }),
    (_request, response) => void response.json({ ledger: true }),
  );
  await new Promise<void>((resolve) => {
    expressServer = app.listen(port, "127.0.0.1", () => resolve());
  });
});
afterAll(async () => {
  await new Promise((resolve) => expressServer.close(resolve));
  await sample.stop();
  await service.stop();
});

const asBrowser = { accept: "text/html" };
const pairs = (headers: Headers) => headers.getSetCookie().map((one) => one.split(";", 1)[0] ?? "");
const ownCookie = (token: string) => ({ cookie: `lucchetto-${new URL(service.url).port}=${token}` });

/** Leaves the application as a guest; gives the way out and the cookie that waits for the return. */
async function depart(url: string, path = "/members") {
  const reply = await send({ url }, "GET", path, { headers: asBrowser });
  return {
    status: reply.status,
    location: new URL(reply.headers.get("location") ?? ""),
    cookies: pairs(reply.headers),
  };
}
/** Lets Lucchetto answer for a signed-in person; gives the return address with code and state. */
async function answerFor(token: string, location: URL): Promise<URL> {
  const reply = await send(service, "GET", location.pathname + location.search, {
    headers: ownCookie(token),
  });
  return new URL(reply.headers.get("location") ?? "");
}
/** The whole dance; gives the application's cookie. */
async function signInAt(url: string, path = "/members") {
  const token = await service.signIn("anna@brina.example");
  const { location, cookies } = await depart(url, path);
  const back = await answerFor(token, location);
  const reply = await send({ url }, "GET", back.pathname + back.search, {
    headers: { cookie: cookies.join("; ") },
  });
  const cookie = pairs(reply.headers).find((pair) => pair.includes("-check-")) ?? "";
  return {
    token,
    cookie,
    next: reply.headers.get("location"),
    back,
    cookies,
    setCookies: reply.headers.getSetCookie(),
  };
}

describe.each([
  ["Fastify", () => sample.url],
  ["Express", () => expressUrl],
])("the hasp in %s", (_framework, urlOf) => {
  test("sends a guest off and brings the person back to the page they wanted, query and all", async () => {
    const { status, location } = await depart(urlOf());
    expect(status).toBe(303);
    expect(location.origin).toBe(service.url);
    expect(location.searchParams.get("code_challenge_method")).toBe("S256");
    const { cookie, next } = await signInAt(urlOf(), "/members?hut=falco&night=2");
    expect(next).toBe("/members?hut=falco&night=2");
    const page = await send({ url: urlOf() }, "GET", "/members", { headers: { cookie, ...asBrowser } });
    expect(page.status).toBe(200);
    expect(page.headers.get("cache-control")).toBe("no-store");
  });

  test("SE-10 its cookie is host-only, HttpOnly, Lax, and carries the port", async () => {
    const { setCookies } = await signInAt(urlOf());
    const port = new URL(urlOf()).port;
    const check = setCookies.find((one) => one.startsWith(`lucchetto-check-${port}=lck_`));
    expect(check).toMatch(/; Path=\/; HttpOnly; SameSite=Lax$/);
    expect(setCookies.join()).not.toMatch(/domain/i);
  });

  test("a page open to all greets a guest, and the person by name", async () => {
    const { cookie } = await signInAt(urlOf());
    expect((await send({ url: urlOf() }, "GET", "/", { headers: asBrowser })).text).toContain("guest");
    expect((await send({ url: urlOf() }, "GET", "/", { headers: { cookie, ...asBrowser } })).text).toContain(
      "anna@brina.example",
    );
  });

  test("a program gets 401 with a challenge and a problem, never a redirect", async () => {
    const reply = await send({ url: urlOf() }, "GET", "/members", {
      headers: { accept: "application/json" },
    });
    expect(reply.status).toBe(401);
    expect(reply.headers.get("www-authenticate")).toMatch(/^Bearer/);
    expect(reply.json()).toMatchObject({ code: "not-signed-in", status: 401 });
  });

  test("a missing label is 403; once the account carries it, the page opens at the next request", async () => {
    const { cookie, token } = await signInAt(urlOf());
    const { body } = await service.as(token)(routes.showAccount);
    const ask = () =>
      send({ url: urlOf() }, "GET", "/keepers", { headers: { cookie, accept: "application/json" } });
    expect((await ask()).status).toBe(403);
    const operator = service.as(await service.operator());
    await operator(routes.changeAccount, { params: { id: body.id }, body: { labels: ["keeper"] } });
    expect((await ask()).status).toBe(200);
    await operator(routes.changeAccount, { params: { id: body.id }, body: { labels: [] } });
  });

  test.each([
    ["it-CH, en;q=0.5", "it", "Usa il pulsante per uscire"],
    ["de, it;q=0", "en", "Use the sign-out button"],
    ["en-GB, it", "en", "Use the sign-out button"],
    ["nonsense;;q=x", "en", "Use the sign-out button"],
  ])("the hasp's own pages come in the browser's language: %s", async (liked, language, title) => {
    const reply = await send({ url: urlOf() }, "GET", "/sign-out", {
      headers: { ...asBrowser, "accept-language": liked },
    });
    expect(reply.text).toContain(`<html lang="${language}">`);
    expect(reply.text).toContain(`<h1>${title}</h1>`);
  });

  test("when the session ends at Lucchetto, the very next request finds the page closed", async () => {
    const { cookie, token } = await signInAt(urlOf());
    await service.as(token)(routes.signOut);
    expect(
      (await send({ url: urlOf() }, "GET", "/members", { headers: { cookie, ...asBrowser } })).status,
    ).toBe(303);
  });

  test("signing out revokes the check token at once and leads to Lucchetto, which ends the session", async () => {
    const { cookie } = await signInAt(urlOf());
    const reply = await send({ url: urlOf() }, "POST", "/sign-out", {
      headers: { cookie, origin: urlOf(), ...asBrowser },
    });
    expect(reply.status).toBe(303);
    const location = new URL(reply.headers.get("location") ?? "");
    expect(location.pathname).toBe("/sign-out");
    expect(location.search).not.toMatch(/lc[skcp]_[\w-]{43}/);
    expect(reply.headers.getSetCookie().join()).toMatch(/-check-\d+=; Max-Age=0/);
    expect(
      (await send({ url: urlOf() }, "GET", "/members", { headers: { cookie, ...asBrowser } })).status,
    ).toBe(303);
  });

  test("SE-6 a link or a foreign page signs nobody out", async () => {
    const { cookie } = await signInAt(urlOf());
    expect(
      (await send({ url: urlOf() }, "GET", "/sign-out", { headers: { cookie, ...asBrowser } })).status,
    ).toBe(405);
    const foreign = await send({ url: urlOf() }, "POST", "/sign-out", {
      headers: { cookie, origin: "https://evil.test" },
    });
    expect(foreign.status).toBe(403);
    expect(
      (await send({ url: urlOf() }, "GET", "/members", { headers: { cookie, ...asBrowser } })).status,
    ).toBe(200);
  });

  test("OA-7 a code brought into another browser, without or with a foreign or used state, or of another issuer, signs nobody in", async () => {
    const { back, cookies } = await signInAt(urlOf());
    const token = await service.signIn("anna@brina.example");
    const mine = await depart(urlOf());
    const answer = await answerFor(token, mine.location);
    const change = (changes: Record<string, string | null>) => {
      const changed = new URL(answer);
      for (const [name, value] of Object.entries(changes)) {
        if (value === null) changed.searchParams.delete(name);
        else changed.searchParams.set(name, value);
      }
      return changed.pathname + changed.search;
    };
    const attempts: Array<[string, string]> = [
      [answer.pathname + answer.search, ""],
      [answer.pathname + answer.search, cookies.join("; ")],
      [change({ state: null }), mine.cookies.join("; ")],
      [change({ state: back.searchParams.get("state") }), mine.cookies.join("; ")],
      [change({ state: "../../etc" }), mine.cookies.join("; ")],
      [change({ iss: "https://evil.test" }), mine.cookies.join("; ")],
      [change({ iss: null }), mine.cookies.join("; ")],
      [change({ code: `lcc_${"A".repeat(43)}` }), mine.cookies.join("; ")],
      [back.pathname + back.search, cookies.join("; ")],
    ];
    for (const [path, cookie] of attempts) {
      const reply = await send({ url: urlOf() }, "GET", path, { headers: { cookie, ...asBrowser } });
      expect({ path, status: reply.status }).toEqual({ path, status: 400 });
      expect(reply.text).toContain("Please try again.");
      expect(reply.headers.getSetCookie().join()).not.toContain("-check-");
    }
    const right = await send({ url: urlOf() }, "GET", answer.pathname + answer.search, {
      headers: { cookie: mine.cookies.join("; ") },
    });
    expect(right.status).toBe(303);
  });

  test("HT-6 where to go on to stays within the application", async () => {
    for (const next of ["//evil.test", "https://evil.test", "/\\evil.test", "javascript:alert(1)"]) {
      const { location, cookies } = await depart(urlOf(), `/sign-in?next=${encodeURIComponent(next)}`);
      const back = await answerFor(await service.signIn("anna@brina.example"), location);
      const reply = await send({ url: urlOf() }, "GET", back.pathname + back.search, {
        headers: { cookie: cookies.join("; ") },
      });
      expect(reply.headers.get("location")).toBe("/");
    }
  });

  function keep(jar: Map<string, string>, headers: Headers): void {
    for (const line of headers.getSetCookie()) {
      const [pair = ""] = line.split(";", 1);
      const [name = "", value = ""] = pair.split("=");
      if (line.includes("Max-Age=0")) jar.delete(name);
      else jar.set(name, value);
    }
  }

  test("a browser that leaves again and again without coming back keeps the last few departures only", async () => {
    const jar = new Map<string, string>();
    for (let index = 0; index < 30; index += 1) {
      const cookie = [...jar].map(([name, value]) => `${name}=${value}`).join("; ");
      const reply = await send({ url: urlOf() }, "GET", "/members", { headers: { ...asBrowser, cookie } });
      keep(jar, reply.headers);
    }
    expect(jar.size).toBe(4);
  });

  test("S6 whatever addresses another page sends somebody from, their cookies stay far below what servers take", async () => {
    const jar = new Map<string, string>();
    for (let index = 0; index < 6; index += 1) {
      const cookie = [...jar].map(([name, value]) => `${name}=${value}`).join("; ");
      const path = `/members?page=${",".repeat(3_000)}${index}`;
      const reply = await send({ url: urlOf() }, "GET", path, { headers: { ...asBrowser, cookie } });
      expect(reply.status).toBe(303);
      keep(jar, reply.headers);
    }
    expect(jar.size).toBe(4);
    expect([...jar.values()].join("").length).toBeLessThan(8_000);
  });

  test("opened under another loopback name it says so, instead of sending people round for ever", async () => {
    const reply = await fetch(`${urlOf().replace("localhost", "127.0.0.1")}/members`, {
      redirect: "manual",
      headers: asBrowser,
    });
    expect(reply.status).toBe(421);
    expect(await reply.text()).toContain(`${urlOf()}/members`);
  });
});

test("every page of the hasp comes in the application's language where the browser names none of ours", async () => {
  const hasp = createHasp({ ...expressOptions, language: "it", development: false });
  const gone = createHasp({
    ...expressOptions,
    language: "it",
    service: "http://localhost:1",
    development: false,
  });
  const { cookie } = await signInAt(expressUrl);
  const headers = { ...asBrowser, cookie, origin: expressUrl, "accept-language": "de" };
  const at = (url: string, method = "GET") => ({ method, url, headers });
  const answers = [
    await hasp.own(at("/sign-out")),
    await hasp.own(at(new URL(expressOptions.returnAddress).pathname)),
    await hasp.closed(at("/keepers"), { label: "keeper" }),
    await gone.closed(at("/members")),
    await hasp.closed({ ...at("/members", "POST"), headers: { ...headers, cookie: "" } }),
  ].map((one) => (one !== null && "answer" in one ? one.answer : one) as Answer);
  expect(answers.map(({ status }) => status)).toEqual([405, 400, 403, 503, 401]);
  for (const { body } of answers) {
    expect(body).toContain('<html lang="it">');
    expect(body).not.toMatch(/\b(?:you|your|the|page)\b/i);
  }
});

describe("when Lucchetto cannot be asked", () => {
  test("closed pages stay closed with 503, and open ones take everybody for a guest", async () => {
    const hasp = createHasp({ ...expressOptions, service: "http://localhost:1" });
    const port = new URL(expressOptions.returnAddress).port;
    const headers = { cookie: `lucchetto-check-${port}=lck_${"A".repeat(43)}`, accept: "application/json" };
    const visit = { method: "GET", url: "/members", headers };
    expect(await hasp.closed(visit)).toMatchObject({ answer: { status: 503 } });
    expect(await hasp.open(visit)).toBeNull();
  });

  test("a wrong app key is said in development", async () => {
    const hasp = createHasp({ ...expressOptions, appKey: `lcp_${"A".repeat(43)}` });
    const port = new URL(expressOptions.returnAddress).port;
    const headers = { cookie: `lucchetto-check-${port}=lck_${"A".repeat(43)}`, accept: "application/json" };
    const passage = await hasp.closed({ method: "GET", url: "/members", headers });
    expect("answer" in passage && passage.answer.body).toContain(`does not know the client id`);
  });

  test.each([
    ["a service that is no address", { service: "localhost" }, /service: found "localhost"/],
    ["an empty client id", { clientId: "" }, /clientId/],
    ["no key", { appKey: undefined }, /appKey: LUCCHETTO_APP_KEY is not set/],
    ["an empty key", { appKey: "" }, /appKey: LUCCHETTO_APP_KEY is not set/],
    ["another value for the key", { appKey: "brina-huts" }, /appKey: expected an app key/],
    ["a relative return address", { returnAddress: "/signed-in" }, /returnAddress/],
    ["an unknown language", { language: "de" as "en" }, /language: found "de", expected one of en, it/],
  ])("%s is said at the start", (_what, change, message) => {
    expect(() => createHasp({ ...expressOptions, ...change })).toThrow(HaspOptionsError);
    expect(() => createHasp({ ...expressOptions, ...change })).toThrow(message);
  });

  test("questions about one token under way at the same time are asked once", async () => {
    const { cookie } = await signInAt(expressUrl);
    const asked = () => service.log().split('"/v1/checks"').length;
    const hasp = createHasp(expressOptions);
    const before = asked();
    const visit = { method: "GET", url: "/members", headers: { cookie } };
    const passages = await Promise.all(Array.from({ length: 10 }, () => hasp.closed(visit)));
    expect(passages.every((passage) => "account" in passage)).toBe(true);
    await eventually(() => asked() > before, "the question in the log");
    expect(asked() - before).toBe(1);
  });
});
