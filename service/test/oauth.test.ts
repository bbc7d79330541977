import { createHash, randomBytes } from "node:crypto";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import type { TestService } from "../../testing/service.ts";
import { PASSWORD, send, startService } from "../../testing/service.ts";

const RETURN = "http://localhost:9999/signed-in";
const VERIFIER = randomBytes(32).toString("base64url");
const CHALLENGE = createHash("sha256").update(VERIFIER).digest("base64url");

interface TestApp {
  id: string;
  clientId: string;
  key: string;
}
let service: TestService;
let beside: TestService;
let operator: string;
let app: TestApp;
let other: TestApp;

async function addApp(name: string): Promise<TestApp> {
  const { body } = await service.as(operator)(routes.addApp, { body: { name, redirectUris: [RETURN] } });
  return { id: body.app.id, clientId: body.app.clientId, key: body.key };
}

beforeAll(async () => {
  service = await startService();
  beside = await startService({ beside: service });
  operator = await service.operator();
  app = await addApp("Hut book");
  other = await addApp("Other app");
  await service.register("anna@brina.example");
});
afterAll(async () => {
  await beside.stop();
  await service.stop();
});

const cookieOf = (token: string) => ({ cookie: `lucchetto-${new URL(service.url).port}=${token}` });
const request = (changes: Record<string, string | null> = {}) => {
  const query = new URLSearchParams({
    response_type: "code",
    client_id: app.clientId,
    redirect_uri: RETURN,
    state: "st&te=1",
    code_challenge: CHALLENGE,
    code_challenge_method: "S256",
  });
  for (const [name, value] of Object.entries(changes)) {
    if (value === null) query.delete(name);
    else query.set(name, value);
  }
  return `/oauth/authorize?${query.toString()}`;
};
async function codeFor(token: string, changes: Record<string, string | null> = {}): Promise<string> {
  const { headers } = await send(service, "GET", request(changes), { headers: cookieOf(token) });
  return new URL(headers.get("location") ?? "").searchParams.get("code") ?? "";
}
const basic = ({ clientId, key }: Pick<TestApp, "clientId" | "key">) => ({
  authorization: `Basic ${Buffer.from(`${clientId}:${key}`).toString("base64")}`,
});
const form = (path: string, fields: Record<string, string>, headers: Record<string, string>, at = service) =>
  send(at, "POST", path, { body: new URLSearchParams(fields), headers });
const swap = (code: string, changes: Record<string, string> = {}, by = app) =>
  form(
    "/oauth/token",
    { grant_type: "authorization_code", code, redirect_uri: RETURN, code_verifier: VERIFIER, ...changes },
    basic(by),
  );
const introspect = async (token: string, by = app, at = service) =>
  (await form("/oauth/introspect", { token }, basic(by), at)).json<Record<string, unknown>>();
async function checkToken(): Promise<{ own: string; check: string }> {
  const own = await service.signIn("anna@brina.example");
  const { access_token: check } = (await swap(await codeFor(own))).json<{ access_token: string }>();
  return { own, check };
}

test("WH-3 people's apps are those that they were signed in to, with their first pages; another's are not told", async () => {
  const { token } = await service.register("dina@brina.example");
  const apps = async (who: string) => (await service.as(who)(routes.listOwnApps)).body.items;
  const own = await service.signIn("anna@brina.example");
  await swap(await codeFor(own));
  expect(await apps(own)).toEqual([]);
  const home = "http://localhost:1/";
  await service.as(operator)(routes.changeApp, { params: { id: app.id }, body: { home } });
  expect(await apps(own)).toEqual([{ name: "Hut book", home }]);
  expect(await apps(token)).toEqual([]);
  // A guest's page leads to every application, and so does that of somebody who was in none.
  await service.as(operator)(routes.changeApp, { params: { id: other.id }, body: { home: `${home}other` } });
  const leadsTo = async (headers: Record<string, string>) => {
    const { text } = await send(service, "GET", "/account", { headers });
    return ["Hut book", "Other app"].filter((name) => text.includes(name));
  };
  expect(await leadsTo({})).toEqual(["Hut book", "Other app"]);
  expect(await leadsTo(cookieOf(token))).toEqual(["Hut book", "Other app"]);
  expect(await leadsTo(cookieOf(own))).toEqual(["Hut book"]);
});

