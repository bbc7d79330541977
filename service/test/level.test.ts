import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import type { Introspection } from "@lucchetto/contract";
import { routes } from "@lucchetto/contract";
import { registerApp } from "../../testing/sample-app.ts";
import type { TestAuthenticator } from "../../testing/second-factor.ts";
import { codesOf, enrolAuthenticator } from "../../testing/second-factor.ts";
import type { TestService } from "../../testing/service.ts";
import { json, PASSWORD, send, startService, useWritten } from "../../testing/service.ts";
import { codeOf, mailTo, secretOf, Visitor } from "../../testing/visitor.ts";

const MINUTE = 60_000;
const HOUR = 60 * MINUTE;

let service: TestService;
let other: TestService;
beforeAll(async () => {
  service = await startService();
  other = await startService({ beside: service });
});
afterAll(async () => {
  await other.stop();
  await service.stop();
});

const bearer = (token: string) => ({ authorization: `Bearer ${token}` });

async function somebody(name: string) {
  const email = `${name}@brina.example`;
  const { id, token } = await service.register(email);
  return { id, email, app: await enrolAuthenticator(service, token) };
}

/** Signs in with both proofs. */
async function signIn(email: string, app: TestAuthenticator, remember = false): Promise<string> {
  const proof = { type: "password", identifier: email, password: PASSWORD } as const;
  const { body } = await service.client(routes.signIn, { body: { proof, remember, deliver: "token" } });
  const second = { type: "totp", code: await app.nextCode() } as const;
  const done = await service.as(body.token ?? "")(routes.addProof, { body: { proof: second } });
  return (done.body as { token: string }).token;
}

const sessionOf = async (token: string, at: TestService = service) =>
  (await at.as(token)(routes.showSession)).body.session;

/** Uses a session every so often. */
async function use(token: string, { every, times }: { every: number; times: number }): Promise<void> {
  for (let used = 0; used < times; used += 1) {
    await service.clock.advance(every);
    await sessionOf(token);
    await useWritten(service);
  }
}

describe("a session's level", () => {
  test("SE-3 a rise in level brings a new own token, on every instance; the old one is dead, the app's check token lives on", async () => {
    const { token } = await service.register("anna@brina.example");
    const before = await sessionOf(token);
    expect(before).toMatchObject({ aal: 1, amr: ["pwd"] });
    const app = await enrolAuthenticator(service, token);
    for (const at of [service, other]) {
      expect((await send(at, "GET", "/v1/session", { headers: bearer(token) })).status).toBe(401);
      expect(await sessionOf(app.token, at)).toMatchObject({
        id: before.id,
        aal: 2,
        amr: ["pwd", "otp", "mfa"],
      });
    }
  });

  test("SE-3 a use that was noted just before a rise does not take the level away when it is written", async () => {
    const { token } = await service.register("aida@brina.example");
    const begun = (await service.as(token)(routes.enrolAuthenticator, { body: {} })).body;
    await service.clock.advance(2 * MINUTE);
    await sessionOf(token);
    const { body } = await service.as(token)(routes.activateAuthenticator, {
      params: { id: begun.id },
      body: { code: codesOf(service, begun.uri)() },
    });
    await useWritten(service);
    expect((await sessionOf(body.token ?? "")).aal).toBe(2);
  });

  test("SE-4 a remembered session that nobody used for an hour falls to level 1, and does not rise by itself", async () => {
    const { email, app } = await somebody("bruno");
    const token = await signIn(email, app, true);
    await use(token, { every: 59 * MINUTE, times: 2 });
    expect((await sessionOf(token)).aal).toBe(2);
    await service.clock.advance(HOUR);
    expect((await sessionOf(token)).aal).toBe(1);
    await use(token, { every: 10 * MINUTE, times: 2 });
    expect(await sessionOf(token, other)).toMatchObject({ aal: 1, kind: "remembered" });
  });

  test("SE-5 level 2 lasts a day at most, however busy the session", async () => {
    const { id, email, app } = await somebody("carla");
    const token = await signIn(email, app, true);
    // As a use every few minutes would have left it.
    await service.dataSource.query(
      "UPDATE session SET levelIdleEndsAt = levelEndsAt + INTERVAL 1 HOUR WHERE accountId = ?",
      [id],
    );
    await service.clock.advance(24 * HOUR - MINUTE);
    expect((await sessionOf(token)).aal).toBe(2);
    await service.clock.advance(MINUTE);
    expect((await sessionOf(token)).aal).toBe(1);
  });

  test("SE-4 an ordinary session ends after 30 idle minutes at level 2 as well", async () => {
    const { email, app } = await somebody("dino");
    const token = await signIn(email, app);
    await service.clock.advance(30 * MINUTE);
    expect((await send(service, "GET", "/v1/session", { headers: bearer(token) })).status).toBe(401);
  });
});

