/** What proves that an owner was there before the trouble, whatever an intruder changed first, and in any order of links. */
import { afterAll, afterEach, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import { codesOf, enrolAuthenticator } from "../../testing/second-factor.ts";
import type { InProcessService } from "../../testing/service.ts";
import { PASSWORD, send, startService } from "../../testing/service.ts";
import {
  codeOf,
  mailsTo,
  mailTo,
  proveAddress,
  registerProved,
  secretOf,
  Visitor,
} from "../../testing/visitor.ts";

const THEIRS = "the password of the intruder";
const MINE = "the one that only the owner knows";
const DAY = 86_400_000;

let service: InProcessService;
beforeAll(async () => {
  service = await startService({ settings: { LUCCHETTO_SIGN_IN_MAIL_LINK: "on" } });
});
afterEach(() => service.clock.reset());
afterAll(() => service.stop());

const signIn = (who: Visitor, identifier: string, password = PASSWORD) =>
  who.post("/v1/sign-in", { proof: { type: "password", identifier, password } });
const signedIn = async (identifier: string, password: string) => {
  const who = new Visitor(service);
  expect((await signIn(who, identifier, password)).status).toBe(201);
  return who;
};
const redeem = (who: Visitor, secret: string, more: object = {}) =>
  who.post("/v1/mail-links/redeem", { secret, ...more });
const linkIn = async (to: string, template: string) => secretOf(await mailTo(service, to, template));

/** Somebody with a proved address, whose browser is known; some days ago, unless it is said otherwise. */
async function owner(name: string, { daysAgo = 8, signsIn = true } = {}) {
  const email = `${name}@brina.example`;
  const { body } = await service.client(routes.register, {
    body: { email, username: name, password: PASSWORD },
  });
  if (body.outcome === "check-mail") throw new Error("the site does not tell");
  await proveAddress(service, email);
  const browser = new Visitor(service);
  if (signsIn) expect((await signIn(browser, email)).status).toBe(201);
  await service.clock.advance(daysAgo * DAY);
  return { email, browser };
}

/** A stranger who knows the password signs in, and makes it another one. */
async function intrude(email: string) {
  const stranger = new Visitor(service);
  expect((await signIn(stranger, email)).status).toBe(201);
  const changed = await stranger.post("/v1/account/password", { present: PASSWORD, password: THEIRS });
  expect(changed.status).toBe(200);
  return stranger;
}

async function moveAddress(who: Visitor, to: string): Promise<void> {
  expect((await who.post("/v1/account/email", { email: to })).status).toBe(202);
  expect((await redeem(who, await linkIn(to, "change-email"))).status).toBe(200);
}

async function enrol(who: Visitor) {
  const begun = (await who.post("/v1/account/totp", {})).json<{ id: string; uri: string }>();
  const code = codesOf(service, begun.uri);
  expect((await who.post(`/v1/account/totp/${begun.id}/activate`, { code: code() })).status).toBe(200);
  return code;
}

/** Nothing of the intruder's opens the account any more, and the owner gets in with what the link set. */
async function expectOwnersAlone(email: string): Promise<void> {
  for (const password of [PASSWORD, THEIRS])
    expect((await signIn(new Visitor(service), email, password)).status).toBe(401);
  expect((await signIn(new Visitor(service), email, MINE)).status).toBe(201);
}

describe("RC-13 A2 a leaked password that is changed first", () => {
  test("then the address: the former password and the link, from a strange browser", async () => {
    const { email } = await owner("alba");
    const stranger = await intrude(email);
    await moveAddress(stranger, "alba.thief@brina.example");
    const back = new Visitor(service);
    const undo = await linkIn(email, "email-changed");
    expect(codeOf(await redeem(back, undo, { password: MINE }))).toBe("earlier-proof-required");
    expect((await redeem(back, undo, { password: MINE, present: PASSWORD })).status).toBe(200);
    expect((await stranger.call("GET", "/v1/session")).status).toBe(401);
    await expectOwnersAlone(email);
  });

  test("then a second factor; the account never signed in before, and its owner has reset it since", async () => {
    const { email } = await owner("berta", { daysAgo: 0, signsIn: false });
    const stranger = await intrude(email);
    await enrol(stranger);
    await new Visitor(service).post("/v1/mail-links", { purpose: "reset", identifier: email });
    const resetting = await linkIn(email, "reset");
    expect((await redeem(new Visitor(service), resetting, { password: "by the mailbox alone" })).status).toBe(
      200,
    );
    const undo = await linkIn(email, "second-factor-added");
    expect((await redeem(new Visitor(service), undo, { password: MINE, present: PASSWORD })).status).toBe(
      200,
    );
    await expectOwnersAlone(email);
  });

  test("then erasing: whoever is in stays out once the change before it is undone", async () => {
    const { email } = await owner("carola");
    const stranger = await intrude(email);
    expect((await stranger.call("DELETE", "/v1/account")).status).toBe(204);
    const undo = await linkIn(email, "account-closed");
    expect((await redeem(new Visitor(service), undo, { present: PASSWORD })).json()).toEqual({
      outcome: "erasing-stopped",
    });
  });

  test("with ten passwords in between the first one still counts", async () => {
    const { email } = await owner("dafne");
    const stranger = await intrude(email);
    for (let times = 0; times < 12; times += 1)
      expect((await stranger.post("/v1/account/password", { password: `${THEIRS} ${times}` })).status).toBe(
        200,
      );
    await moveAddress(stranger, "dafne.thief@brina.example");
    const undo = await linkIn(email, "email-changed");
    expect((await redeem(new Visitor(service), undo, { password: MINE, present: PASSWORD })).status).toBe(
      200,
    );
    await expectOwnersAlone(email);
  });
});

describe("RC-13 what does not count", () => {
  test("A5 the leaked password, once its owner changed it in a browser that stood before", async () => {
    const { email, browser } = await owner("elda");
    const reauthenticated = await signIn(browser, email);
    expect(reauthenticated.status).toBe(201);
    await browser.post("/v1/account/password", { present: PASSWORD, password: MINE });
    await enrol(browser);
    const undo = await linkIn(email, "second-factor-added");
    // Somebody who reads the mailbox and learnt the former password.
    expect(
      (await redeem(new Visitor(service), undo, { password: THEIRS, present: PASSWORD })).json(),
    ).toMatchObject({
      errors: [{ code: "former-password-wrong" }],
    });
    expect((await redeem(browser, undo, { password: "an altogether new one" })).status).toBe(200);
  });

  test("a password that came by the mailbox alone", async () => {
    const { email } = await owner("flora");
    const thief = new Visitor(service);
    await thief.post("/v1/mail-links", { purpose: "reset", identifier: email });
    expect((await redeem(thief, await linkIn(email, "reset"), { password: THEIRS })).status).toBe(200);
    expect((await signIn(thief, email, THEIRS)).status).toBe(201);
    const code = await enrol(thief);
    await thief.call("DELETE", "/v1/account");
    const undo = await linkIn(email, "second-factor-added");
    expect((await redeem(thief, undo, { password: THEIRS, present: THEIRS })).json()).toMatchObject({
      errors: [{ code: "former-password-wrong" }],
    });
    const totp = { type: "totp", code: code(1) };
    expect((await redeem(thief, undo, { password: THEIRS, present: totp })).json()).toMatchObject({
      errors: [{ code: "former-thing-not-there" }],
    });
    expect((await redeem(new Visitor(service), undo, { password: MINE, present: PASSWORD })).status).toBe(
      200,
    );
    await expectOwnersAlone(email);
  });
});

describe("RC-15 a browser", () => {
  test("A5 that showed nothing but the mailbox is no thing from before, however long ago", async () => {
    const { email, browser } = await owner("gilda");
    const thief = new Visitor(service);
    await thief.post("/v1/mail-links", { purpose: "sign-in", identifier: email });
    const proof = { type: "mail-link", secret: await linkIn(email, "sign-in") };
    expect((await thief.post("/v1/sign-in/proof", { proof })).status).toBe(201);
    await service.clock.advance(9 * DAY);
    expect((await signIn(browser, email)).status).toBe(201);
    await enrol(browser);
    const undo = await linkIn(email, "second-factor-added");
    expect(codeOf(await redeem(thief, undo, { password: THEIRS }))).toBe("earlier-proof-required");
    expect((await redeem(browser, undo, { password: MINE })).status).toBe(200);
  });

  test("A19 that an app with its own forms knows counts where the app's server brings its mark along", async () => {
    const email = "olga@brina.example";
    await registerProved(service, email);
    const operator = service.as(await service.operator());
    const { body: app } = await operator(routes.addApp, {
      body: { name: "Desk of the huts", redirectUris: ["http://localhost:1/desk"], ownForms: true },
    });
    const behalf = { "lucchetto-app-key": app.key, "lucchetto-visitor-address": "198.51.100.9" };
    const atTheApp = (path: string, body: object, mark?: string) =>
      send(service, "POST", path, {
        headers: {
          ...behalf,
          "content-type": "application/json",
          ...(mark === undefined ? {} : { "lucchetto-visitor-device": mark }),
        },
        body: JSON.stringify(body),
      });
    const proof = { type: "password", identifier: email, password: PASSWORD };
    const begun = await atTheApp("/v1/sign-in", { proof });
    const mark = begun.headers.get("lucchetto-visitor-device") ?? "";
    await service.clock.advance(8 * DAY);
    await intrude(email);
    await moveAddress(await signedIn(email, THEIRS), "olga.thief@brina.example");
    const secret = await linkIn(email, "email-changed");
    const undo = { secret, password: MINE };
    expect(codeOf(await atTheApp("/v1/mail-links/redeem", undo))).toBe("earlier-proof-required");
    expect((await atTheApp("/v1/mail-links/redeem", undo, mark)).status).toBe(200);
    await expectOwnersAlone(email);
  });

  test("keeps its worth through an intruder's change of password, and loses it by its owner's own elsewhere", async () => {
    const { email, browser } = await owner("ilaria");
    const second = new Visitor(service);
    expect((await signIn(second, email)).status).toBe(201);
    await service.clock.advance(8 * DAY);
    const stranger = await intrude(email);
    await moveAddress(stranger, "ilaria.thief@brina.example");
    const undo = await linkIn(email, "email-changed");
    expect((await redeem(browser, undo, { password: MINE })).status).toBe(200);

    // The owner, in the first browser, changes it again: what the second one tells is worth nothing then.
    await service.clock.advance(8 * DAY);
    for (const one of [browser, second]) expect((await signIn(one, email, MINE)).status).toBe(201);
    await service.clock.advance(8 * DAY);
    expect((await signIn(browser, email, MINE)).status).toBe(201);
    const changed = await browser.post("/v1/account/password", { password: "the owner's newest one" });
    expect(changed.status).toBe(200);
    await enrol(browser);
    const later = await linkIn(email, "second-factor-added");
    expect(codeOf(await redeem(second, later, { password: THEIRS }))).toBe("earlier-proof-required");
    // For throttling it is known as before.
    const known = await service.dataSource.query(
      "SELECT COUNT(*) AS known FROM known_device JOIN account ON account.id = accountId WHERE emailKey = ? AND forgottenAt IS NULL",
      [email],
    );
    expect(Number(known[0].known)).toBeGreaterThanOrEqual(2);
    expect((await redeem(browser, later, { password: MINE })).status).toBe(200);
  });
});

describe("RC-13 A9 undo links in any order", () => {
  const ORDERS = [
    [0, 1, 2],
    [0, 2, 1],
    [1, 0, 2],
    [1, 2, 0],
    [2, 0, 1],
    [2, 1, 0],
  ] as const;

  test.each(ORDERS)("%i, %i, %i", async (...order) => {
    const name = `order-${order.join("")}`;
    const { email, browser } = await owner(name);
    const mine = await enrolAuthenticator(service, await service.signIn(email), {});
    await service.clock.advance(8 * DAY);
    // The intruder holds password and phone for a moment.
    const stranger = new Visitor(service);
    await signIn(stranger, email);
    const seen = { type: "totp", code: await mine.nextCode() };
    expect((await stranger.post("/v1/sign-in/proof", { proof: seen })).status).toBe(201);
    await stranger.call("DELETE", `/v1/account/totp/${mine.id}`);
    const theirs = await enrol(stranger);
    await moveAddress(stranger, `${name}.thief@brina.example`);
    const links = [
      await linkIn(email, "second-factor-removed"),
      await linkIn(email, "second-factor-added"),
      await linkIn(email, "email-changed"),
    ];
    const outcomes: number[] = [];
    let own: (() => string) | null = null;
    for (const one of order) {
      const reply = await redeem(browser, links[one] ?? "", { password: MINE });
      outcomes.push(reply.status);
      if (own !== null || reply.status !== 200) continue;
      // What the owner sets up after their first undo is theirs, whatever is undone afterwards.
      const again = new Visitor(service);
      const begun = await signIn(again, email, MINE);
      if (begun.status === 202)
        await again.post("/v1/sign-in/proof", { proof: { type: "totp", code: await mine.nextCode() } });
      own = await enrol(again);
    }
    expect(outcomes[0]).toBe(200);
    expect(outcomes.every((status) => status === 200 || status === 409 || status === 410)).toBe(true);
    const back = new Visitor(service);
    expect((await signIn(back, email, MINE)).json()).toMatchObject({ wanted: ["totp", "recovery-code"] });
    expect((await back.post("/v1/sign-in/proof", { proof: { type: "totp", code: theirs(1) } })).status).toBe(
      401,
    );
    const shown = { type: "totp", code: await mine.nextCode() };
    expect((await back.post("/v1/sign-in/proof", { proof: shown })).status).toBe(201);
    const listed = (await back.call("GET", "/v1/account/totp")).json<{ items: unknown[] }>().items;
    expect(listed).toHaveLength(2);
  });
});

describe("rows and links", () => {
  test("A19 a suspended account's undo links do their work meanwhile; it stays suspended", async () => {
    const { email, browser } = await owner("katia");
    const stranger = await intrude(email);
    await moveAddress(stranger, "katia.thief@brina.example");
    const [{ id }] = await service.dataSource.query("SELECT id FROM account WHERE username = 'katia'");
    const operator = service.as(await service.operator());
    await operator(routes.changeAccount, { params: { id }, body: { state: "suspended" } });
    const undo = await linkIn(email, "email-changed");
    expect((await redeem(browser, undo, { password: MINE })).status).toBe(200);
    expect(codeOf(await signIn(browser, email, MINE))).toBe("account-suspended");
    await operator(routes.changeAccount, { params: { id }, body: { state: "active" } });
    await expectOwnersAlone(email);
  });

  test("RC-10 what can still be undone keeps the rows, though erasing is at once here", async () => {
    const atOnce = await startService({ settings: { LUCCHETTO_ACCOUNTS_ERASE_AFTER: "0" } });
    try {
      const email = "linda@brina.example";
      const { token } = await registerProved(atOnce, email);
      const thief = atOnce.as(token);
      await thief(routes.changeEmail, { body: { email: "linda.thief@brina.example" } });
      const secret = secretOf(await mailTo(atOnce, "linda.thief@brina.example", "change-email"));
      await thief(routes.redeemLink, { body: { secret } });
      await thief(routes.eraseOwnAccount);
      await atOnce.sweep();
      const undo = secretOf(await mailTo(atOnce, email, "email-changed"));
      const body = { secret: undo, password: MINE, present: PASSWORD };
      expect((await atOnce.client(routes.redeemLink, { body })).status).toBe(200);
      expect(await atOnce.signIn(email, MINE)).toMatch(/^lcs_/);
      // Nothing is left to be undone: the rows go at once.
      await atOnce.as(await atOnce.signIn(email, MINE))(routes.eraseOwnAccount);
      expect(await atOnce.dataSource.query("SELECT 1 FROM account WHERE emailKey = ?", [email])).toEqual([]);
    } finally {
      await atOnce.stop();
    }
  });

  test("former passwords, forgotten browsers and held usernames go when nothing can be undone with them any more", async () => {
    const { email } = await owner("mirta");
    const stranger = await intrude(email);
    await stranger.call("PATCH", "/v1/account", { username: null });
    await new Visitor(service).post("/v1/mail-links", { purpose: "reset", identifier: email });
    await redeem(new Visitor(service), await linkIn(email, "reset"), { password: MINE });
    await service.clock.advance(6 * DAY);
    await service.sweep();
    const [{ id }] = await service.dataSource.query("SELECT id FROM account WHERE emailKey = ?", [email]);
    const kept = async () =>
      Promise.all(
        ["former_password", "held_username", "known_device"].map(async (table) => {
          const of = table === "known_device" ? "AND forgottenAt IS NOT NULL" : "";
          const rows = await service.dataSource.query(`SELECT 1 FROM ${table} WHERE accountId = ? ${of}`, [
            id,
          ]);
          return rows.length > 0;
        }),
      );
    expect(await kept()).toEqual([true, true, true]);
    await service.clock.advance(12 * DAY);
    await service.sweep();
    expect(await kept()).toEqual([false, false, false]);
    expect((await mailsTo(service, email)).length).toBeGreaterThan(0);
  });
});