describe("the authorization endpoint", () => {
  test("OA-1 answers the registered address with code, state unchanged and iss", async () => {
    const own = await service.signIn("anna@brina.example");
    const reply = await send(service, "GET", request(), { headers: cookieOf(own) });
    expect(reply.status).toBe(303);
    const location = new URL(reply.headers.get("location") ?? "");
    expect(location.origin + location.pathname).toBe(RETURN);
    expect(location.searchParams.get("state")).toBe("st&te=1");
    expect(location.searchParams.get("iss")).toBe(service.configuration.publicUrl);
    expect(location.searchParams.get("code")).toMatch(/^lcc_/);
  });

  test.each([
    ["another path", `${RETURN}/x`],
    ["a query", `${RETURN}?x=1`],
    ["another port", RETURN.replace("9999", "9998")],
    ["https", RETURN.replace("http:", "https:")],
    ["letter case", RETURN.replace("signed", "Signed")],
    ["a fragment", `${RETURN}#x`],
    ["another host", "http://evil.test/signed-in"],
    ["none", ""],
  ])("OA-1 %s in the return address gets an error page, never a redirect", async (_what, address) => {
    const own = await service.signIn("anna@brina.example");
    const reply = await send(service, "GET", request({ redirect_uri: address }), {
      headers: { ...cookieOf(own), accept: "text/html" },
    });
    expect(reply.status).toBe(400);
    expect(reply.headers.get("location")).toBeNull();
    expect(reply.headers.get("content-type")).toContain("text/html");
  });

  test("OA-1 an unknown app, or one named twice, gets the page too", async () => {
    // What the database could not compare, or would not tell apart, is nobody either.
    const others = ["nobody", "h\u00fctte", "\ufffd", `${app.clientId} `, "", "x".repeat(500)];
    for (const path of [
      ...others.map((client_id) => request({ client_id })),
      `${request()}&client_id=${app.clientId}`,
    ]) {
      const reply = await send(service, "GET", path);
      expect(reply.status).toBe(400);
      expect(reply.json()).toMatchObject({ code: "unknown-app" });
    }
  });

  test("OA-9 a level or freshness that the session lacks is asked for where it can be shown, else refused honestly", async () => {
    const own = await service.signIn("anna@brina.example");
    const ask = async (token: string, changes: Record<string, string>) => {
      const reply = await send(service, "GET", request(changes), { headers: cookieOf(token) });
      return new URL(reply.headers.get("location") ?? "", service.url);
    };
    const errorOf = async (token: string, changes: Record<string, string>) =>
      (await ask(token, changes)).searchParams.get("error");
    for (const met of [
      { max_age: "600" },
      { acr_values: "aal1" },
      { acr_values: "urn:else aal1" },
      { max_age: "0" },
    ] as Array<Record<string, string>>)
      expect((await ask(own, met)).searchParams.get("code")).toMatch(/^lcc_/);
    expect(await errorOf(own, { acr_values: "aal2" })).toBe("unmet_authentication_requirements");
    expect(await errorOf(own, { acr_values: "urn:else" })).toBe("unmet_authentication_requirements");
    expect(await errorOf(own, { max_age: "soon" })).toBe("invalid_request");

    await service.clock.advance(5 * 60_000);
    const page = await ask(own, { max_age: "299" });
    expect(page.pathname).toBe("/account/reauthenticate");
    expect(page.searchParams.get("next")).toMatch(/^\/oauth\/authorize\?.*max_age=299/);
    expect(await errorOf(own, { max_age: "299", prompt: "none" })).toBe("login_required");
    const proof = { type: "password", password: PASSWORD } as const;
    const { body } = await service.as(own)(routes.reauthenticate, { body: { proof } });
    const { access_token: check } = (await swap(await codeFor(body.token ?? "", { max_age: "299" }))).json<{
      access_token: string;
    }>();
    const answer = await introspect(check);
    expect(Number(answer["checked_at"]) - Number(answer["auth_time"])).toBeLessThan(60);
  });

  test("sends a guest to the sign-in page, and to register where that was asked for", async () => {
    const guest = await send(service, "GET", request());
    expect(guest.headers.get("location")).toMatch(/^\/sign-in\?next=%2Foauth%2Fauthorize/);
    const newcomer = await send(service, "GET", request({ prompt: "create" }));
    expect(newcomer.headers.get("location")).toMatch(/^\/register\?next=/);
    const asked = new URL(
      (await send(service, "GET", request({ prompt: "none" }))).headers.get("location") ?? "",
    );
    expect(asked.searchParams.get("error")).toBe("login_required");
  });

  test("OA-2 without an S256 challenge there is no code", async () => {
    const own = await service.signIn("anna@brina.example");
    const cases: Array<Record<string, string | null>> = [
      { code_challenge: null },
      { code_challenge_method: "plain" },
      { code_challenge_method: null },
      { code_challenge: "short" },
      { response_type: "token" },
    ];
    for (const changes of cases) {
      const reply = await send(service, "GET", request(changes), { headers: cookieOf(own) });
      const location = new URL(reply.headers.get("location") ?? "");
      expect(location.searchParams.get("code")).toBeNull();
      expect(location.searchParams.get("error")).toMatch(/^(invalid_request|unsupported_response_type)$/);
      expect(location.searchParams.get("iss")).toBe(service.configuration.publicUrl);
    }
  });
});