describe("sensitive changes", () => {
  test("SE-16 of an account with a second factor they want both proofs; a password alone is half of them", async () => {
    const { id, email, app } = await somebody("emma");
    const token = await signIn(email, app);
    await service.clock.advance(11 * MINUTE);
    const call = service.as(token);
    const sensitive = [
      () => call(routes.changePassword, { body: { present: PASSWORD, password: "a wholly other password" } }),
      () => call(routes.changeEmail, { body: { email: "emma.new@brina.example" } }),
      () => call(routes.makeAccessKey, { body: { name: "backup" } }),
      () => call(routes.removeAuthenticator, { params: { id: app.id } }),
      () => call(routes.makeRecoveryCodes),
      () => call(routes.eraseOwnAccount),
    ];
    for (const change of sensitive)
      await expect(change()).rejects.toMatchObject({ problem: { code: "reauthenticate" } });

    const show = (proof: object) => {
      const { body, headers } = json({ proof });
      return send(service, "POST", "/v1/session/reauthenticate", {
        body,
        headers: { ...headers, ...bearer(token) },
      });
    };
    const early = await show({ type: "totp", code: await app.nextCode() });
    expect([early.status, early.json()]).toMatchObject([202, { wanted: ["password"] }]);
    const half = await show({ type: "password", password: PASSWORD });
    expect([half.status, half.json()]).toMatchObject([
      202,
      { outcome: "proof-wanted", wanted: ["totp", "recovery-code"] },
    ]);
    for (const change of sensitive)
      await expect(change()).rejects.toMatchObject({ problem: { code: "reauthenticate" } });
    const none = await show({ type: "recovery-code", code: "aaaaa-bbbbb-ccccc" });
    expect([none.status, codeOf(none)]).toEqual([401, "proof-refused"]);
    const near = [-2, -1, 0, 1, 2].map((steps) => app.code(steps));
    const code = ["000000", "111111", "222222", "333333", "444444", "555555"].find(
      (one) => !near.includes(one),
    );
    const wrong = await show({ type: "totp", code });
    expect([wrong.status, codeOf(wrong)]).toEqual([401, "proof-refused"]);
    const [{ failures }] = await service.dataSource.query(
      "SELECT failures FROM throttle_count WHERE kind = 'account-factor' AND subject = ?",
      [id],
    );
    expect(Number(failures)).toBe(1);
    const done = await show({ type: "totp", code: app.code() });
    expect([done.status, done.json()]).toMatchObject([201, { session: { aal: 2 } }]);
    const fresh = done.json<{ token: string }>().token;
    expect((await send(service, "GET", "/v1/session", { headers: bearer(token) })).status).toBe(401);
    expect((await service.as(fresh)(routes.makeAccessKey, { body: { name: "backup" } })).status).toBe(201);

    // What was shown half is forgotten after five minutes.
    const again = (proof: object) => {
      const { body, headers } = json({ proof });
      return send(service, "POST", "/v1/session/reauthenticate", {
        body,
        headers: { ...headers, ...bearer(fresh) },
      });
    };
    await again({ type: "password", password: PASSWORD });
    await service.clock.advance(5 * MINUTE);
    const lapsed = await again({ type: "totp", code: app.code() });
    expect([lapsed.status, lapsed.json()]).toMatchObject([202, { wanted: ["password"] }]);
  });

  test("SE-16 a session begun before there was a second factor is not strong enough, however fresh", async () => {
    const { token } = await service.register("fabio@brina.example");
    const elder = await service.signIn("fabio@brina.example");
    await enrolAuthenticator(service, token);
    await expect(service.as(elder)(routes.makeAccessKey, { body: { name: "backup" } })).rejects.toMatchObject(
      { problem: { code: "reauthenticate" } },
    );
  });
});

