/** At the edges of the recovery rules: counts, what is left behind, and what is over. */
import { afterAll, afterEach, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import { enrolAuthenticator } from "../../testing/second-factor.ts";
import type { InProcessService } from "../../testing/service.ts";
import { PASSWORD, startService } from "../../testing/service.ts";
import { codeOf, mailsTo, mailTo, registerProved, secretOf, Visitor } from "../../testing/visitor.ts";

const WRONG = "a wrong long password";
const MINUTE = 60_000;
const DAY = 86_400_000;

let service: InProcessService;
beforeAll(async () => {
  service = await startService();
});
afterEach(() => service.clock.reset());
afterAll(() => service.stop());

const signIn = (who: Visitor, identifier: string, typed = PASSWORD) =>
  who.post("/v1/sign-in", { proof: { type: "password", identifier, password: typed } });
const redeem = (who: Visitor, secret: string, more: object = {}) =>
  who.post("/v1/mail-links/redeem", { secret, ...more });

describe("failures under one of an account's names", () => {
  test("TH-9 tell nothing about the other name; the wait is the name's own, known or not", async () => {
    await service.client(routes.register, {
      body: { email: "anna@brina.example", username: "anna", password: PASSWORD, deliver: "token" },
    });
    for (let tries = 0; tries < 5; tries += 1) await signIn(new Visitor(service), "anna", WRONG);
    expect((await signIn(new Visitor(service), "anna")).status).toBe(429);
    // Whoever compares the two learns nothing: the address is free, as any other would be.
    expect((await signIn(new Visitor(service), "anna@brina.example", WRONG)).status).toBe(401);
    expect((await signIn(new Visitor(service), "anna@brina.example")).status).toBe(201);
    // And a complete sign-in clears both.
    expect((await signIn(new Visitor(service), "anna")).status).toBe(201);
  });

  test("TH-9 TH-10 are forgotten alike for names that somebody has and names that nobody has", async () => {
    await service.register("bruno@brina.example");
    for (const name of ["bruno@brina.example", "nobody@brina.example"])
      for (let tries = 0; tries < 5; tries += 1) await signIn(new Visitor(service), name, WRONG);
    await service.clock.advance(DAY + MINUTE);
    await service.sweep();
    const replies = [];
    for (const name of ["bruno@brina.example", "nobody@brina.example"]) {
      const codes = [];
      for (let tries = 0; tries < 6; tries += 1)
        codes.push(codeOf(await signIn(new Visitor(service), name, WRONG)));
      replies.push(codes);
    }
    expect(replies[0]).toEqual(replies[1]);
    expect(replies[0]?.slice(0, 5)).toEqual(Array.from({ length: 5 }, () => "sign-in-refused"));
  });

  test("TH-1 both names together close the account at ninety", async () => {
    await service.client(routes.register, {
      body: { email: "carla@brina.example", username: "carla", password: PASSWORD, deliver: "token" },
    });
    let failed = 0;
    for (let index = 0; index < 100; index += 1) {
      await service.clock.advance(15 * MINUTE);
      const name = index % 2 === 0 ? "carla" : "carla@brina.example";
      if ((await signIn(new Visitor(service), name, WRONG)).status === 401) failed += 1;
    }
    expect(failed).toBe(90);
    await service.clock.advance(DAY);
    expect((await signIn(new Visitor(service), "carla")).status).toBe(429);
  });
});

test("LI-9 asking to change to somebody's address counts like any stranger's asking for mail to it", async () => {
  const office = await service.register("dora@brina.example");
  const call = service.as(office.token);
  for (let asked = 0; asked < 8; asked += 1)
    await call(routes.changeEmail, { body: { email: "elsewhere@site.example" } });
  await mailTo(service, "elsewhere@site.example", "change-email");
  const mails = (await mailsTo(service, "elsewhere@site.example")).filter(({ links }) =>
    links[0]?.includes("lcl_"),
  );
  expect(mails.length).toBeLessThanOrEqual(5);
});

test("TH-2 S2 a change of password that is sent away from a full line stays counted", async () => {
  const busy = await startService({
    settings: {
      // So dear that one is still under way when the others come.
      LUCCHETTO_PASSWORDS_HASHING_SCHEME: "$scrypt$ln=15,r=8,p=2",
      LUCCHETTO_PASSWORDS_HASHING_PARALLEL: "1",
      LUCCHETTO_PASSWORDS_HASHING_QUEUE: "0",
    },
  });
  try {
    const { token } = await busy.register("elio@brina.example");
    const call = busy.as(token);
    const tries = await Promise.allSettled(
      Array.from({ length: 4 }, () =>
        call(routes.changePassword, { body: { present: WRONG, password: `${PASSWORD}, another one` } }),
      ),
    );
    const met = tries.flatMap((one) =>
      one.status === "rejected" ? [one.reason.problem.code as string] : [],
    );
    expect(met).toContain("too-busy");
    const [{ failures }] = await busy.dataSource.query(
      "SELECT failures FROM throttle_count WHERE kind = 'account-strange'",
    );
    expect(failures).toBe(met.filter((code) => code === "invalid-fields" || code === "too-busy").length);
  } finally {
    await busy.stop();
  }
});

test("what is over stays as it ended: an operator ends no session that idled out", async () => {
  const { id, token } = await service.register("fausta@brina.example");
  await service.clock.advance(40 * MINUTE);
  const [session] = await service.dataSource.query("SELECT id FROM session WHERE accountId = ?", [id]);
  const office = service.as(await service.operator());
  await office(routes.endSession, { params: { id: session.id } });
  const rows = await service.dataSource.query("SELECT endedAt, endReason FROM session WHERE accountId = ?", [
    id,
  ]);
  expect(rows).toEqual([{ endedAt: null, endReason: null }]);
  expect(
    await service.dataSource.query(
      "SELECT 1 FROM journal_entry WHERE accountId = ? AND kind = 'session.ended-by-operator'",
      [id],
    ),
  ).toEqual([]);
  await expect(service.as(token)(routes.showSession)).rejects.toMatchObject({
    problem: { code: "not-signed-in" },
  });
});

test("erasing leaves no mail to the address, and one's own data names the known browsers", async () => {
  const quiet = await startService({
    settings: { LUCCHETTO_ACCOUNTS_TELL_TAKEN: "false", LUCCHETTO_ACCOUNTS_ERASE_AFTER: "0" },
  });
  try {
    const email = "gino@brina.example";
    const gino = new Visitor(quiet);
    await gino.post("/v1/accounts", { email, password: PASSWORD });
    await redeem(gino, secretOf(await mailTo(quiet, email, "verify")));
    await signIn(gino, email);
    // Somebody else registers the address meanwhile: a registration waits, and a mail was written.
    await new Visitor(quiet).post("/v1/accounts", { email, password: "another good long password" });
    const data = (await gino.call("GET", "/v1/account/data")).json<{ knownDevices: unknown[] }>();
    expect(data.knownDevices).toHaveLength(1);
    expect((await gino.call("DELETE", "/v1/account")).status).toBe(204);
    for (const question of [
      "SELECT 1 FROM account WHERE email = ?",
      "SELECT 1 FROM mail WHERE toAddress = ?",
      "SELECT 1 FROM registration WHERE email = ?",
    ])
      expect(await quiet.dataSource.query(question, [email])).toEqual([]);
  } finally {
    await quiet.stop();
  }
});

describe("what an undo link and an operator's help are asked wrongly", () => {
  test.each([
    ["a number", 7],
    ["an unknown proof", { type: "passkey", code: "1" }],
    ["a proof with more", { type: "totp", code: "123456", more: 1 }],
    ["nothing", null],
    ["a code far too long", { type: "totp", code: "1".repeat(5_000) }],
  ])("present as %s is a named problem, and the link is not spent", async (_what, present) => {
    const email = `hugo.${Math.abs(JSON.stringify(present).length)}@brina.example`;
    const { token } = await registerProved(service, email);
    await enrolAuthenticator(service, token, {});
    const secret = secretOf(await mailTo(service, email, "second-factor-added"));
    const visitor = new Visitor(service);
    const refused = await redeem(visitor, secret, { present });
    expect(refused.status).toBe(400);
    expect(codeOf(refused)).toBe("invalid-fields");
    expect((await redeem(visitor, secret, { present: PASSWORD })).status).toBe(200);
    expect(codeOf(await redeem(visitor, secret, { present: PASSWORD }))).toBe("link-used");
  });

  test("twenty at once undo once", async () => {
    const { token } = await registerProved(service, "ida@brina.example");
    await enrolAuthenticator(service, token, {});
    const secret = secretOf(await mailTo(service, "ida@brina.example", "second-factor-added"));
    const replies = await Promise.all(
      Array.from({ length: 20 }, () => redeem(new Visitor(service), secret, { present: PASSWORD })),
    );
    expect(replies.filter(({ status }) => status === 200)).toHaveLength(1);
    expect(replies.filter(({ status }) => status >= 500)).toEqual([]);
  });

  test.each([
    ["remove-factor", {}],
    ["remove-factor", { reason: 7 }],
    ["remove-factor", { reason: "x".repeat(300) }],
    ["correct-email", { reason: "why" }],
    ["correct-email", { reason: "why", email: "no address" }],
    ["first-password", { reason: "why", password: "short" }],
    ["first-password", { reason: "why", password: PASSWORD, more: true }],
  ])("%s with %j is refused by its fields", async (path, body) => {
    const { id } = await service.register(`kind.${JSON.stringify(body).length}.${path}@brina.example`);
    const office = new Visitor(service);
    await service.operator();
    await signIn(office, "office@brina.example");
    const refused = await office.post(`/v1/operator/accounts/${id}/${path}`, body);
    expect([refused.status, codeOf(refused)]).toEqual([400, "invalid-fields"]);
    for (const [who, wanted] of [
      ["01234567-89ab-7def-8123-456789abcdef", "not-found"],
      ["nonsense", "not-found"],
    ] as const) {
      const right = { reason: "why", email: "right@brina.example", password: "a good long first password" };
      const fields =
        path === "remove-factor"
          ? ["reason"]
          : path === "correct-email"
            ? ["reason", "email"]
            : ["reason", "password"];
      const whole = Object.fromEntries(Object.entries(right).filter(([name]) => fields.includes(name)));
      expect(codeOf(await office.post(`/v1/operator/accounts/${who}/${path}`, whole))).toBe(wanted);
    }
  });
});

test("RC-5 whoever changes the address over and over hides no later change from the first one", async () => {
  const email = "leo@brina.example";
  const { token } = await registerProved(service, email);
  const call = service.as(token);
  for (const number of [1, 2, 3, 4]) {
    const next = `leo.${number}@brina.example`;
    await call(routes.changeEmail, { body: { email: next } });
    const secret = secretOf(await mailTo(service, next, "change-email"));
    await call(routes.redeemLink, { body: { secret } });
  }
  let own = token;
  for (const name of ["first", "second", "third"])
    own = (await enrolAuthenticator(service, own, { name })).token;
  const told = (await mailsTo(service, email)).filter(({ template }) => template === "second-factor-added");
  expect(told.map(({ links }) => links[0]?.includes("lcl_"))).toEqual([true, true, true]);
});