describe("the token endpoint", () => {
  test("OA-2 swaps for the right verifier alone", async () => {
    const own = await service.signIn("anna@brina.example");
    for (const verifier of ["wrong".repeat(10), VERIFIER.slice(1), ""]) {
      const reply = await swap(await codeFor(own), { code_verifier: verifier });
      expect(reply.status).toBe(400);
    }
    const reply = await swap(await codeFor(own));
    expect(reply.json()).toMatchObject({
      access_token: expect.stringMatching(/^lck_/),
      token_type: "Bearer",
    });
    expect(reply.headers.get("cache-control")).toBe("no-store");
  });

  test("OA-3 a code lives 60 seconds", async () => {
    const own = await service.signIn("anna@brina.example");
    const early = await codeFor(own);
    await service.clock.advance(59_000);
    expect((await swap(early)).status).toBe(200);
    const late = await codeFor(own);
    await service.clock.advance(60_000);
    const reply = await swap(late);
    expect(reply.status).toBe(400);
    expect(reply.json()).toMatchObject({ error: "invalid_grant" });
    await service.clock.reset();
  });

  test("OA-3 another app's key, or another address, gets nothing; the owner's code survives the other app", async () => {
    const own = await service.signIn("anna@brina.example");
    const code = await codeFor(own);
    expect((await swap(code, {}, other)).json()).toMatchObject({ error: "invalid_grant" });
    expect((await swap(code)).status).toBe(200);
    expect((await swap(await codeFor(own), { redirect_uri: `${RETURN}/x` })).status).toBe(400);
  });

  test("OA-3 twenty swaps at once give one token; a later reuse ends it and is journalled", async () => {
    const own = await service.signIn("anna@brina.example");
    const code = await codeFor(own);
    const replies = await Promise.all(Array.from({ length: 20 }, () => swap(code)));
    const good = replies.filter(({ status }) => status === 200);
    expect(good).toHaveLength(1);
    const token = good[0]?.json<{ access_token: string }>().access_token ?? "";
    expect(token).toMatch(/^lck_/);
    expect((await swap(code)).status).toBe(400);
    expect(await introspect(token)).toEqual({ active: false });
    const { body } = await service.as(operator)(routes.listJournal, {
      query: { kind: "app.code-used-again" },
    });
    expect(body.items.length).toBeGreaterThan(0);
  });

  test("OA-3 of swaps at the same moment one gives a token, which is over: it was shown again", async () => {
    const own = await service.signIn("anna@brina.example");
    for (let round = 0; round < 25; round += 1) {
      const code = await codeFor(own);
      const replies = await Promise.all([swap(code), swap(code), swap(code)]);
      const good = replies.filter(({ status }) => status === 200);
      expect(good).toHaveLength(1);
      const token = good[0]?.json<{ access_token: string }>().access_token ?? "";
      expect(await introspect(token)).toEqual({ active: false });
    }
  });

  test("OA-4 apps show their key by Basic or in the body, never in the address", async () => {
    const own = await service.signIn("anna@brina.example");
    const fields = (code: string) => ({
      grant_type: "authorization_code",
      code,
      redirect_uri: RETURN,
      code_verifier: VERIFIER,
    });
    const inBody = { ...fields(await codeFor(own)), client_id: app.clientId, client_secret: app.key };
    expect((await form("/oauth/token", inBody, {})).status).toBe(200);
    const code = await codeFor(own);
    const wrong = await form("/oauth/token", fields(code), basic({ ...app, key: other.key }));
    expect(wrong.status).toBe(401);
    expect(wrong.json()).toMatchObject({ error: "invalid_client" });
    expect(wrong.headers.get("www-authenticate")).toMatch(/^Basic /);
    const inQuery = `/oauth/token?client_id=${app.clientId}&client_secret=${app.key}`;
    expect((await form(inQuery, fields(code), {})).status).toBe(400);
    expect(service.log()).not.toContain(app.key);
  });

  test("OA-4 a new key and the old one both work until the old one is retired; the last one stays", async () => {
    const third = await addApp("Third app");
    const asOperator = service.as(operator);
    const { body } = await asOperator(routes.addAppKey, { params: { id: third.id } });
    const [oldKey] = body.app.keys;
    for (const key of [third.key, body.key]) {
      expect((await form("/oauth/introspect", { token: "x" }, basic({ ...third, key }))).status).toBe(200);
    }
    await asOperator(routes.retireAppKey, { params: { id: third.id, keyId: oldKey?.id ?? "" } });
    expect((await form("/oauth/introspect", { token: "x" }, basic(third))).status).toBe(401);
    expect((await form("/oauth/introspect", { token: "x" }, basic({ ...third, key: body.key }))).status).toBe(
      200,
    );
    const last = body.app.keys.at(-1)?.id ?? "";
    await expect(asOperator(routes.retireAppKey, { params: { id: third.id, keyId: last } })).rejects.toThrow(
      /only key/,
    );
  });

  test("bad requests are answered in the standard's words, never with a 500", async () => {
    const own = await service.signIn("anna@brina.example");
    const cases: Array<[Record<string, string>, string]> = [
      [{ grant_type: "password" }, "unsupported_grant_type"],
      [{}, "invalid_request"],
      [{ grant_type: "authorization_code" }, "invalid_request"],
    ];
    for (const [fields, error] of cases) {
      expect((await form("/oauth/token", fields, basic(app))).json()).toMatchObject({ error });
    }
    const doubled = await send(service, "POST", "/oauth/token", {
      body: new URLSearchParams([
        ["grant_type", "authorization_code"],
        ["grant_type", "x"],
      ]),
      headers: basic(app),
    });
    expect(doubled.json()).toMatchObject({ error: "invalid_request" });
    expect((await form("/oauth/token", {}, { authorization: "Basic !!!" })).status).toBe(401);
    expect((await swap(own)).status).toBe(400);
  });
});