describe("what applications learn of it", () => {
  test("OA-9 SE-15 aal2 is asked for where it can be shown, and then told; when it lapses introspection says so at once", async () => {
    const registered = await registerApp(service, 9);
    const { email, app } = await somebody("greta");
    const visitor = new Visitor(service);
    const proof = { type: "password", identifier: email, password: PASSWORD };
    await visitor.post("/v1/sign-in", { proof, remember: true });
    await visitor.post("/v1/sign-in/proof", { proof: { type: "totp", code: await app.nextCode() } });

    const challenge = "E9Melhoa2OwvFrEMTJguCHaoeK1t8URWbuGJSstw-cM";
    const query = new URLSearchParams({
      client_id: registered.clientId,
      redirect_uri: registered.returnAddress,
      response_type: "code",
      state: "here",
      code_challenge: challenge,
      code_challenge_method: "S256",
      acr_values: "aal2",
    });
    const ask = async (more: Record<string, string> = {}) => {
      for (const [name, value] of Object.entries(more)) query.set(name, value);
      const reply = await visitor.call("GET", `/oauth/authorize?${query.toString()}`);
      query.delete("prompt");
      return new URL(reply.headers.get("location") ?? "", service.url);
    };
    const code = (await ask()).searchParams.get("code") ?? "";
    expect(code).toMatch(/^lcc_/);
    const form = (fields: Record<string, string>) => ({
      body: new URLSearchParams(fields).toString(),
      headers: {
        "content-type": "application/x-www-form-urlencoded",
        authorization: `Basic ${Buffer.from(`${registered.clientId}:${registered.appKey}`).toString("base64")}`,
      },
    });
    const swapped = await send(
      service,
      "POST",
      "/oauth/token",
      form({
        grant_type: "authorization_code",
        code,
        redirect_uri: query.get("redirect_uri") ?? "",
        code_verifier: "dBjftJeZ4CVP-mB92K27uhbUJU1p1r_wW1gFWFOEjXk",
      }),
    );
    const { access_token: token } = swapped.json<{ access_token: string }>();
    const introspect = async (at: TestService) =>
      (await send(at, "POST", "/oauth/introspect", form({ token }))).json<Introspection>();
    for (const at of [service, other])
      expect(await introspect(at)).toMatchObject({ acr: "aal2", amr: ["pwd", "otp", "mfa"] });

    await service.clock.advance(HOUR + MINUTE);
    expect(await introspect(other)).toMatchObject({ active: true, acr: "aal1" });
    expect((await ask({ prompt: "none" })).searchParams.get("error")).toBe("login_required");
    expect((await ask()).pathname).toBe("/account/reauthenticate");
    await visitor.post("/v1/session/reauthenticate", { proof: { type: "password", password: PASSWORD } });
    expect((await ask()).pathname).toBe("/account/reauthenticate");
    const shown = await visitor.post("/v1/session/reauthenticate", {
      proof: { type: "totp", code: app.code() },
    });
    expect(shown.status).toBe(201);
    expect((await ask()).searchParams.get("code")).toMatch(/^lcc_/);
    expect(await introspect(service)).toMatchObject({ acr: "aal2" });
  });
});

