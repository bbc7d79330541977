import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import type { TestService } from "../../testing/service.ts";
import { PASSWORD, startService } from "../../testing/service.ts";
import { codeOf, mailsTo, mailTo, secretOf, Visitor } from "../../testing/visitor.ts";

const NEW = "another good long password";
const MINUTE = 60_000;
const HOUR = 60 * MINUTE;
const DAY = 24 * HOUR;

const password = (identifier: string, typed = PASSWORD) => ({
  proof: { type: "password", identifier, password: typed },
});
const redeem = (who: Visitor, secret: string, more: object = {}) =>
  who.post("/v1/mail-links/redeem", { secret, ...more });

describe("a site that does not tell", () => {
  let service: TestService;
  beforeAll(async () => {
    service = await startService({ settings: { LUCCHETTO_ACCOUNTS_TELL_TAKEN: "false" } });
  });
  afterAll(() => service.stop());

  test("SI-3 a registration waits outside the accounts; the same browser makes it one by a click", async () => {
    const anna = new Visitor(service);
    const asked = await anna.post("/v1/accounts", {
      email: "anna@brina.example",
      displayName: "Anna",
      password: PASSWORD,
    });
    expect(asked).toMatchObject({ status: 202, text: '{"outcome":"check-mail"}' });
    expect(await service.dataSource.query("SELECT id FROM account")).toEqual([]);
    expect(codeOf(await anna.post("/v1/sign-in", password("anna@brina.example")))).toBe("sign-in-refused");
    const secret = secretOf(await mailTo(service, "anna@brina.example", "verify"));
    const look = await anna.post("/v1/mail-links/look", { secret });
    expect(look.json()).toMatchObject({ purpose: "verify", here: true, wants: "nothing" });
    expect((await redeem(anna, secret)).json()).toEqual({ outcome: "email-verified" });
    const signedIn = await anna.post("/v1/sign-in", password("anna@brina.example"));
    expect(signedIn.json()).toMatchObject({ account: { emailVerified: true, displayName: "Anna" } });
    expect(codeOf(await redeem(anna, secret))).toBe("link-unknown");
  });

  test("SI-3 SI-11 a taken address answers alike, its password stays what it is, and its owner is told", async () => {
    const stranger = new Visitor(service);
    const reply = await stranger.post("/v1/accounts", { email: "ANNA@brina.example", password: NEW });
    expect(reply).toMatchObject({ status: 202, text: '{"outcome":"check-mail"}' });
    expect(codeOf(await stranger.post("/v1/sign-in", password("anna@brina.example", NEW)))).toBe(
      "sign-in-refused",
    );
    const told = await mailTo(service, "anna@brina.example", "already-registered");
    expect(told.text).not.toContain("lcl_");
    // Asking for the link again brings the stranger nothing either.
    await stranger.post("/v1/mail-links", { purpose: "verify", identifier: "anna@brina.example" });
    expect(await service.signIn("anna@brina.example")).toMatch(/^lcs_/);
  });

  test("SI-12 a stranger's registration: the owner opens the link elsewhere and must choose a password", async () => {
    const [stranger, owner] = [new Visitor(service), new Visitor(service)];
    await stranger.post("/v1/accounts", { email: "bruno@brina.example", password: PASSWORD });
    const secret = secretOf(await mailTo(service, "bruno@brina.example", "verify"));
    expect((await owner.post("/v1/mail-links/look", { secret })).json()).toMatchObject({
      here: false,
      wants: "any-password",
    });
    expect(codeOf(await redeem(owner, secret))).toBe("password-wanted");
    expect(codeOf(await redeem(owner, secret, { present: "a wrong long password" }))).toBe("invalid-fields");
    expect(codeOf(await redeem(owner, secret, { password: "short" }))).toBe("invalid-fields");
    expect((await redeem(owner, secret, { password: NEW })).status).toBe(200);
    expect(codeOf(await stranger.post("/v1/sign-in", password("bruno@brina.example")))).toBe(
      "sign-in-refused",
    );
    expect(await service.signIn("bruno@brina.example", NEW)).toMatch(/^lcs_/);
  });

  test("SI-12 with the password from the registration it goes on as registered, from any browser", async () => {
    await new Visitor(service).post("/v1/accounts", { email: "carla@brina.example", password: PASSWORD });
    const secret = secretOf(await mailTo(service, "carla@brina.example", "verify"));
    expect((await redeem(new Visitor(service), secret, { present: PASSWORD })).status).toBe(200);
    expect(await service.signIn("carla@brina.example")).toMatch(/^lcs_/);
  });

  test("LI-1 LI-2 of two registrations of an address the first to be proved counts; 24 hours, then none", async () => {
    const [one, other] = [new Visitor(service), new Visitor(service)];
    await one.post("/v1/accounts", { email: "dora@brina.example", password: PASSWORD });
    const first = await mailTo(service, "dora@brina.example", "verify");
    await other.post("/v1/accounts", { email: "dora@brina.example", password: NEW });
    const second = await mailTo(service, "dora@brina.example", "verify", new Set([first.id]));
    await service.clock.advance(DAY - 10_000);
    const tries = await Promise.all(Array.from({ length: 50 }, () => redeem(other, secretOf(second))));
    expect(tries.filter(({ status }) => status === 200)).toHaveLength(1);
    expect(tries.filter(({ status }) => status >= 500 && status !== 503)).toEqual([]);
    expect(codeOf(await redeem(one, secretOf(first)))).toBe("link-unknown");
    await service.clock.reset();
    await one.post("/v1/accounts", { email: "elio@brina.example", password: PASSWORD });
    const late = secretOf(await mailTo(service, "elio@brina.example", "verify"));
    await service.clock.advance(DAY);
    expect(codeOf(await redeem(one, late))).toBe("link-expired");
    await service.clock.reset();
  });
});

