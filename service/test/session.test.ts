import { createHash } from "node:crypto";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import type { TestService } from "../../testing/service.ts";
import { json, PASSWORD, send, startService, useWritten } from "../../testing/service.ts";

const MINUTE = 60_000;
const HOUR = 60 * MINUTE;
let service: TestService;
let beside: TestService;
beforeAll(async () => {
  service = await startService();
  beside = await startService({ beside: service });
  await service.register("anna@brina.example");
});
afterAll(async () => {
  await beside.stop();
  await service.stop();
});

const status = async (token: string, at = service) =>
  (await send(at, "GET", "/v1/session", { headers: { authorization: `Bearer ${token}` } })).status;

describe("a session", () => {
  test("SE-1 the row holds the SHA-256 of the token, and that value is no token", async () => {
    const token = await service.signIn("anna@brina.example");
    const hash = createHash("sha256").update(token).digest();
    const rows = await service.dataSource.query("SELECT id FROM session WHERE tokenHash = ?", [hash]);
    expect(rows).toHaveLength(1);
    expect(await status(token)).toBe(200);
    expect(await status(`lcs_${hash.toString("base64url")}`)).toBe(401);
  });

  test("SE-4 ends when idle, and use keeps it alive", async () => {
    const token = await service.signIn("anna@brina.example");
    await service.clock.advance(28 * MINUTE);
    expect(await status(token)).toBe(200);
    await useWritten(service);
    await service.clock.advance(28 * MINUTE);
    expect(await status(token)).toBe(200);
    await useWritten(service);
    await service.clock.advance(30 * MINUTE);
    expect(await status(token)).toBe(401);
    await service.clock.reset();
  });

  test("SE-5 ends at its absolute limit however busy, and stays ended when the clock goes back", async () => {
    const token = await service.signIn("anna@brina.example");
    const limit = service.configuration.sessions.ordinary.absolute;
    // Uses are noted as the service notes them, without waiting for each batch.
    for (let passed = 0; passed + 20 * MINUTE < limit; passed += 20 * MINUTE) {
      await service.clock.advance(20 * MINUTE);
      expect(await status(token)).toBe(200);
      await service.dataSource.query(
        "UPDATE session SET idleEndsAt = LEAST(endsAt, ?) WHERE endedAt IS NULL",
        [new Date(service.clock.now().getTime() + 30 * MINUTE)],
      );
    }
    await service.clock.advance(20 * MINUTE);
    expect(await status(token)).toBe(401);
    await service.clock.reset();
  });

  test("a remembered one outlives the idle time of an ordinary one, and its cookie the browser", async () => {
    const { body, headers } = json({
      proof: { type: "password", identifier: "anna@brina.example", password: PASSWORD },
      remember: true,
    });
    const reply = await send(service, "POST", "/v1/sign-in", { body, headers });
    expect(reply.headers.get("set-cookie")).toContain(`Max-Age=${30 * 24 * 3_600}`);
    const token = await service.signIn("anna@brina.example", PASSWORD, { remember: true });
    await service.clock.advance(10 * 24 * HOUR);
    expect(await status(token)).toBe(200);
    await service.clock.reset();
  });

  test("SE-6 signing out ends it on the server, on every instance, and removes the cookie; GET ends nothing", async () => {
    const token = await service.signIn("anna@brina.example");
    const cookie = `lucchetto-${new URL(service.url).port}=${token}`;
    await send(service, "GET", "/sign-out", { headers: { cookie } });
    expect(await status(token)).toBe(200);
    expect(await status(token, beside)).toBe(200);
    const reply = await send(service, "DELETE", "/v1/session", { headers: { cookie, origin: service.url } });
    expect(reply.status).toBe(204);
    expect(reply.headers.get("set-cookie")).toMatch(/=; .*Max-Age=0/);
    for (const at of [service, beside]) expect(await status(token, at)).toBe(401);
    const replayed = await send(service, "GET", "/v1/session", { headers: { cookie } });
    expect(replayed.status).toBe(401);
  });

  test("SE-8 suspending ends every session at once, on every instance; restoring revives none", async () => {
    const operator = await service.operator();
    const { id, token } = await service.register("suspended@brina.example");
    const change = (state: "active" | "suspended") =>
      service.as(operator)(routes.changeAccount, { params: { id }, body: { state } });
    await change("suspended");
    for (const at of [service, beside]) expect(await status(token, at)).toBe(401);
    await change("active");
    expect(await status(token)).toBe(401);
    expect(await status(await service.signIn("suspended@brina.example"))).toBe(200);
  });

  test("operators list sessions without tokens, and end one; nobody else may", async () => {
    const operator = await service.operator();
    const { id, token } = await service.register("ended@brina.example");
    const { body } = await service.as(operator)(routes.listSessions, { query: { accountId: id } });
    expect(body.items).toHaveLength(1);
    expect(JSON.stringify(body)).not.toMatch(/lcs_|tokenHash/);
    const sessionId = body.items[0]?.id ?? "";
    const asMember = await send(service, "DELETE", `/v1/operator/sessions/${sessionId}`, {
      headers: { authorization: `Bearer ${token}` },
    });
    expect(asMember.status).toBe(403);
    await service.as(operator)(routes.endSession, { params: { id: sessionId } });
    expect(await status(token)).toBe(401);
    const { body: after } = await service.as(operator)(routes.listSessions, { query: { accountId: id } });
    expect(after.items[0]).toMatchObject({ endReason: "ended-by-operator" });
  });

  test("SE-11 a token in the address signs nobody in", async () => {
    const token = await service.signIn("anna@brina.example");
    for (const path of [
      `/v1/session?token=${token}`,
      `/v1/session?access_token=${token}`,
      `/v1/session/${token}`,
    ]) {
      expect([401, 404]).toContain((await send(service, "GET", path)).status);
    }
    expect(service.log()).not.toContain(token);
  });

  test("SE-12 replies with personal data are not to be kept, refusals included", async () => {
    const operator = await service.operator();
    for (const path of ["/v1/session", "/v1/account", "/v1/operator/accounts", "/v1/operator/journal"]) {
      for (const headers of [{}, { authorization: `Bearer ${operator}` }] as Array<Record<string, string>>) {
        expect((await send(service, "GET", path, { headers })).headers.get("cache-control")).toBe("no-store");
      }
    }
  });
});