async function proveAddress(id: string): Promise<void> {
  await service.dataSource.query("UPDATE account SET emailVerifiedAt = createdAt WHERE id = ?", [id]);
}

describe("mailed links and the second factor", () => {
  test("LI-14 a magic link is one proof: the code is wanted besides, then the session is at level 2", async () => {
    const { id, email, app } = await somebody("hugo");
    await proveAddress(id);
    const visitor = new Visitor(service);
    await visitor.post("/v1/mail-links", { purpose: "sign-in", identifier: email });
    const secret = secretOf(await mailTo(service, email, "sign-in"));
    const half = await visitor.post("/v1/sign-in/proof", { proof: { type: "mail-link", secret } });
    expect([half.status, half.json()]).toMatchObject([202, { wanted: ["totp", "recovery-code"] }]);
    expect((await visitor.call("GET", "/v1/session")).status).toBe(401);
    const done = await visitor.post("/v1/sign-in/proof", {
      proof: { type: "totp", code: await app.nextCode() },
    });
    expect([done.status, done.json()]).toMatchObject([
      201,
      { session: { aal: 2, amr: ["mail", "otp", "mfa"] } },
    ]);
  });

  test("LI-11 a reset neither signs in nor skips the second factor, and leaves its count and the factor as they are", async () => {
    const { id, email, app } = await somebody("irma");
    await proveAddress(id);
    const visitor = new Visitor(service);
    await visitor.post("/v1/mail-links", { purpose: "reset", identifier: email });
    const secret = secretOf(await mailTo(service, email, "reset"));
    const password = "a wholly other password";
    expect((await visitor.post("/v1/mail-links/redeem", { secret, password })).status).toBe(200);
    expect((await visitor.call("GET", "/v1/session")).status).toBe(401);
    const proof = { type: "password", identifier: email, password };
    const begun = await visitor.post("/v1/sign-in", { proof });
    expect([begun.status, begun.json()]).toMatchObject([202, { wanted: ["totp", "recovery-code"] }]);
    const code = await app.nextCode();
    expect((await visitor.post("/v1/sign-in/proof", { proof: { type: "totp", code } })).status).toBe(201);
  });

  test("SI-12 the first proof of an address takes a stranger's second factor away", async () => {
    const { id, email } = await somebody("lea");
    const owner = new Visitor(service);
    await owner.post("/v1/mail-links", { purpose: "reset", identifier: email });
    const secret = secretOf(await mailTo(service, email, "reset"));
    const password = "the owner's own password";
    expect((await owner.post("/v1/mail-links/redeem", { secret, password })).status).toBe(200);
    const [{ kept }] = await service.dataSource.query(
      "SELECT (SELECT COUNT(*) FROM authenticator WHERE accountId = ?) + (SELECT COUNT(*) FROM recovery_code WHERE accountId = ?) AS kept",
      [id, id],
    );
    expect(Number(kept)).toBe(0);
    const proof = { type: "password", identifier: email, password };
    expect((await owner.post("/v1/sign-in", { proof })).status).toBe(201);
  });

  test("a person's own password over Basic is refused where a second factor would be asked for", async () => {
    const { email } = await somebody("mario");
    const operator = await service.operator();
    const { body } = await service.as(operator)(routes.addApp, {
      body: {
        clientId: "scripts",
        name: "Scripts",
        redirectUris: ["http://localhost:9/signed-in"],
        basicPasswords: true,
      },
    });
    const asked = json({ identifier: email, password: PASSWORD, address: "192.0.2.7" });
    const basic = Buffer.from(`scripts:${body.key}`).toString("base64");
    const reply = await send(service, "POST", "/v1/basic-check", {
      body: asked.body,
      headers: { ...asked.headers, authorization: `Basic ${basic}` },
    });
    expect([reply.status, codeOf(reply)]).toEqual([401, "sign-in-refused"]);
  });
});