describe("a site that tells and wants the address proved", () => {
  let service: TestService;
  beforeAll(async () => {
    service = await startService({ settings: { LUCCHETTO_ACCOUNTS_VERIFY_EMAIL: "required" } });
  });
  afterAll(() => service.stop());

  test("SI-3 “not confirmed yet” is told after the right password alone, and the mail can be sent again", async () => {
    const anna = new Visitor(service);
    expect(
      (await anna.post("/v1/accounts", { email: "anna@brina.example", password: PASSWORD })).status,
    ).toBe(202);
    expect(codeOf(await anna.post("/v1/sign-in", password("anna@brina.example", NEW)))).toBe(
      "sign-in-refused",
    );
    expect(codeOf(await anna.post("/v1/sign-in", password("anna@brina.example")))).toBe("email-unverified");
    const first = await mailTo(service, "anna@brina.example", "verify");
    await anna.post("/v1/mail-links", { purpose: "verify", identifier: "anna@brina.example" });
    const again = await mailTo(service, "anna@brina.example", "verify", new Set([first.id]));
    expect(codeOf(await redeem(anna, secretOf(first)))).toBe("link-superseded");
    expect((await redeem(anna, secretOf(again))).status).toBe(200);
    expect((await anna.post("/v1/sign-in", password("anna@brina.example"))).status).toBe(201);
    expect(codeOf(await redeem(anna, secretOf(again)))).toBe("link-used");
  });
});

