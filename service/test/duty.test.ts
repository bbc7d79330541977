/** Who must have a second factor enrols inside the sign-in; for whom only a passkey counts. */
import { afterAll, afterEach, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import { addPasskeyAt, beginAt, madeFor, proofOf, signInBy } from "../../testing/passkey.ts";
import { codesOf, enrolAuthenticator } from "../../testing/second-factor.ts";
import type { TestService } from "../../testing/service.ts";
import { PASSWORD, startService } from "../../testing/service.ts";
import { codeOf, mailTo, registerProved, secretOf, Visitor } from "../../testing/visitor.ts";

let service: TestService;
beforeAll(async () => {
  service = await startService({
    settings: {
      LUCCHETTO_SECOND_FACTOR_REQUIRED: "[keeper]",
      LUCCHETTO_SECOND_FACTOR_PASSKEY_ONLY: "[warden]",
    },
  });
});
afterEach(() => service.clock.reset());
afterAll(() => service.stop());

const MINUTE = 60_000;
const passwordOf = (identifier: string) => ({ proof: { type: "password", identifier, password: PASSWORD } });
const proof = (who: Visitor, shown: object) => who.post("/v1/sign-in/proof", { proof: shown });
const label = (id: string, ...labels: string[]) =>
  service.dataSource.query("UPDATE account SET labels = ? WHERE id = ?", [JSON.stringify(labels), id]);

async function somebody(name: string, { labels = ["keeper"], proved = false } = {}) {
  const email = `${name}@brina.example`;
  const { id, token } = await (proved ? registerProved(service, email) : service.register(email));
  await label(id, ...labels);
  return { id, email, token };
}

/** Shows the mailed link in the browser that waits for it. */
async function showMail(who: Visitor, email: string, seen = new Set<string>()) {
  const secret = secretOf(await mailTo(service, email, "confirm-sign-in", seen));
  return proof(who, { type: "mail-link", secret });
}

describe("a second factor that is required", () => {
  test("SI-10 is set up inside the sign-in, before a session: an authenticator app", async () => {
    const { email, id } = await somebody("anna");
    const who = new Visitor(service);
    const first = await who.post("/v1/sign-in", passwordOf(email));
    expect(first.json()).toMatchObject({ outcome: "proof-wanted", wanted: ["enrol-passkey", "enrol-totp"] });
    for (const [method, path] of [
      ["GET", "/v1/account"],
      ["GET", "/v1/session"],
      ["GET", "/v1/account/totp"],
      ["POST", "/v1/account/recovery-codes"],
      ["GET", "/v1/sessions"],
    ] as const)
      expect([path, (await who.call(method, path)).status]).toEqual([path, 401]);
    const begun = (await who.post("/v1/account/totp", {})).json<{ id: string; uri: string }>();
    const code = codesOf(service, begun.uri);
    const wrong = ["000000", "111111", "222222", "333333"].find(
      (one) => ![code(-1), code(), code(1)].includes(one),
    );
    const refused = await proof(who, { type: "enrol-totp", id: begun.id, code: wrong });
    expect(refused.json()).toMatchObject({ errors: [{ path: "proof.code", code: "code-wrong" }] });
    const reply = await proof(who, { type: "enrol-totp", id: begun.id, code: code() });
    expect(reply.status).toBe(201);
    expect(reply.json()).toMatchObject({ session: { aal: 2, amr: ["pwd", "otp", "mfa"] } });
    expect(reply.json<{ recoveryCodes: string[] }>().recoveryCodes).toHaveLength(10);
    const [row] = await service.dataSource.query(
      "SELECT COUNT(*) AS told FROM journal_entry WHERE accountId = ? AND kind = 'totp.activated'",
      [id],
    );
    expect(Number(row.told)).toBe(1);
    // The next one is asked for it.
    const next = await new Visitor(service).post("/v1/sign-in", passwordOf(email));
    expect(next.json()).toMatchObject({ wanted: ["totp", "recovery-code"] });
  });

  test("SI-10 a passkey, by a program; given up, nothing is left", async () => {
    const { email } = await somebody("bruno");
    const call = service.client;
    const begin = async () => {
      const { body } = await call(routes.signIn, {
        body: { ...(passwordOf(email) as never as object), deliver: "token" } as never,
      });
      return body.token ?? "";
    };
    const token = await begin();
    const pending = service.as(token);
    const { body: begun } = await pending(routes.beginPasskey, { body: { purpose: "enrol" } });
    const { answer } = madeFor(service, begun as never);
    // A session's call does not take what was issued inside a sign-in, nor does another sign-in.
    await expect(
      service.as(await begin())(routes.addProof, { body: { proof: { type: "enrol-passkey", ...answer } } }),
    ).rejects.toMatchObject({
      problem: { code: "passkey-challenge-unknown" },
    });
    const { body } = await pending(routes.addProof, {
      body: { proof: { type: "enrol-passkey", ...answer } },
    });
    expect(body).toMatchObject({
      outcome: "signed-in",
      session: { aal: 2, amr: ["pwd", "swk", "user", "mfa"] },
    });
    expect(body.recoveryCodes).toHaveLength(10);

    const abandoned = await somebody("bice");
    const who = new Visitor(service);
    await who.post("/v1/sign-in", passwordOf(abandoned.email));
    await who.post("/v1/account/totp", {});
    await service.clock.advance(16 * MINUTE);
    const again = await new Visitor(service).post("/v1/sign-in", passwordOf(abandoned.email));
    expect(again.json()).toMatchObject({ wanted: ["enrol-passkey", "enrol-totp"] });
    expect(
      await service.dataSource.query("SELECT id FROM passkey WHERE accountId = ?", [abandoned.id]),
    ).toEqual([]);
  });

  test("RC-6 where the address is proved, a mailed proof comes first: a leaked password sets nothing up", async () => {
    const { email } = await somebody("carla", { proved: true });
    const who = new Visitor(service);
    const first = await who.post("/v1/sign-in", passwordOf(email));
    expect(first.json()).toMatchObject({ wanted: ["mail-link", "mail-code"] });
    for (const attempt of [
      await who.post("/v1/account/totp", {}),
      await who.post("/v1/passkey-challenges", { purpose: "enrol" }),
    ])
      expect([attempt.status, codeOf(attempt)]).toEqual([401, "proof-refused"]);
    const shown = await showMail(who, email);
    expect(shown.json()).toMatchObject({ wanted: ["enrol-passkey", "enrol-totp"] });
    const { answer } = madeFor(service, await beginAt(who, "enrol"));
    const reply = await proof(who, { type: "enrol-passkey", ...answer });
    expect(reply.json()).toMatchObject({ session: { aal: 2, amr: ["pwd", "mail", "swk", "user", "mfa"] } });
    expect(await mailTo(service, email, "passkey-added")).toBeDefined();
    // By the link in a mail too.
    const dora = await somebody("dora", { proved: true });
    const other = new Visitor(service);
    await other.post("/v1/mail-links", { purpose: "sign-in", identifier: dora.email });
    const secret = secretOf(await mailTo(service, dora.email, "sign-in"));
    const byMail = await proof(other, { type: "mail-link", secret });
    expect(byMail.json()).toMatchObject({ wanted: ["enrol-passkey", "enrol-totp"] });
  });

  test("a passkey alone is enough, and nobody else is asked", async () => {
    const { email, id } = await somebody("elsa", { labels: [] });
    const browser = new Visitor(service);
    expect((await browser.post("/v1/sign-in", passwordOf(email))).status).toBe(201);
    const { passkey } = await addPasskeyAt(service, browser);
    await label(id, "keeper");
    expect((await signInBy(service, new Visitor(service), passkey)).status).toBe(201);
  });

  test("everybody, and in production operators in any case", async () => {
    const all = await startService({ settings: { LUCCHETTO_SECOND_FACTOR_REQUIRED: "everybody" } });
    try {
      const email = "gina@brina.example";
      const who = new Visitor(all);
      // Registering opens nothing either, before it is set up.
      const registered = await who.post("/v1/accounts", { email, password: PASSWORD });
      expect([registered.status, registered.json()]).toMatchObject([
        202,
        { wanted: ["enrol-passkey", "enrol-totp"] },
      ]);
      expect((await who.call("GET", "/v1/session")).status).toBe(401);
      const { answer } = madeFor(all, await beginAt(who, "enrol"));
      const enrolled = await who.post("/v1/sign-in/proof", { proof: { type: "enrol-passkey", ...answer } });
      expect(enrolled.json()).toMatchObject({ outcome: "signed-in", session: { aal: 2 } });
      // With a passkey at once there is nothing more to ask.
      const other = new Visitor(all);
      const made = madeFor(all, await beginAt(other, "register"));
      expect((await other.post("/v1/accounts", { username: "gino", ...made.answer })).status).toBe(201);
      // Whoever proves an address that a stranger registered sets one up too.
      const stranger = new Visitor(all);
      await stranger.post("/v1/accounts", { email: "ivo@brina.example", password: PASSWORD });
      const owner = new Visitor(all);
      await owner.post("/v1/mail-links", { purpose: "sign-in", identifier: "ivo@brina.example" });
      const secret = secretOf(await mailTo(all, "ivo@brina.example", "sign-in"));
      const proved = await owner.post("/v1/sign-in/proof", { proof: { type: "mail-link", secret } });
      expect(proved.json()).toMatchObject({
        outcome: "proof-wanted",
        wanted: ["enrol-passkey", "enrol-totp"],
      });
    } finally {
      await all.stop();
    }
  });
});

describe("passwords beside a second factor", () => {
  test("PW-2 eight code points are enough where one is required; alone such a password is never", async () => {
    const eight = "kq7-vzpd";
    const strict = await startService({ settings: { LUCCHETTO_SECOND_FACTOR_REQUIRED: "everybody" } });
    const email = "lia@brina.example";
    try {
      const who = new Visitor(strict);
      const short = await who.post("/v1/accounts", { email, password: "kq7-vzp" });
      expect(short.json()).toMatchObject({
        errors: [{ code: "password-too-short", parameters: { least: 8 } }],
      });
      await who.post("/v1/accounts", { email, password: eight });
      const { passkey, answer } = madeFor(strict, await beginAt(who, "enrol"));
      const enrolled = await who.post("/v1/sign-in/proof", { proof: { type: "enrol-passkey", ...answer } });
      expect(enrolled.status).toBe(201);
      const { items } = (await who.call("GET", "/v1/account/passkeys")).json<{
        items: Array<{ id: string }>;
      }>();
      const removed = await who.call("DELETE", `/v1/account/passkeys/${items[0]?.id}`);
      expect([removed.status, codeOf(removed)]).toEqual([409, "password-too-short-alone"]);

      // The policy is switched off: the next sign-in asks for a longer one before there is a session.
      const lenient = await startService({ beside: strict });
      try {
        const later = new Visitor(lenient);
        const first = await later.post("/v1/sign-in", {
          proof: { type: "password", identifier: email, password: eight },
        });
        expect(first.json()).toMatchObject({ wanted: ["passkey", "recovery-code"] });
        const { proof: shown } = proofOf(lenient, passkey, await beginAt(later, "sign-in"));
        const second = await later.post("/v1/sign-in/proof", { proof: shown });
        expect(second.json()).toMatchObject({ outcome: "proof-wanted", wanted: ["new-password"] });
        const again = await later.post("/v1/sign-in/proof", {
          proof: { type: "new-password", password: "kq7-vzpe" },
        });
        expect(again.json()).toMatchObject({
          errors: [{ code: "password-too-short", parameters: { least: 15 } }],
        });
        const done = await later.post("/v1/sign-in/proof", {
          proof: { type: "new-password", password: PASSWORD },
        });
        expect(done.status).toBe(201);
        expect((await signInBy(lenient, new Visitor(lenient), passkey)).status).toBe(201);
        const refused = await new Visitor(lenient).post("/v1/accounts", {
          username: "lino",
          password: eight,
        });
        expect(refused.json()).toMatchObject({ errors: [{ parameters: { least: 15 } }] });
      } finally {
        await lenient.stop();
      }
    } finally {
      await strict.stop();
    }
  });
});

describe("where only a passkey counts", () => {
  test("password, mail and app give no session; a recovery code and a mailed proof lead to enrolling one alone", async () => {
    const { email, id, token } = await somebody("franco", { labels: [], proved: true });
    const app = await enrolAuthenticator(service, token);
    await label(id, "warden");
    const who = new Visitor(service);
    const first = await who.post("/v1/sign-in", passwordOf(email));
    expect(first.json()).toMatchObject({ wanted: ["totp", "recovery-code"] });
    const second = await proof(who, { type: "totp", code: await app.nextCode() });
    expect(second.json()).toMatchObject({ outcome: "proof-wanted", wanted: ["mail-link", "mail-code"] });
    const third = await showMail(who, email);
    expect(third.json()).toMatchObject({ wanted: ["enrol-passkey"] });
    const { passkey, answer } = madeFor(service, await beginAt(who, "enrol"));
    expect((await proof(who, { type: "enrol-passkey", ...answer })).status).toBe(201);

    // From now on the passkey is asked for, and the app opens nothing.
    const later = new Visitor(service);
    expect((await later.post("/v1/sign-in", passwordOf(email))).json()).toMatchObject({
      wanted: ["passkey", "recovery-code"],
    });
    expect(codeOf(await proof(later, { type: "totp", code: await app.nextCode() }))).toBe("proof-refused");
    const { proof: shown } = proofOf(service, passkey, await beginAt(later, "sign-in"));
    expect((await proof(later, shown)).status).toBe(201);

    const lost = new Visitor(service);
    await lost.post("/v1/sign-in", passwordOf(email));
    const seen = new Set([(await mailTo(service, email, "confirm-sign-in")).id]);
    const [code = ""] = app.recoveryCodes;
    const stood = await proof(lost, { type: "recovery-code", code });
    expect(stood.json()).toMatchObject({ outcome: "proof-wanted", wanted: ["mail-link", "mail-code"] });
    expect((await showMail(lost, email, seen)).json()).toMatchObject({ wanted: ["enrol-passkey"] });
    expect((await lost.call("GET", "/v1/session")).status).toBe(401);
  });
});
