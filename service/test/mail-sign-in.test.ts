import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import type { TestService } from "../../testing/service.ts";
import { PASSWORD, startService } from "../../testing/service.ts";
import { codeOf, mailsTo, mailTo, secretOf, Visitor } from "../../testing/visitor.ts";

const MINUTE = 60_000;

let service: TestService;
let beside: TestService;
beforeAll(async () => {
  service = await startService({ settings: { LUCCHETTO_SIGN_IN_MAIL_LINK: "register" } });
  beside = await startService({
    beside: service,
    settings: { LUCCHETTO_SIGN_IN_MAIL_LINK: "off" },
  });
});
afterAll(async () => {
  await beside.stop();
  await service.stop();
});

/** Asks in a browser, and reads the secret from the mail. */
async function begin(email: string, visitor = new Visitor(service), more: object = {}) {
  const seen = new Set((await mailsTo(service, email)).map(({ id }) => id));
  const asked = await visitor.post("/v1/mail-links", { purpose: "sign-in", identifier: email, ...more });
  expect(asked).toMatchObject({ status: 202, text: "{}" });
  return { visitor, secret: secretOf(await mailTo(service, email, "sign-in", seen)) };
}
const prove = (who: Visitor, proof: object) => who.post("/v1/sign-in/proof", { proof });
const swap = async (secret: string, elsewhere = new Visitor(service)) =>
  (await elsewhere.post("/v1/mail-links/redeem", { secret })).json<{ code: string }>().code;
const isSignedIn = async (who: Visitor) => (await who.call("GET", "/v1/session")).status === 200;