describe("a site that reminds", () => {
  let service: TestService;
  beforeAll(async () => {
    service = await startService({
      settings: { LUCCHETTO_SIGN_IN_MAIL_LINK: "on", LUCCHETTO_SITE_LANGUAGE: "it" },
    });
  });
  afterAll(() => service.stop());

  /** Signs somebody up in a browser of their own; the address is not proved. */
  async function registered(email: string): Promise<Visitor> {
    const visitor = new Visitor(service);
    expect((await visitor.post("/v1/accounts", { email, password: PASSWORD })).status).toBe(201);
    return visitor;
  }
  const isSignedIn = async (who: Visitor) => (await who.call("GET", "/v1/session")).status === 200;

  test("SI-12 the first proof of an address ends what a stranger prepared: link, reset and magic link alike", async () => {
    for (const [name, prove] of [
      ["verify", (owner: Visitor, secret: string) => redeem(owner, secret, { password: NEW })],
      ["reset", (owner: Visitor, secret: string) => redeem(owner, secret, { password: NEW })],
      [
        "sign-in",
        (owner: Visitor, secret: string) =>
          owner.post("/v1/sign-in/proof", { proof: { type: "mail-link", secret } }),
      ],
    ] as const) {
      const email = `${name}@brina.example`;
      const stranger = await registered(email);
      expect(await isSignedIn(stranger)).toBe(true);
      const owner = new Visitor(service);
      if (name !== "verify") await owner.post("/v1/mail-links", { purpose: name, identifier: email });
      const secret = secretOf(await mailTo(service, email, name));
      expect(await prove(owner, secret)).toMatchObject({ status: name === "sign-in" ? 201 : 200 });
      expect(await isSignedIn(stranger)).toBe(false);
      expect(codeOf(await stranger.post("/v1/sign-in", password(email)))).toBe("sign-in-refused");
      const [row] = await service.dataSource.query("SELECT emailVerifiedAt FROM account WHERE email = ?", [
        email,
      ]);
      expect(row.emailVerifiedAt).not.toBeNull();
    }
  });

  test("LI-5 every purpose's secret does only its own work, and is not spent by another", async () => {
    const carla = await registered("carla@brina.example");
    await carla.post("/v1/mail-links", { purpose: "reset", identifier: "carla@brina.example" });
    const reset = secretOf(await mailTo(service, "carla@brina.example", "reset"));
    const verify = secretOf(await mailTo(service, "carla@brina.example", "verify"));
    for (const secret of [reset, verify]) {
      await carla.post("/v1/mail-links", { purpose: "sign-in", identifier: "carla@brina.example" });
      expect(codeOf(await carla.post("/v1/sign-in/proof", { proof: { type: "mail-link", secret } }))).toBe(
        "proof-refused",
      );
    }
    expect((await redeem(carla, verify)).json()).toEqual({ outcome: "email-verified" });
    expect((await redeem(carla, reset, { password: NEW })).json()).toEqual({ outcome: "password-set" });
  });

  test("LI-10 an invitation makes the account, its acceptance sets the password and proves the address", async () => {
    const client = service.as(await service.operator());
    const body = { email: "gino@brina.example", labels: ["keeper"], language: "en" as const };
    const invited = await client(routes.inviteAccount, { body });
    expect(invited).toMatchObject({ status: 201, body: { state: "invited", labels: ["keeper"] } });
    const first = await mailTo(service, "gino@brina.example", "invite");
    expect(first.subject).toBe("You are invited to Brina Huts");
    expect((await client(routes.inviteAccount, { body })).status).toBe(200);
    const second = await mailTo(service, "gino@brina.example", "invite", new Set([first.id]));
    const gino = new Visitor(service);
    expect(codeOf(await redeem(gino, secretOf(first), { password: NEW }))).toBe("link-superseded");
    expect(codeOf(await gino.post("/v1/sign-in", password("gino@brina.example")))).toBe("sign-in-refused");
    expect(codeOf(await redeem(gino, secretOf(second)))).toBe("invalid-fields");
    await service.clock.advance(7 * DAY - 10_000);
    const accepted = await redeem(gino, secretOf(second), { password: NEW });
    expect(accepted.json()).toEqual({ outcome: "invitation-accepted" });
    const reply = await gino.post("/v1/sign-in", password("gino@brina.example", NEW));
    expect(reply.json()).toMatchObject({
      account: { state: "active", emailVerified: true, labels: ["keeper"] },
    });
    expect((await mailTo(service, "gino@brina.example", "invitation-accepted")).text).not.toContain("lcl_");
    expect(codeOf(await redeem(gino, secretOf(second), { password: NEW }))).toBe("link-used");
    await service.clock.reset();
    await expect(client(routes.inviteAccount, { body })).rejects.toThrow(
      /already an account with this address/,
    );
  });

  test("LI-15 LI-10 another address counts only after its own link; the old one can undo it for seven days, once", async () => {
    await service.register("ida@brina.example");
    const proving = secretOf(await mailTo(service, "ida@brina.example", "verify"));
    await redeem(new Visitor(service), proving, { present: PASSWORD });
    const client = service.as(await service.signIn("ida@brina.example"));
    await service.clock.advance(11 * MINUTE);
    await expect(client(routes.changeEmail, { body: { email: "new@brina.example" } })).rejects.toMatchObject({
      problem: { code: "reauthenticate" },
    });
    const wrong = { proof: { type: "password", password: NEW } } as const;
    await expect(client(routes.reauthenticate, { body: wrong })).rejects.toThrow(/not your password/);
    const shown = await client(routes.reauthenticate, {
      body: { proof: { type: "password", password: PASSWORD } },
    });
    await expect(client(routes.showSession)).rejects.toMatchObject({ problem: { code: "not-signed-in" } });
    const fresh = service.as(shown.body.token as string);
    // A taken address is answered alike, and nobody gets a mail.
    await service.register("taken@brina.example");
    expect(await fresh(routes.changeEmail, { body: { email: "taken@brina.example" } })).toMatchObject({
      status: 202,
      body: {},
    });
    expect(await fresh(routes.changeEmail, { body: { email: "new@brina.example" } })).toMatchObject({
      status: 202,
      body: {},
    });
    const ida = new Visitor(service);
    const change = secretOf(await mailTo(service, "new@brina.example", "change-email"));
    expect((await mailsTo(service, "taken@brina.example")).map(({ template }) => template)).toEqual([
      "verify",
    ]);
    expect((await ida.post("/v1/mail-links/look", { secret: change })).text).not.toContain(
      "ida@brina.example",
    );
    expect(await service.signIn("ida@brina.example")).toMatch(/^lcs_/);
    await service.clock.advance(15 * MINUTE);
    expect((await fresh(routes.redeemLink, { body: { secret: change } })).body).toEqual({
      outcome: "email-changed",
      email: "new@brina.example",
    });
    expect((await ida.post("/v1/sign-in", password("ida@brina.example"))).status).toBe(401);
    const session = await service.signIn("new@brina.example");
    const told = await mailTo(service, "ida@brina.example", "email-changed");
    expect(told.text).toContain("va a new@brina.example");
    const undo = secretOf(told);
    // A second change by the same intruder: the first way back still leads to the first address.
    await service.as(session)(routes.changeEmail, { body: { email: "third@brina.example" } });
    const third = secretOf(await mailTo(service, "third@brina.example", "change-email"));
    await service.as(session)(routes.redeemLink, { body: { secret: third } });
    const laterUndo = secretOf(await mailTo(service, "new@brina.example", "email-changed"));
    await service.clock.advance(6 * DAY);
    expect((await redeem(ida, undo, { password: NEW, present: PASSWORD })).json()).toEqual({
      outcome: "change-undone",
      email: "ida@brina.example",
    });
    await expect(service.as(session)(routes.showSession)).rejects.toThrow();
    expect(await service.signIn("ida@brina.example", NEW)).toMatch(/^lcs_/);
    expect(codeOf(await redeem(ida, undo, { password: NEW }))).toBe("link-used");
    expect(codeOf(await redeem(ida, laterUndo, { password: NEW }))).toBe("link-superseded");
    await service.clock.reset();
  });

  test("LI-1 LI-2 an invitation dies after seven days, a link to a new address after an hour; each works once", async () => {
    const client = service.as(await service.operator());
    await client(routes.inviteAccount, { body: { email: "rosa@brina.example" } });
    const invite = secretOf(await mailTo(service, "rosa@brina.example", "invite"));
    await service.clock.advance(7 * DAY);
    expect(codeOf(await redeem(new Visitor(service), invite, { password: NEW }))).toBe("link-expired");
    await service.clock.reset();
    const { token } = await service.register("sara@brina.example");
    const ask = (email: string) => service.as(token)(routes.changeEmail, { body: { email } });
    await ask("sara.one@brina.example");
    const late = secretOf(await mailTo(service, "sara.one@brina.example", "change-email"));
    await ask("sara.two@brina.example");
    const timely = secretOf(await mailTo(service, "sara.two@brina.example", "change-email"));
    await service.clock.advance(29 * MINUTE);
    const use = (secret: string) =>
      service
        .as(token)(routes.redeemLink, { body: { secret } })
        .then(
          () => true,
          () => false,
        );
    const tries = await Promise.all(Array.from({ length: 20 }, () => use(timely)));
    expect(tries.filter((isDone) => isDone)).toHaveLength(1);
    // Bound to the address that the account had when it was asked for.
    expect(codeOf(await redeem(new Visitor(service), late))).toBe("link-unknown");
    await service.clock.reset();
  });

  test("LI-15 an address that was taken meanwhile is refused, and nothing changes", async () => {
    const { token } = await service.register("lea@brina.example");
    await service.as(token)(routes.changeEmail, { body: { email: "wanted@brina.example" } });
    const secret = secretOf(await mailTo(service, "wanted@brina.example", "change-email"));
    await service.register("wanted@brina.example");
    await expect(service.as(token)(routes.redeemLink, { body: { secret } })).rejects.toMatchObject({
      problem: { code: "address-taken" },
    });
    expect(await service.signIn("lea@brina.example")).toMatch(/^lcs_/);
  });

  test("LI-9 the owner's known device has a budget of its own beside the strangers'", async () => {
    const owner = await registered("marta@brina.example");
    const asks = { purpose: "reset", identifier: "marta@brina.example" };
    for (let asked = 0; asked < 20; asked += 1) await new Visitor(service).post("/v1/mail-links", asks);
    // Written after the replies: all of them first.
    let written = await mailsTo(service, "marta@brina.example");
    while (written.length < 21) written = await mailsTo(service, "marta@brina.example");
    const before = new Set(written.map(({ id }) => id));
    await owner.post("/v1/mail-links", asks);
    expect(await mailTo(service, "marta@brina.example", "reset", before)).toMatchObject({ state: "caught" });
    const held = (await mailsTo(service, "marta@brina.example")).filter(({ state }) => state === "held");
    expect(held.length).toBeGreaterThanOrEqual(14);
    expect(held.every(({ heldBecause }) => heldBecause === "address-limit")).toBe(true);
  });

  test("LI-10 a sign-in from an unknown browser is told, one from a known browser is not", async () => {
    const own = await registered("nina@brina.example");
    expect((await own.post("/v1/sign-in", password("nina@brina.example"))).status).toBe(201);
    expect((await mailsTo(service, "nina@brina.example")).map(({ template }) => template)).toEqual([
      "verify",
    ]);
    await new Visitor(service).call("POST", "/v1/sign-in", password("nina@brina.example"), {
      headers: { "user-agent": "Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0" },
    });
    const told = await mailTo(service, "nina@brina.example", "new-sign-in");
    expect(told.subject).toBe("Nuovo accesso a Brina Huts");
    expect(told.text).toContain("Firefox su Linux");
  });

  test("templates: the language of the account, else the site's; names are text and never markup", async () => {
    const visitor = new Visitor(service);
    await visitor.post("/v1/accounts", {
      email: "olga@brina.example",
      displayName: '<img src=x> "O"',
      language: "en",
      password: PASSWORD,
    });
    const mail = await mailTo(service, "olga@brina.example", "verify");
    expect(mail).toMatchObject({ language: "en", subject: "Confirm your address for Brina Huts" });
    expect(mail.html).not.toContain("<img");
    await visitor.call("PATCH", "/v1/account", { language: null });
    await visitor.post("/v1/mail-links", { purpose: "reset", identifier: "olga@brina.example" });
    expect(await mailTo(service, "olga@brina.example", "reset")).toMatchObject({
      language: "it",
      subject: "Scegli una nuova password per Brina Huts",
    });
  });
});
