import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import { enrolAuthenticator } from "../../testing/second-factor.ts";
import type { TestService } from "../../testing/service.ts";
import { PASSWORD, startService } from "../../testing/service.ts";
import { codeOf, mailsTo, mailTo, secretOf, Visitor } from "../../testing/visitor.ts";

const NEW = "another good long password";
const MINE = "the one that only the owner knows";
const DAY = 86_400_000;

let service: TestService;
beforeAll(async () => {
  service = await startService();
});
afterAll(() => service.stop());

const password = (identifier: string, typed = PASSWORD) => ({
  proof: { type: "password", identifier, password: typed },
});
const redeem = (who: Visitor, secret: string, more: object = {}) =>
  who.post("/v1/mail-links/redeem", { secret, ...more });
const confirm = (who: Visitor, code: string) => who.post("/v1/account/email/confirm", { code });

/** A browser with a session; its address is proved unless it is said not to be. */
async function browserOf(email: string, { proved = true, typed = PASSWORD } = {}): Promise<Visitor> {
  const browser = new Visitor(service);
  await browser.post("/v1/accounts", { email, password: typed });
  if (proved) await redeem(browser, secretOf(await mailTo(service, email, "verify")));
  expect((await browser.post("/v1/sign-in", password(email, typed))).status).toBe(201);
  return browser;
}

/** Asks for another address in this browser's session; the secret of the link to it. */
async function askFor(browser: Visitor, email: string): Promise<string> {
  expect((await browser.post("/v1/account/email", { email })).status).toBe(202);
  return secretOf(await mailTo(service, email, "change-email"));
}

const addressOf = async (browser: Visitor) =>
  (await browser.call("GET", "/v1/session")).json<{ account?: { email: string } }>().account?.email;

describe("another address", () => {
  test("RC-1 LI-15 a click counts where the session is that asked; elsewhere it shows a code, which counts there alone", async () => {
    const owner = await browserOf("anna@brina.example");
    const link = await askFor(owner, "anna.new@brina.example");
    expect((await owner.post("/v1/mail-links/look", { secret: link })).json()).toMatchObject({
      here: true,
      wants: "nothing",
    });
    const phone = new Visitor(service);
    expect((await phone.post("/v1/mail-links/look", { secret: link })).json()).toMatchObject({
      here: false,
      wants: "code",
    });
    const shown = (await redeem(phone, link)).json<{ outcome: string; code: string }>();
    expect(shown.outcome).toBe("code");
    expect(await addressOf(owner)).toBe("anna@brina.example");
    const other = await browserOf("other@brina.example");
    expect(codeOf(await confirm(other, shown.code))).toBe("proof-refused");
    expect(codeOf(await confirm(phone, shown.code))).toBe("not-signed-in");
    expect((await confirm(owner, shown.code)).json()).toEqual({ email: "anna.new@brina.example" });
    expect(await addressOf(owner)).toBe("anna.new@brina.example");
    expect(codeOf(await confirm(owner, shown.code))).toBe("proof-refused");

    const second = await askFor(owner, "anna.third@brina.example");
    expect((await redeem(owner, second)).json()).toEqual({
      outcome: "email-changed",
      email: "anna.third@brina.example",
    });
  });

  test("RC-1 a stranger's registration gets the victim's address by no click of the victim", async () => {
    const stranger = await browserOf("stranger@brina.example", { proved: false });
    const link = await askFor(stranger, "victim@brina.example");
    const victim = new Visitor(service);
    expect((await redeem(victim, link)).json()).toMatchObject({ outcome: "code" });
    expect(await addressOf(stranger)).toBe("stranger@brina.example");
    expect(codeOf(await stranger.post("/v1/sign-in", password("victim@brina.example")))).toBe(
      "sign-in-refused",
    );
    // The address is still the victim's to register.
    expect(
      (await victim.post("/v1/accounts", { email: "victim@brina.example", password: MINE })).status,
    ).toBe(201);
  });

  test("RC-1 five wrong codes end it; so does the end of the session; twenty at once change it once", async () => {
    const owner = await browserOf("bruno@brina.example");
    const link = await askFor(owner, "bruno.new@brina.example");
    const { code } = (await redeem(new Visitor(service), link)).json<{ code: string }>();
    const wrong = code === "000000" ? "000001" : "000000";
    // Many at once are no more tries than one after the other.
    const guesses = await Promise.all(Array.from({ length: 30 }, () => confirm(owner, wrong)));
    expect(new Set(guesses.map(codeOf))).toEqual(new Set(["proof-refused"]));
    const looked = await service.dataSource.query(
      "SELECT 1 FROM journal_entry WHERE kind = 'email.change-refused'",
    );
    expect(looked).toHaveLength(5);
    expect(codeOf(await confirm(owner, code))).toBe("proof-refused");

    const again = await askFor(owner, "bruno.late@brina.example");
    await owner.call("DELETE", "/v1/session");
    expect(codeOf(await redeem(new Visitor(service), again))).toBe("link-unknown");

    await owner.post("/v1/sign-in", password("bruno@brina.example"));
    const third = await askFor(owner, "bruno.third@brina.example");
    const replies = await Promise.all(Array.from({ length: 20 }, () => redeem(owner, third)));
    expect(replies.filter(({ status }) => status === 200)).toHaveLength(1);
    expect(replies.every(({ status }) => status < 500)).toBe(true);
  });

  test("RC-2 the mail says which account asks, in both languages, and tells a stranger no more", async () => {
    const owner = await browserOf("carla.vento@brina.example");
    await askFor(owner, "carla.new@brina.example");
    const english = await mailTo(service, "carla.new@brina.example", "change-email");
    for (const part of [english.text, english.html]) {
      expect(part).toContain("c…@brina.example");
      expect(part).not.toContain("carla.vento");
      expect(part).toMatch(/ignore this mail/);
    }
    await owner.call("PATCH", "/v1/account", { language: "it" });
    await askFor(owner, "carla.nuova@brina.example");
    const italian = await mailTo(service, "carla.nuova@brina.example", "change-email");
    expect(italian.text).toMatch(/account\s+c…@brina\.example su Brina Huts/);
    expect(italian.text).toMatch(/non fare nulla/);
  });
});