describe("signing in by mail", () => {
  test("LI-13 LI-14 in the browser that asked a click signs in, at level 1, and back to where one wanted to go", async () => {
    await service.register("anna@brina.example");
    const { visitor, secret } = await begin("anna@brina.example", new Visitor(service), {
      returnTo: "/account/details",
    });
    expect((await visitor.call("GET", "/v1/sign-in")).json()).toMatchObject({
      wanted: ["mail-link", "mail-code"],
    });
    expect((await visitor.post("/v1/mail-links/look", { secret })).json()).toMatchObject({
      purpose: "sign-in",
      here: true,
      wants: "nothing",
    });
    expect(await isSignedIn(visitor)).toBe(false);
    const reply = await prove(visitor, { type: "mail-link", secret });
    expect(reply.json()).toMatchObject({
      outcome: "signed-in",
      session: { aal: 1, amr: ["mail"] },
      account: { emailVerified: true },
      returnTo: "/account/details",
    });
    expect(await isSignedIn(visitor)).toBe(true);
    expect(codeOf(await prove(visitor, { type: "mail-link", secret }))).toBe("sign-in-lapsed");
    for (const returnTo of ["//evil.test", "https://evil.test", "/\\evil.test"]) {
      const elsewhere = await begin("anna@brina.example", visitor, { returnTo });
      const signedIn = await prove(elsewhere.visitor, { type: "mail-link", secret: elsewhere.secret });
      expect(signedIn.json()).not.toHaveProperty("returnTo");
    }
  });

  test("LI-13 in another browser it signs in nobody: it is swapped for a code that works only where it was begun", async () => {
    await service.register("bruno@brina.example");
    const { visitor: laptop, secret } = await begin("bruno@brina.example");
    const phone = new Visitor(service);
    expect((await phone.post("/v1/mail-links/look", { secret })).json()).toMatchObject({
      here: false,
      wants: "code",
      begunIn: { network: "127.0.0.1" },
    });
    expect(codeOf(await prove(phone, { type: "mail-link", secret }))).toBe("sign-in-lapsed");
    const code = await swap(secret, phone);
    expect(code).toMatch(/^\d{6}$/);
    expect(codeOf(await phone.post("/v1/mail-links/redeem", { secret }))).toBe("link-used");
    expect(await isSignedIn(laptop)).toBe(false);
    // A sign-in that somebody else began for the same name does not take it.
    const { visitor: thief } = await begin("bruno@brina.example");
    expect(codeOf(await prove(thief, { type: "mail-code", code }))).toBe("proof-refused");
    expect(codeOf(await prove(laptop, { type: "new-password", password: PASSWORD }))).toBe("proof-refused");
    const typed = `${code.slice(0, 3)} ${code.slice(3)}`;
    expect((await prove(laptop, { type: "mail-code", code: typed })).status).toBe(201);
    expect([await isSignedIn(laptop), await isSignedIn(phone), await isSignedIn(thief)]).toEqual([
      true,
      false,
      false,
    ]);
    const rows = JSON.stringify(await service.dataSource.query("SELECT * FROM sign_in"));
    expect(rows).not.toContain(code);
  });

  test("LI-13 SI-7 five wrong codes void it, also when they come at once", async () => {
    await service.register("carla@brina.example");
    const { visitor, secret } = await begin("carla@brina.example");
    const code = await swap(secret);
    const wrong = code === "000000" ? "000001" : "000000";
    const tries = await Promise.all(
      Array.from({ length: 20 }, () => prove(visitor, { type: "mail-code", code: wrong })),
    );
    expect(tries.filter((reply) => codeOf(reply) === "proof-refused")).toHaveLength(5);
    expect(codeOf(await prove(visitor, { type: "mail-code", code }))).toBe("sign-in-lapsed");
  });

  test("LI-1 LI-13 of fifty right proofs at once one makes a session", async () => {
    await service.register("dora@brina.example");
    for (const type of ["mail-link", "mail-code"] as const) {
      const { visitor, secret } = await begin("dora@brina.example");
      const proof = type === "mail-link" ? { type, secret } : { type, code: await swap(secret) };
      const tries = await Promise.all(Array.from({ length: 50 }, () => prove(visitor, proof)));
      expect(tries.filter(({ status }) => status === 201)).toHaveLength(1);
      expect(tries.filter(({ status }) => status >= 500)).toEqual([]);
    }
  });

  test("LI-8 LI-13 for an unknown name the same is begun, and nothing comes of it", async () => {
    const stranger = new Visitor(service);
    const asked = await stranger.post("/v1/mail-links", { purpose: "sign-in", identifier: "nobody" });
    expect(asked).toMatchObject({ status: 202, text: "{}" });
    expect((await stranger.call("GET", "/v1/sign-in")).status).toBe(200);
    expect(codeOf(await prove(stranger, { type: "mail-code", code: "123456" }))).toBe("proof-refused");
    expect(codeOf(await prove(stranger, { type: "new-password", password: PASSWORD }))).toBe("proof-refused");
  });

  test("LI-2 LI-4 ten minutes, and a newer one asked for in the same browser voids the older", async () => {
    await service.register("elio@brina.example");
    const first = await begin("elio@brina.example");
    const second = await begin("elio@brina.example", first.visitor);
    expect(codeOf(await prove(first.visitor, { type: "mail-link", secret: first.secret }))).toBe(
      "link-superseded",
    );
    await service.clock.advance(10 * MINUTE - 10_000);
    expect((await prove(second.visitor, { type: "mail-link", secret: second.secret })).status).toBe(201);
    const late = await begin("elio@brina.example");
    await service.clock.advance(10 * MINUTE);
    expect(codeOf(await prove(late.visitor, { type: "mail-link", secret: late.secret }))).toBe(
      "sign-in-lapsed",
    );
    expect(codeOf(await late.visitor.post("/v1/mail-links/look", { secret: late.secret }))).toBe(
      "link-expired",
    );
    await service.clock.reset();
  });

  test("LI-6 GET and HEAD of the landing page spend nothing, as mail scanners do it", async () => {
    await service.register("gina@brina.example");
    const { visitor, secret } = await begin("gina@brina.example");
    for (let fetched = 0; fetched < 10; fetched += 1)
      for (const method of ["GET", "HEAD"])
        expect(
          (await visitor.call(method, "/link", undefined, { headers: { accept: "text/html" } })).status,
        ).toBe(200);
    expect(await isSignedIn(visitor)).toBe(false);
    expect((await prove(visitor, { type: "mail-link", secret })).status).toBe(201);
  });

  test("LI-14 switched off asking is answered alike, nothing is sent, and links under way do nothing", async () => {
    await service.register("hugo@brina.example");
    const { visitor, secret } = await begin("hugo@brina.example");
    const before = (await mailsTo(service, "hugo@brina.example")).length;
    const asked = await visitor.call(
      "POST",
      "/v1/mail-links",
      { purpose: "sign-in", identifier: "hugo@brina.example" },
      { at: beside },
    );
    expect(asked).toMatchObject({ status: 202, text: "{}" });
    const refused = await visitor.call("POST", "/v1/mail-links/look", { secret }, { at: beside });
    expect(codeOf(refused)).toBe("link-unknown");
    expect(await mailsTo(service, "hugo@brina.example")).toHaveLength(before);
  });

  test("a new address registers this way where the site lets it: the account begins with its link", async () => {
    const { visitor, secret } = await begin("new@brina.example");
    expect(
      await service.dataSource.query("SELECT id FROM account WHERE email = 'new@brina.example'"),
    ).toEqual([]);
    const reply = await prove(visitor, { type: "mail-link", secret });
    expect(reply.json()).toMatchObject({ account: { email: "new@brina.example", emailVerified: true } });
    // No password yet: one can be set within ten minutes, without a present one.
    const set = await visitor.post("/v1/account/password", { password: PASSWORD });
    expect(set.status).toBe(200);
    expect(await service.signIn("new@brina.example")).toMatch(/^lcs_/);
    await service.clock.advance(11 * MINUTE);
    const again = await visitor.post("/v1/account/password", { password: `${PASSWORD} more` });
    expect(codeOf(again)).toBe("reauthenticate");
    await service.clock.reset();
  });

  test("who must choose a new password is asked for it after the link", async () => {
    const { id } = await service.register("ivo@brina.example");
    const { visitor: first, secret: proof } = await begin("ivo@brina.example");
    await prove(first, { type: "mail-link", secret: proof });
    await first.post("/v1/account/password", { password: PASSWORD });
    await service.as(await service.operator())(routes.changeAccount, {
      params: { id },
      body: { mustChangePassword: true },
    });
    const { visitor, secret } = await begin("ivo@brina.example");
    const begun = await prove(visitor, { type: "mail-link", secret });
    expect(begun).toMatchObject({ status: 202 });
    expect(begun.json()).toMatchObject({ wanted: ["new-password"] });
    expect(await isSignedIn(visitor)).toBe(false);
    const chosen = { type: "new-password", password: `${PASSWORD} more` };
    expect((await prove(visitor, chosen)).json()).toMatchObject({ session: { amr: ["mail"] } });
    expect(await isSignedIn(visitor)).toBe(true);
  });
});
