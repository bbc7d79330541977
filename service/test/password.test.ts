import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import type { TestService } from "../../testing/service.ts";
import { json, PASSWORD, send, startService } from "../../testing/service.ts";

const NEW = "another good long one";
let service: TestService;
let beside: TestService;
beforeAll(async () => {
  service = await startService();
  beside = await startService({ beside: service });
});
afterAll(async () => {
  await beside.stop();
  await service.stop();
});

const status = async (token: string, at = service) =>
  (await send(at, "GET", "/v1/session", { headers: { authorization: `Bearer ${token}` } })).status;
const change = (token: string, body: object) =>
  send(service, "POST", "/v1/account/password", {
    body: JSON.stringify(body),
    headers: { "content-type": "application/json", authorization: `Bearer ${token}` },
  });

describe("changing the password", () => {
  test("SE-7 SE-3 ends the other sessions, and this one goes on with a new token, on every instance", async () => {
    const { token } = await service.register("anna@brina.example");
    const others = [await service.signIn("anna@brina.example"), await service.signIn("anna@brina.example")];
    const reply = await change(token, { present: PASSWORD, password: NEW });
    expect(reply.status).toBe(200);
    const changed = reply.json<{ token: string; endedSessions: number }>();
    expect(changed.endedSessions).toBe(2);
    for (const at of [service, beside]) {
      for (const old of [token, ...others]) expect(await status(old, at)).toBe(401);
      expect(await status(changed.token, at)).toBe(200);
    }
    await expect(service.signIn("anna@brina.example", PASSWORD)).rejects.toThrow(
      /name or the password is wrong/,
    );
    expect(await service.signIn("anna@brina.example", NEW)).toMatch(/^lcs_/);
  });

  test("in a browser the new token comes in the cookie alone", async () => {
    await service.register("cookie@brina.example");
    const { body, headers } = json({
      proof: { type: "password", identifier: "cookie@brina.example", password: PASSWORD },
    });
    const signedIn = await send(service, "POST", "/v1/sign-in", { body, headers });
    const cookie = signedIn.headers
      .getSetCookie()
      .map((one) => one.split(";", 1)[0])
      .join("; ");
    const posted = json({ present: PASSWORD, password: NEW });
    const reply = await send(service, "POST", "/v1/account/password", {
      ...posted,
      headers: { ...posted.headers, cookie, origin: service.url },
    });
    expect(reply.status).toBe(200);
    expect(reply.text).not.toContain("lcs_");
    const fresh = reply.headers.get("set-cookie")?.split(";", 1)[0] ?? "";
    expect((await send(service, "GET", "/v1/session", { headers: { cookie } })).status).toBe(401);
    expect((await send(service, "GET", "/v1/session", { headers: { cookie: fresh } })).status).toBe(200);
  });

  test("PW-1 PW-11 PW-12 the new one is judged like one at registration, and a refusal changes nothing", async () => {
    const { token } = await service.register("judged.person@brina.example");
    const refused = [
      "x".repeat(14),
      "",
      "passwordpassword",
      "judgedperson-2026!!",
      `${NEW}\u0000`,
      "x".repeat(257),
    ];
    for (const password of refused) {
      const reply = await change(token, { present: PASSWORD, password });
      expect({ password, status: reply.status }).toEqual({ password, status: 400 });
      expect(reply.json<{ errors: Array<{ path: string }> }>().errors[0]?.path).toBe("password");
    }
    expect(await status(token)).toBe(200);
    await service.signIn("judged.person@brina.example", PASSWORD);
  });

  test("a wrong present password is a field error, counted like a failed sign-in, and journalled", async () => {
    const { token, id } = await service.register("guesser@brina.example");
    for (let index = 0; index < 5; index += 1) {
      const reply = await change(token, { present: "a wrong long password", password: NEW });
      expect(reply.json()).toMatchObject({ status: 400, errors: [{ path: "present" }] });
    }
    expect((await change(token, { present: PASSWORD, password: NEW })).status).toBe(429);
    const operator = service.as(await service.operator());
    const { body } = await operator(routes.listJournal, {
      query: { accountId: id, kind: "password.change-refused" },
    });
    expect(body.items).toHaveLength(5);
  });

  test("two changes at once with one token: one is done, the other changes nothing", async () => {
    const { token } = await service.register("twice@brina.example");
    const replies = await Promise.all(
      [1, 2].map((n) => change(token, { present: PASSWORD, password: `${NEW} ${n}` })),
    );
    const done = replies.findIndex(({ status }) => status === 200);
    // The other finds its token spent, or already the new password in the place of the present one.
    expect([400, 401]).toContain(replies[1 - done]?.status);
    await service.signIn("twice@brina.example", `${NEW} ${done + 1}`);
  });

  test("PW-15 setting the same password again changes the salt", async () => {
    const { token, id } = await service.register("same@brina.example");
    const record = async () =>
      (await service.dataSource.query("SELECT record FROM password_record WHERE accountId = ?", [id]))[0]
        .record as string;
    const before = await record();
    expect((await change(token, { present: PASSWORD, password: PASSWORD })).status).toBe(200);
    expect(await record()).not.toBe(before);
  });
});