describe("introspection", () => {
  test("SE-13 is for authenticated apps, by POST; a hint is ignored, a missing token told", async () => {
    const { check } = await checkToken();
    for (const token of [check, "dead"]) {
      const reply = await form(
        "/oauth/introspect",
        { token },
        basic({ ...app, key: `lcp_${"A".repeat(43)}` }),
      );
      expect(reply.status).toBe(401);
      expect(reply.headers.get("www-authenticate")).toMatch(/^Basic /);
      expect((await form("/oauth/introspect", { token }, {})).status).toBe(401);
    }
    expect((await send(service, "GET", "/oauth/introspect", { headers: basic(app) })).status).toBe(405);
    expect((await form("/oauth/introspect", {}, basic(app))).status).toBe(400);
    const hinted = await form("/oauth/introspect", { token: check, token_type_hint: "nonsense" }, basic(app));
    expect(hinted.json()).toMatchObject({ active: true });
  });

  test("SE-15 an active answer says who, since when, until when and how, and no more", async () => {
    const { check } = await checkToken();
    const answer = await introspect(check);
    expect(Object.keys(answer).sort()).toEqual(
      [
        "active",
        "checked_at",
        "sub",
        "reference",
        "username",
        "email",
        "email_verified",
        "name",
        "labels",
        "sid",
        "iat",
        "auth_time",
        "exp",
        "acr",
        "amr",
        "client_id",
        "token_type",
        "iss",
      ].sort(),
    );
    expect(answer).toMatchObject({
      email: "anna@brina.example",
      acr: "aal1",
      amr: ["pwd"],
      client_id: app.clientId,
      email_verified: false,
    });
    expect(Number(answer["exp"]) - Number(answer["auth_time"])).toBe(30 * 60);
  });

  test("SE-15 a changed label shows in the next answer, on every instance", async () => {
    const { check } = await checkToken();
    const { sub } = await introspect(check);
    await service.as(operator)(routes.changeAccount, {
      params: { id: String(sub) },
      body: { labels: ["keeper"] },
    });
    for (const at of [service, beside])
      expect(await introspect(check, app, at)).toMatchObject({ labels: ["keeper"] });
  });

  test("SE-14 OA-5 whatever is not a living check token of the asking app is inactive, and nothing else is said", async () => {
    const { own, check } = await checkToken();
    const unknown = `lck_${randomBytes(32).toString("base64url")}`;
    for (const token of [unknown, "nonsense", own, await codeFor(own), app.key, "x".repeat(5_000)]) {
      expect(await introspect(token)).toEqual({ active: false });
    }
    expect(await introspect(check, other)).toEqual({ active: false });
    expect(await introspect(check)).toMatchObject({ active: true });
    await service.clock.advance(31 * 60_000);
    expect(await introspect(check)).toEqual({ active: false });
    await service.clock.reset();
  });

  test("OA-5 a check token acts for nobody", async () => {
    const { check } = await checkToken();
    const headers = { authorization: `Bearer ${check}` };
    const calls = [
      ["GET", "/v1/session"],
      ["DELETE", "/v1/session"],
      ["GET", "/v1/account"],
      ["GET", "/v1/operator/accounts"],
    ] as const;
    for (const [method, path] of calls)
      expect((await send(service, method, path, { headers })).status).toBe(401);
  });

  test("OA-6 ending the session ends every check token of it, on every instance", async () => {
    const own = await service.signIn("anna@brina.example");
    const tokens = [];
    for (let index = 0; index < 2; index += 1) {
      tokens.push((await swap(await codeFor(own))).json<{ access_token: string }>().access_token);
    }
    await service.as(own)(routes.signOut);
    for (const token of tokens) {
      for (const at of [service, beside]) expect(await introspect(token, app, at)).toEqual({ active: false });
    }
  });

  test("OA-6 revoking ends one token, for its own app alone", async () => {
    const own = await service.signIn("anna@brina.example");
    const first = (await swap(await codeFor(own))).json<{ access_token: string }>().access_token;
    const second = (await swap(await codeFor(own))).json<{ access_token: string }>().access_token;
    expect((await form("/oauth/revoke", { token: first }, basic(other))).status).toBe(200);
    expect(await introspect(first)).toMatchObject({ active: true });
    expect((await form("/oauth/revoke", { token: first }, basic(app))).status).toBe(200);
    expect(await introspect(first)).toEqual({ active: false });
    expect(await introspect(second)).toMatchObject({ active: true });
    await service.as(own)(routes.showSession);
    expect((await form("/oauth/revoke", { token: "nonsense" }, basic(app))).status).toBe(200);
  });

  test("an app is changed: its addresses and its name are others from then on, and what it had goes on", async () => {
    const fifth = await addApp("Fifth app");
    const own = await service.signIn("anna@brina.example");
    const swapped = await swap(await codeFor(own, { client_id: fifth.clientId }), {}, fifth);
    const { access_token: token } = swapped.json<{ access_token: string }>();
    const change = (body: object) =>
      service.as(operator)(routes.changeApp, { params: { id: fifth.id }, body: body as never });
    const elsewhere = "http://localhost:9999/elsewhere";
    const { body } = await change({ name: "Fifth app, moved", redirectUris: [elsewhere] });
    expect(body).toMatchObject({
      clientId: fifth.clientId,
      name: "Fifth app, moved",
      redirectUris: [elsewhere],
      ownForms: false,
      rights: [],
    });
    expect(body.keys).toHaveLength(1);
    expect(await introspect(token, fifth)).toMatchObject({ active: true });
    const asked = { response_type: "code", client_id: fifth.clientId, redirect_uri: RETURN, state: "s" };
    const query = new URLSearchParams({
      ...asked,
      code_challenge: "c".repeat(43),
      code_challenge_method: "S256",
    });
    const refused = await send(service, "GET", `/oauth/authorize?${query.toString()}`);
    expect(refused.json()).toMatchObject({ code: "unregistered-return-address" });
    for (const faulty of [{}, { clientId: "another" }, { redirectUris: [] }, { rights: ["operator"] }])
      await expect(change(faulty)).rejects.toMatchObject({ problem: { status: 400 } });
    await expect(change({ redirectUris: ["http://brina.example/in"] })).rejects.toMatchObject({
      problem: { errors: [{ path: "redirectUris.0" }] },
    });
    const unknown = service.as(operator)(routes.changeApp, {
      params: { id: "01a0f0c2-0000-7000-8000-000000000000" },
      body: { name: "Nobody" },
    });
    await expect(unknown).rejects.toMatchObject({ problem: { code: "not-found" } });
    const { items } = (await service.as(operator)(routes.listJournal, { query: { kind: "app.changed" } }))
      .body;
    expect(items.filter(({ appId }) => appId === fifth.id)).toHaveLength(1);
  });

  test("removing an app ends its check tokens", async () => {
    const fourth = await addApp("Fourth app");
    const own = await service.signIn("anna@brina.example");
    const code = await codeFor(own, { client_id: fourth.clientId });
    expect((await swap(code, {}, fourth)).status).toBe(200);
    await service.as(operator)(routes.removeApp, { params: { id: fourth.id } });
    expect((await form("/oauth/introspect", { token: "x" }, basic(fourth))).status).toBe(401);
  });
});

