import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import type { TestService } from "../../testing/service.ts";
import { json, PASSWORD, send, startService } from "../../testing/service.ts";

const NEW = "another good long password";
const MINUTE = 60_000;

let service: TestService;
let operator: string;
beforeAll(async () => {
  service = await startService();
});
afterAll(() => service.stop());

/** An account that an operator gave a first password, so that a new one is wanted; with what the sign-in in progress answered. */
async function begin(email: string, deliver: "token" | "cookie" = "token") {
  operator = await service.operator();
  const { id, token: session } = await service.register(email);
  await mustChange(id);
  const reply = await signIn(email, PASSWORD, deliver);
  const { token, ...body } = reply.json<{ token?: string; outcome: string; wanted: string[] }>();
  return { id, session, reply, body, token: token ?? "" };
}

async function mustChange(id: string): Promise<void> {
  const body = { password: PASSWORD, reason: "asked for at the counter" };
  await service.as(operator)(routes.giveFirstPassword, { params: { id }, body });
}

function signIn(identifier: string, password: string, deliver: "token" | "cookie" = "token") {
  const request = json({ proof: { type: "password", identifier, password }, deliver });
  return send(service, "POST", "/v1/sign-in", request);
}

function show(password: string, headers: Record<string, string>) {
  const { body, headers: type } = json({ proof: { type: "new-password", password } });
  return send(service, "POST", "/v1/sign-in/proof", { body, headers: { ...type, ...headers } });
}
const bearer = (token: string) => ({ authorization: `Bearer ${token}` });

async function sessionsOf(id: string): Promise<number> {
  const [{ alive }] = await service.dataSource.query(
    "SELECT COUNT(*) AS alive FROM session WHERE accountId = ? AND endedAt IS NULL",
    [id],
  );
  return Number(alive);
}