describe("undoing a change of address", () => {
  test("RC-3 an address that was never proved gets nothing to undo with", async () => {
    const owner = await browserOf("mistyped@brina.example", { proved: false });
    await redeem(owner, await askFor(owner, "dora@brina.example"));
    expect(await addressOf(owner)).toBe("dora@brina.example");
    const said = (await mailsTo(service, "mistyped@brina.example")).map(({ template }) => template);
    expect(said).not.toContain("email-changed");
    const reader = new Visitor(service);
    for (const { links } of await mailsTo(service, "mistyped@brina.example"))
      if (links[0]?.includes("lcl_") === true)
        expect((await redeem(reader, secretOf({ links }), { password: NEW })).status).toBeGreaterThanOrEqual(
          400,
        );
    // Nor is it held for anybody.
    expect(
      (await reader.post("/v1/accounts", { email: "mistyped@brina.example", password: NEW })).status,
    ).toBe(201);
  });

  test("RC-3 RC-4 the mailbox alone undoes nothing; with the password from before everything of the intruder's goes", async () => {
    await browserOf("elio@brina.example");
    // The intruder knows the password: an authenticator, another address, another password, and a session.
    const { token } = await enrolAuthenticator(service, await service.signIn("elio@brina.example"), {});
    const intruder = service.as(token);
    await intruder(routes.changeEmail, { body: { email: "intruder@brina.example" } });
    const secret = secretOf(await mailTo(service, "intruder@brina.example", "change-email"));
    expect((await intruder(routes.redeemLink, { body: { secret } })).body).toMatchObject({
      outcome: "email-changed",
    });
    // The freed address is nobody's to take: not by registering, not by another change, not by an operator.
    const greedy = await browserOf("greedy@brina.example");
    await greedy.post("/v1/account/email", { email: "elio@brina.example" });
    const office = service.as(await service.operator());
    await expect(office(routes.addAccount, { body: { email: "elio@brina.example" } })).rejects.toMatchObject({
      problem: { code: "identifier-taken" },
    });
    const taken = await new Visitor(service).post("/v1/accounts", {
      email: "elio@brina.example",
      password: NEW,
    });
    expect(codeOf(taken)).toBe("identifier-taken");
    await new Visitor(service).post("/v1/mail-links", {
      purpose: "reset",
      identifier: "intruder@brina.example",
    });
    const reset = secretOf(await mailTo(service, "intruder@brina.example", "reset"));
    await redeem(new Visitor(service), reset, { password: NEW });

    await service.clock.advance(6 * DAY);
    const undo = secretOf(await mailTo(service, "elio@brina.example", "email-changed"));
    const elsewhere = new Visitor(service);
    expect((await elsewhere.post("/v1/mail-links/look", { secret: undo })).json()).toMatchObject({
      wants: "thing-from-before",
    });
    expect(codeOf(await redeem(elsewhere, undo, { password: MINE }))).toBe("earlier-proof-required");
    const wrong = await redeem(elsewhere, undo, { password: MINE, present: NEW });
    expect(wrong.json<{ errors: unknown[] }>().errors).toMatchObject([{ code: "former-password-wrong" }]);
    expect((await redeem(elsewhere, undo, { password: MINE, present: PASSWORD })).json()).toEqual({
      outcome: "change-undone",
      email: "elio@brina.example",
    });
    // The intruder's authenticator is gone with the rest: the password alone signs in.
    const owner = new Visitor(service);
    expect((await owner.post("/v1/sign-in", password("elio@brina.example", MINE))).status).toBe(201);
    for (const typed of [PASSWORD, NEW])
      expect(codeOf(await owner.post("/v1/sign-in", password("elio@brina.example", typed)))).toBe(
        "sign-in-refused",
      );
    await expect(intruder(routes.showSession)).rejects.toMatchObject({ problem: { code: "not-signed-in" } });
    await service.clock.reset();
  });

  test("RC-3 a browser that the account knew before is enough beside the link; one that came after is not", async () => {
    const owner = await browserOf("fausta@brina.example");
    await redeem(owner, await askFor(owner, "fausta.new@brina.example"));
    const undo = secretOf(await mailTo(service, "fausta@brina.example", "email-changed"));
    const later = new Visitor(service);
    await later.post("/v1/sign-in", password("fausta.new@brina.example"));
    expect((await later.post("/v1/mail-links/look", { secret: undo })).json()).toMatchObject({
      wants: "thing-from-before",
    });
    expect((await owner.post("/v1/mail-links/look", { secret: undo })).json()).toMatchObject({
      wants: "new-password",
    });
    expect((await redeem(owner, undo, { password: MINE })).status).toBe(200);
  });

  test("RC-4 a second factor from eight days before the change stays, and is asked for", async () => {
    const owner = await browserOf("gino@brina.example");
    const { body } = await service.client(routes.signIn, {
      body: {
        proof: { type: "password", identifier: "gino@brina.example", password: PASSWORD },
        deliver: "token",
      },
    });
    const app = await enrolAuthenticator(service, body.token ?? "", {});
    await service.clock.advance(8 * DAY);
    const back = await owner.post("/v1/sign-in", password("gino@brina.example"));
    expect(back.status).toBe(202);
    const done = await owner.post("/v1/sign-in/proof", { proof: { type: "totp", code: app.code() } });
    expect(done.status).toBe(201);
    await redeem(owner, await askFor(owner, "gino.new@brina.example"));
    const undo = secretOf(await mailTo(service, "gino@brina.example", "email-changed"));
    await redeem(new Visitor(service), undo, { password: MINE, present: PASSWORD });
    const reply = await new Visitor(service).post("/v1/sign-in", password("gino@brina.example", MINE));
    expect(reply.json()).toMatchObject({ outcome: "proof-wanted" });
    await service.clock.reset();
  });
});