describe("signing out from an application (OpenID Connect RP-Initiated Logout 1.0)", () => {
  test("OA-8 by link or form, back to a registered address with its state; what is not registered is said in development", async () => {
    const landing = "http://localhost:9999/out?from=lucchetto";
    const { body } = await service.as(operator)(routes.addApp, {
      body: { name: "Ledger", redirectUris: [RETURN], signedOutUris: [landing] },
    });
    const asked = { client_id: body.app.clientId, post_logout_redirect_uri: landing, state: "a b&c" };
    const follow = async (location: string | null, cookie = {}) => {
      const { text } = await send(service, "GET", location ?? "", {
        headers: { accept: "text/html", ...cookie },
      });
      return JSON.parse(/id="page-state">(.*?)<\/script>/s.exec(text)?.[1] ?? "null").signOut;
    };
    const byLink = await send(service, "GET", `/oauth/end-session?${new URLSearchParams(asked)}`);
    expect(byLink.status).toBe(303);
    const byForm = await form("/oauth/end-session", asked, { origin: "http://elsewhere.example" });
    expect([byForm.status, byForm.headers.get("location")]).toEqual([303, byLink.headers.get("location")]);
    expect(await follow(byLink.headers.get("location"))).toEqual({
      appName: "Ledger",
      returnTo: "http://localhost:9999/out?from=lucchetto&state=a+b%26c",
      // Not signed in.
      automatic: true,
    });
    // Somebody who is gets asked, unless the application knows the session.
    const own = await service.signIn("anna@brina.example");
    const { id } = (await service.as(own)(routes.showSession)).body.session;
    for (const [hint, automatic] of [
      ["", false],
      ["0192f0c1-0000-7000-8000-000000000000", false],
      [id, true],
    ] as const) {
      const query = new URLSearchParams({ ...asked, logout_hint: hint });
      const { headers } = await send(service, "GET", `/oauth/end-session?${query}`);
      expect(await follow(headers.get("location"), cookieOf(own))).toMatchObject({ automatic });
    }
    const elsewhere = { ...asked, post_logout_redirect_uri: "http://localhost:9999/elsewhere" };
    const refused = await send(service, "GET", `/oauth/end-session?${new URLSearchParams(elsewhere)}`);
    expect(refused.status).toBe(400);
    expect(refused.json()).toMatchObject({
      code: "unregistered-return-address",
      detail: `Asked for: http://localhost:9999/elsewhere. Registered: ${landing}.`,
    });
    const twice = `${new URLSearchParams(asked)}&client_id=other`;
    expect((await send(service, "GET", `/oauth/end-session?${twice}`)).status).toBe(400);
  });
});