describe("cookies", () => {
  const signInCookie = async (at: TestService) => {
    const { body, headers } = json({
      proof: { type: "password", identifier: "anna@brina.example", password: PASSWORD },
    });
    const reply = await send(at, "POST", "/v1/sign-in", { body, headers });
    const [own = "", device = ""] = reply.headers.getSetCookie();
    expect(device).toMatch(
      /lucchetto-device[^;]*=lcd_[^;]+; Max-Age=34560000; Path=\/[^;]*; HttpOnly; (Secure; )?SameSite=Lax$/,
    );
    return own;
  };

  test("SE-10 on loopback the name carries the port, and the cookie is host-only, HttpOnly and Lax", async () => {
    const cookie = await signInCookie(service);
    expect(cookie).toMatch(
      new RegExp(`^lucchetto-${new URL(service.url).port}=lcs_[^;]+; Path=/; HttpOnly; SameSite=Lax$`),
    );
  });

  test("SE-10 on https it is __Host- named and Secure; under a path __Secure- named with that path; never with Domain", async () => {
    const secure = await startService({ beside: service, publicUrl: "https://accounts.brina.example" });
    const below = await startService({ beside: service, publicUrl: "https://brina.example/people" });
    try {
      expect(await signInCookie(secure)).toMatch(
        /^__Host-lucchetto=lcs_[^;]+; Path=\/; HttpOnly; Secure; SameSite=Lax$/,
      );
      expect(await signInCookie(below)).toMatch(
        /^__Secure-lucchetto=lcs_[^;]+; Path=\/people; HttpOnly; Secure; SameSite=Lax$/,
      );
    } finally {
      await secure.stop();
      await below.stop();
    }
  });
});