describe("an operator wants a new password", () => {
  test("PW-9 the right password gives no session but the change; the old one again is refused; a new one signs in", async () => {
    const { id, session, reply, body, token } = await begin("anna@brina.example");
    expect(reply.status).toBe(202);
    expect(body).toMatchObject({ outcome: "proof-wanted", wanted: ["new-password"] });
    expect((await send(service, "GET", "/v1/session", { headers: bearer(session) })).status).toBe(401);
    expect(await sessionsOf(id)).toBe(0);

    const old = await show(PASSWORD, bearer(token));
    expect(old.status).toBe(400);
    expect(old.text).toMatch(/you are replacing/);
    const short = await show("short", bearer(token));
    expect(short.json()).toMatchObject({ code: "invalid-fields", errors: [{ path: "password" }] });
    const done = await show(NEW, bearer(token));
    expect(done.status).toBe(201);
    expect(done.json()).toMatchObject({ outcome: "signed-in", token: expect.stringMatching(/^lcs_/) });
    expect((await signIn("anna@brina.example", PASSWORD)).status).toBe(401);
    expect((await signIn("anna@brina.example", NEW)).status).toBe(201);
  });

  test("PW-9 five years alone ask for nothing", async () => {
    await service.register("patient@brina.example");
    await service.clock.advance(5 * 365 * 24 * 60 * MINUTE);
    expect((await signIn("patient@brina.example", PASSWORD)).status).toBe(201);
    await service.clock.reset();
  });

  test("SI-5 SI-6 until then there is no session, and its token is good for nothing else", async () => {
    const { id, token, reply } = await begin("bruno@brina.example");
    expect(reply.headers.get("set-cookie")).toBeNull();
    expect(await sessionsOf(id)).toBe(0);
    for (const path of ["/v1/session", "/v1/account"])
      expect((await send(service, "GET", path, { headers: bearer(token) })).status).toBe(401);
    expect((await show(NEW, {})).json()).toMatchObject({ code: "sign-in-lapsed", status: 401 });
    expect((await show(NEW, bearer(`lci_${"A".repeat(43)}`))).status).toBe(401);
    const named = json({ proof: { type: "new-password", password: NEW, identifier: "anna@brina.example" } });
    const refused = await send(service, "POST", "/v1/sign-in/proof", {
      body: named.body,
      headers: { ...named.headers, ...bearer(token) },
    });
    expect(refused.json()).toMatchObject({ code: "invalid-fields" });
  });

  test("SI-6 in a browser it is known by a cookie of its own, which goes when the session comes", async () => {
    const { reply } = await begin("carla@brina.example", "cookie");
    const cookies = reply.headers.getSetCookie();
    expect(cookies).toHaveLength(1);
    expect(cookies[0]).toMatch(/^lucchetto-sign-in-\d+=lci_[\w-]{43}; Path=\/; HttpOnly; SameSite=Lax$/);
    const cookie = cookies[0]?.split(";", 1)[0] ?? "";
    expect((await show(NEW, { cookie })).json()).toMatchObject({ code: "foreign-origin" });
    expect((await show(NEW, { cookie, origin: "https://evil.test" })).status).toBe(403);
    const done = await show(NEW, { cookie, origin: service.url });
    expect(done.status).toBe(201);
    const given = done.headers.getSetCookie();
    expect(given[0]).toMatch(/^lucchetto-\d+=lcs_/);
    expect(given.some((one) => /^lucchetto-sign-in-\d+=; Max-Age=0/.test(one))).toBe(true);
  });

  test("SI-7 it lapses after five minutes, and tries do not extend it", async () => {
    const { token } = await begin("dora@brina.example");
    await service.clock.advance(5 * MINUTE - 8_000);
    expect((await show("short", bearer(token))).status).toBe(400);
    await service.clock.advance(8_000);
    expect((await show(NEW, bearer(token))).json()).toMatchObject({ code: "sign-in-lapsed" });
    await service.clock.reset();
    const { token: again } = await begin("dario@brina.example");
    await service.clock.advance(5 * MINUTE - 8_000);
    expect((await show(NEW, bearer(again))).status).toBe(201);
    await service.clock.reset();
  });

  test("SI-8 fifty at once make one session", async () => {
    const { id, token } = await begin("elio@brina.example");
    const replies = await Promise.all(
      Array.from({ length: 50 }, (_, index) => show(`${NEW} ${index}`, bearer(token))),
    );
    expect(replies.filter(({ status }) => status === 201)).toHaveLength(1);
    expect(replies.some(({ status }) => status >= 500 && status !== 503)).toBe(false);
    expect(await sessionsOf(id)).toBe(1);
    expect((await show(`${NEW} !`, bearer(token))).status).toBe(401);
  });

  test("SI-9 a suspension and a change of the password in between end it", async () => {
    const { id, token } = await begin("fausta@brina.example");
    for (const state of ["suspended", "active"] as const)
      await service.as(operator)(routes.changeAccount, { params: { id }, body: { state } });
    expect((await show(NEW, bearer(token))).status).toBe(401);
    const first = (await signIn("fausta@brina.example", PASSWORD)).json<{ token: string }>().token;
    const second = (await signIn("fausta@brina.example", PASSWORD)).json<{ token: string }>().token;
    expect((await show(NEW, bearer(second))).status).toBe(201);
    expect((await show(`${NEW}!`, bearer(first))).status).toBe(401);
    expect(await sessionsOf(id)).toBe(1);
  });

  test("TH-3 an open change clears no count; the complete sign-in does", async () => {
    const { id, token } = await begin("gino@brina.example");
    const failures = async () => {
      const rows = await service.dataSource.query(
        "SELECT failures FROM throttle_count WHERE subject = ? AND kind = 'account-strange'",
        [id],
      );
      return rows.reduce((sum: number, row: { failures: number }) => sum + row.failures, 0);
    };
    for (let tried = 0; tried < 3; tried += 1) await signIn("gino@brina.example", "a wrong long password");
    expect((await signIn("gino@brina.example", PASSWORD)).status).toBe(202);
    expect(await failures()).toBe(3);
    expect((await show(NEW, bearer(token))).status).toBe(201);
    expect(await failures()).toBe(0);
  });

  test("SI-4 of two checks that fail at once the earlier one answers", async () => {
    const { id } = await begin("hugo@brina.example");
    const post = (body: object, headers: Record<string, string> = {}) => {
      const request = json(body);
      return send(service, "POST", "/v1/sign-in", {
        body: request.body,
        headers: { ...request.headers, ...headers },
      });
    };
    const codeOf = (reply: Awaited<ReturnType<typeof post>>) => reply.json<{ code: string }>().code;
    const foreign = { origin: "https://evil.test" };
    const proof = (password: string) => ({ type: "password", identifier: "hugo@brina.example", password });
    // Shape before origin.
    expect(codeOf(await post({ proof: {} }, foreign))).toBe("invalid-fields");
    // Origin before throttle.
    for (let tried = 0; tried < 6; tried += 1) await post({ proof: proof("a wrong long password") });
    expect(codeOf(await post({ proof: proof(PASSWORD) }, foreign))).toBe("foreign-origin");
    // Throttle before look-up and hash: the right password is not even checked.
    expect(codeOf(await post({ proof: proof(PASSWORD) }))).toBe("throttled");
    await service.clock.advance(MINUTE);
    // Hash before state, state before must-change.
    await service.as(await service.operator())(routes.changeAccount, {
      params: { id },
      body: { state: "suspended" },
    });
    expect(codeOf(await post({ proof: proof("a wrong long password") }))).toBe("sign-in-refused");
    await service.clock.advance(MINUTE);
    expect(codeOf(await post({ proof: proof(PASSWORD) }))).toBe("account-suspended");
    await service.clock.reset();
  });
});