describe("metadata", () => {
  test("OA-8 the issuer is the public address, and everything named answers as named", async () => {
    const document = (await send(service, "GET", "/.well-known/oauth-authorization-server")).json<
      Record<string, string | string[]>
    >();
    expect(document["issuer"]).toBe(service.configuration.publicUrl);
    for (const name of ["token_endpoint", "introspection_endpoint", "revocation_endpoint"]) {
      const endpoint = new URL(String(document[name])).pathname;
      expect((await form(endpoint, {}, {})).status).toBe(401);
      for (const headers of [basic(app)]) expect((await form(endpoint, {}, headers)).status).toBe(400);
    }
    expect(
      (await send(service, "GET", new URL(String(document["authorization_endpoint"])).pathname)).status,
    ).toBe(400);
    const endSession = new URL(String(document["end_session_endpoint"])).pathname;
    expect((await send(service, "GET", endSession)).headers.get("location")).toMatch(/^\/sign-out\??$/);
    expect(document["code_challenge_methods_supported"]).toEqual(["S256"]);
    expect(document["authorization_response_iss_parameter_supported"]).toBe(true);
  });

  test("OA-8 with a path too: the well-known part comes before it", async () => {
    const below = await startService({ beside: service, publicUrl: "http://localhost:{port}/people" });
    try {
      const root = { url: new URL(below.url).origin };
      const reply = await send(root, "GET", "/.well-known/oauth-authorization-server/people");
      const document = reply.json<Record<string, string>>();
      expect(document["issuer"]).toBe(below.configuration.publicUrl);
      expect(
        (await send(root, "GET", new URL(document["authorization_endpoint"] ?? "").pathname)).status,
      ).toBe(400);
      expect((await send(root, "GET", "/people/sign-in")).status).toBe(200);
      expect((await send(root, "GET", "/sign-in")).status).toBe(404);
    } finally {
      await below.stop();
    }
  });
});
