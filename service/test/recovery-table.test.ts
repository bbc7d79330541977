/** Every row of the table of recovery rules, played against the real service. */
import { createHash } from "node:crypto";
import { readFileSync } from "node:fs";
import { afterAll, afterEach, beforeAll, describe, expect, test } from "@jest/globals";
import type { LinkLook } from "@lucchetto/contract";
import { routes } from "@lucchetto/contract";
import type { RecoveryEvent } from "@lucchetto/core";
import { RECOVERY_RULES, recoveryDocument } from "@lucchetto/core";
import type { TestAuthenticator } from "../../testing/second-factor.ts";
import { codesOf as codesOfUri, enrolAuthenticator } from "../../testing/second-factor.ts";
import type { InProcessService } from "../../testing/service.ts";
import { PASSWORD, send, startService } from "../../testing/service.ts";
import type { Reply } from "../../testing/visitor.ts";
import {
  codeOf,
  mailsTo,
  mailTo,
  proveAddress,
  registerProved,
  secretOf,
  Visitor,
} from "../../testing/visitor.ts";
import { sampleOf } from "../../testing/whole.ts";

const NEW = "another good long password";
const MINE = "the one that only the owner knows";
const DAY = 86_400_000;
const reason = "showed an identity card at the counter";

let service: InProcessService;
beforeAll(async () => {
  service = await startService({ settings: { LUCCHETTO_SECOND_FACTOR_REQUIRED: "[warden]" } });
});
afterEach(() => service.clock.reset());
afterAll(() => service.stop());

const passwordOf = (identifier: string, typed = PASSWORD) => ({
  proof: { type: "password", identifier, password: typed },
});
const redeem = (who: Visitor, secret: string, more: object = {}) =>
  who.post("/v1/mail-links/redeem", { secret, ...more });
const signIn = (who: Visitor, email: string, typed = PASSWORD) =>
  who.post("/v1/sign-in", passwordOf(email, typed));
const proof = (who: Visitor, shown: object) => who.post("/v1/sign-in/proof", { proof: shown });
const totp = (code: string) => ({ type: "totp", code });
const look = async (who: Visitor, secret: string) =>
  (await who.post("/v1/mail-links/look", { secret })).json<{ wants: string; shows: string[] }>();
const faultOf = (reply: Reply) => reply.json<{ errors?: Array<{ code: string }> }>().errors?.[0]?.code;

/** Somebody whose address is proved, with a browser that the account knows. */
async function owner(name: string, { proved = true } = {}) {
  const email = `${name}@brina.example`;
  const { id, token } = await (proved ? registerProved(service, email) : service.register(email));
  const browser = new Visitor(service);
  expect((await signIn(browser, email)).status).toBe(201);
  return { id, email, token, browser };
}

/** Somebody who registered in a browser, is signed in there, and has set up an authenticator and an access key. Nobody proved the address. */
async function registeredHere(name: string) {
  const email = `${name}@brina.example`;
  const browser = new Visitor(service);
  const made = await browser.post("/v1/accounts", { email, password: PASSWORD });
  const { account } = made.json<{ account: { id: string } }>();
  await browser.post("/v1/account/access-keys", { name: "script" });
  const token = await service.signIn(email);
  const app = await enrolAuthenticator(service, token, {});
  return { id: account.id, email, browser, app };
}

const office = async () => service.as(await service.operator());
const undoLink = async (email: string, template: string) => secretOf(await mailTo(service, email, template));

/** A reset by mail: the new password is set, and nobody is signed in. */
async function reset(email: string, typed: string): Promise<void> {
  const seen = new Set((await mailsTo(service, email)).map(({ id }) => id));
  await new Visitor(service).post("/v1/mail-links", { purpose: "reset", identifier: email });
  const secret = secretOf(await mailTo(service, email, "reset", seen));
  expect((await redeem(new Visitor(service), secret, { password: typed })).status).toBe(200);
}

/** Shows wrong codes past every wait, until no more are looked at. @returns how many were. */
async function guessCodes(email: string, app: TestAuthenticator, typed = PASSWORD): Promise<number> {
  let guessed = 0;
  for (let round = 0; round < 30; round += 1) {
    const stranger = new Visitor(service);
    await signIn(stranger, email, typed);
    for (let shown = 0; shown < 5; shown += 1) {
      await service.dataSource.query("UPDATE throttle_count SET waitUntil = '2000-01-01'");
      const near = [-1, 0, 1].map((steps) => app.code(steps));
      const bad = ["000000", "111111", "222222", "333333"].find((code) => !near.includes(code)) ?? "";
      const reply = await proof(stranger, totp(bad));
      if (reply.status === 429) return guessed;
      expect(codeOf(reply)).toBe("proof-refused");
      guessed += 1;
    }
  }
  return guessed;
}

/** As if so many wrong codes had been shown from strange devices. */
async function useTriesUp(accountId: string, failures: number): Promise<void> {
  const id = createHash("sha256").update(`account-factor\n${accountId}`).digest();
  await service.dataSource.query(
    "REPLACE INTO throttle_count VALUES (?, 'account-factor', ?, ?, '2000-01-01', '2000-01-01', NOW(3))",
    [id, accountId, failures],
  );
}

/** One case a row, or more. */
const CASES: Readonly<Record<RecoveryEvent, Readonly<Record<string, () => Promise<void>>>>> = {
  "email-changed": {
    "RC-1 neither a click elsewhere nor a stranger's password changes it; the session's end lets it lapse":
      async () => {
        const { email, browser } = await owner("anna");
        await browser.post("/v1/account/email", { email: "anna.new@brina.example" });
        const link = await undoLink("anna.new@brina.example", "change-email");
        const phone = new Visitor(service);
        expect((await redeem(phone, link)).json()).toMatchObject({ outcome: "code" });
        expect((await signIn(new Visitor(service), email)).status).toBe(201);
        await browser.call("DELETE", "/v1/session");
        expect(codeOf(await browser.post("/v1/account/email/confirm", { code: "000000" }))).toBe(
          "not-signed-in",
        );
      },
  },

  "change-undone": {
    "RC-3 RC-4 by an older authenticator or a recovery code; what the intruder added goes, what they removed comes back":
      async () => {
        const { id, email, browser } = await owner("bruno");
        const token = await service.signIn(email);
        const app = await enrolAuthenticator(service, token, {});
        await service.clock.advance(8 * DAY);
        // The intruder holds password and phone for a moment: another phone, the old one removed, another address.
        const stranger = await signInTwice(email, await app.nextCode());
        const call = service.as(stranger);
        const { body: begun } = await call(routes.enrolAuthenticator, { body: { name: "Intruder's" } });
        const theirs = codesOf(begun.uri);
        const { body: activated } = await call(routes.activateAuthenticator, {
          params: { id: begun.id },
          body: { code: theirs() },
        });
        const raised = service.as(activated.token ?? "");
        await raised(routes.removeAuthenticator, { params: { id: app.id } });
        await raised(routes.makeAccessKey, { body: { name: "back door" } });
        await raised(routes.changeEmail, { body: { email: "bruno.intruder@brina.example" } });
        const secret = secretOf(await mailTo(service, "bruno.intruder@brina.example", "change-email"));
        await raised(routes.redeemLink, { body: { secret } });
        await reset("bruno.intruder@brina.example", NEW);

        await service.clock.advance(6 * DAY);
        const undo = await undoLink(email, "email-changed");
        const elsewhere = new Visitor(service);
        expect(await look(elsewhere, undo)).toMatchObject({
          wants: "thing-from-before",
          shows: ["password", "totp", "recovery-code"],
        });
        expect(codeOf(await redeem(elsewhere, undo))).toBe("earlier-proof-required");
        for (const [present, fault] of [
          [NEW, "former-password-wrong"],
          [totp(theirs()), "former-code-wrong"],
          [totp("000000"), "former-code-wrong"],
          [{ type: "recovery-code", code: "aaaaa-bbbbb-ccccc" }, "former-code-wrong"],
        ] as const) {
          // After the intruder's reset each wrong code brings the longest wait.
          await service.clock.advance(15 * 60_000);
          expect((await redeem(elsewhere, undo, { password: MINE, present })).json()).toMatchObject({
            errors: [{ code: fault }],
          });
        }
        const [code = ""] = app.recoveryCodes;
        const undone = await redeem(elsewhere, undo, {
          password: MINE,
          present: { type: "recovery-code", code },
        });
        expect(undone.json()).toEqual({ outcome: "change-undone", email });
        expect(codeOf(await redeem(elsewhere, undo, { password: MINE, present: PASSWORD }))).toBe(
          "link-used",
        );

        const back = new Visitor(service);
        expect((await signIn(back, email, MINE)).json()).toMatchObject({ wanted: ["totp", "recovery-code"] });
        expect(codeOf(await proof(back, totp(theirs(1))))).toBe("proof-refused");
        expect(codeOf(await proof(back, { type: "recovery-code", code }))).toBe("proof-refused");
        expect((await proof(back, totp(await app.nextCode()))).status).toBe(201);
        expect((await browser.call("GET", "/v1/session")).status).toBe(401);
        expect(await service.dataSource.query("SELECT 1 FROM access_key WHERE accountId = ?", [id])).toEqual(
          [],
        );
      },

    "RC-3 by a code of the older authenticator": async () => {
      const { email, token } = await owner("bianca");
      const app = await enrolAuthenticator(service, token, {});
      await service.clock.advance(8 * DAY);
      const call = service.as(await signInTwice(email, await app.nextCode()));
      await call(routes.changeEmail, { body: { email: "bianca.new@brina.example" } });
      const secret = secretOf(await mailTo(service, "bianca.new@brina.example", "change-email"));
      await call(routes.redeemLink, { body: { secret } });
      const undo = await undoLink(email, "email-changed");
      const code = await app.nextCode();
      expect((await redeem(new Visitor(service), undo, { password: MINE, present: totp(code) })).status).toBe(
        200,
      );
      // It proves nothing twice.
      const back = new Visitor(service);
      await signIn(back, email, MINE);
      expect(codeOf(await proof(back, totp(code)))).toBe("proof-refused");
      expect((await proof(back, totp(await app.nextCode()))).status).toBe(201);
    },
  },

  "username-changed": {
    "RC-17 A10 with a fresh proof only, told with an undo, held for its owner, and brought back by the undo of a later address":
      async () => {
        const email = "ulla@brina.example";
        const named = { email, username: "ulla", password: PASSWORD, deliver: "token" } as const;
        await service.client(routes.register, { body: named });
        await proveAddress(service, email);
        const late = service.as(await service.signIn(email));
        await service.clock.advance(11 * 60_000);
        const rename = (call: typeof late, username: string | null) =>
          call(routes.changeOwnAccount, { body: { username } });
        await expect(rename(late, "wulla")).rejects.toMatchObject({ problem: { code: "reauthenticate" } });
        // Display name and language need none.
        await late(routes.changeOwnAccount, { body: { displayName: "Ulla", username: "ulla" } });
        const thief = await service.signIn(email);
        await rename(service.as(thief), null);
        expect((await mailTo(service, email, "username-changed")).text).toContain("no longer called ulla");
        const other = { username: "ulla", password: PASSWORD } as const;
        await expect(service.client(routes.register, { body: other })).rejects.toMatchObject({
          problem: { code: "identifier-taken" },
        });
        const second = await owner("ulrich");
        await expect(rename(service.as(await service.signIn(second.email)), "ulla")).rejects.toMatchObject({
          problem: { code: "identifier-taken" },
        });
        await service.as(thief)(routes.changeEmail, { body: { email: "ulla.thief@brina.example" } });
        const secret = await undoLink("ulla.thief@brina.example", "change-email");
        await service.as(thief)(routes.redeemLink, { body: { secret } });
        // The link of the name takes the later change of address back as well.
        const undo = await undoLink(email, "username-changed");
        const back = new Visitor(service);
        expect((await redeem(back, undo, { password: MINE, present: PASSWORD })).status).toBe(200);
        expect((await signIn(back, "ulla", MINE)).json()).toMatchObject({
          account: { email, username: "ulla" },
        });
        // Three in seven days: each holds a name.
        const mine = service.as(await service.signIn(email, MINE));
        for (const name of ["ulla-2", "ulla-3"]) await rename(mine, name);
        await expect(rename(mine, "ulla-4")).rejects.toMatchObject({ problem: { code: "throttled" } });
      },
  },

  "password-changed": {
    "A8 access keys of the last seven days end unless they are kept by hand; older ones stay": async () => {
      const { email, token } = await owner("piero");
      const make = async (call: ReturnType<typeof service.as>, name: string) =>
        (await call(routes.makeAccessKey, { body: { name } })).body.accessKey.id;
      const old = await make(service.as(token), "old");
      await service.clock.advance(8 * DAY);
      const call = service.as(await service.signIn(email));
      const kept = await make(call, "kept");
      await make(call, "somebody's");
      const { body } = await call(routes.changePassword, {
        body: { present: PASSWORD, password: MINE, keepAccessKeys: [kept] },
      });
      expect(body).toMatchObject({ endedAccessKeys: 1 });
      const left = (await service.as(body.token ?? "")(routes.listAccessKeys)).body.items.map(({ id }) => id);
      expect(left.sort()).toEqual([kept, old].sort());
    },
  },

  "factors-imported": {
    "SI-9 A7 ends access keys, links and sign-ins; the owner is told with an undo, for which a known browser still counts":
      async () => {
        const { id, email, browser, token } = await owner("quirino");
        await service.as(token)(routes.makeAccessKey, { body: { name: "script" } });
        await new Visitor(service).post("/v1/mail-links", { purpose: "reset", identifier: email });
        const resetting = await undoLink(email, "reset");
        const uri = `otpauth://totp/x:x?secret=${"A".repeat(32)}&issuer=x`;
        const items = [{ account: email, uri }];
        await (
          await office()
        )(routes.importAuthenticators, { body: { match: "email", items } });
        expect(await service.dataSource.query("SELECT 1 FROM access_key WHERE accountId = ?", [id])).toEqual(
          [],
        );
        expect(codeOf(await redeem(new Visitor(service), resetting, { password: NEW }))).toBe(
          "link-superseded",
        );
        const undo = await undoLink(email, "second-factor-added");
        expect((await redeem(browser, undo, { password: MINE })).json()).toEqual({
          outcome: "factor-undone",
        });
        expect((await signIn(new Visitor(service), email, MINE)).status).toBe(201);
      },
  },

  "factor-changed": {
    "RC-5 the proved address is told with an undo link, an unproved one without": async () => {
      const proved = await owner("carla");
      await enrolAuthenticator(service, proved.token, {});
      expect((await mailTo(service, proved.email, "second-factor-added")).links[0]).toMatch(/#lcl_/);
      const unproved = await owner("carlo", { proved: false });
      await enrolAuthenticator(service, unproved.token, {});
      const news = await mailTo(service, unproved.email, "unproved-change");
      expect(news.links).toEqual([]);
      expect(news.text).not.toMatch(/carlo|127\.0\.0\.1|browser/i);
      const names = (await mailsTo(service, unproved.email)).map(({ template }) => template);
      expect(names).not.toContain("second-factor-added");
    },

    "RC-5 an address changed away from within seven days is told as well, a later one no more": async () => {
      const { email, browser } = await owner("clara");
      await browser.post("/v1/account/email", { email: "clara.new@brina.example" });
      await redeem(browser, await undoLink("clara.new@brina.example", "change-email"));
      const first = await enrolAuthenticator(service, await service.signIn("clara.new@brina.example"), {});
      for (const to of [email, "clara.new@brina.example"])
        expect((await mailTo(service, to, "second-factor-added")).links[0]).toMatch(/#lcl_/);
      await service.clock.advance(8 * DAY);
      const later = service.as(await signInTwice("clara.new@brina.example", await first.nextCode()));
      await later(routes.removeAuthenticator, { params: { id: first.id } });
      await mailTo(service, "clara.new@brina.example", "second-factor-removed");
      const told = (await mailsTo(service, email)).map(({ template }) => template);
      expect(told).not.toContain("second-factor-removed");
    },
  },

  "factor-undone": {
    "RC-5 an added authenticator goes; mailbox alone is refused; it lives through a reset; the password dies":
      async () => {
        const { email, browser } = await owner("dora");
        const token = await service.signIn(email);
        const theirs = await enrolAuthenticator(service, token, {});
        await reset(email, NEW);
        const undo = await undoLink(email, "second-factor-added");
        const mailbox = new Visitor(service);
        expect(codeOf(await redeem(mailbox, undo, { password: MINE }))).toBe("earlier-proof-required");
        const added = await redeem(mailbox, undo, { password: MINE, present: totp(await theirs.nextCode()) });
        expect(faultOf(added)).toBe("former-thing-not-there");
        // The browser that was known then is the one thing.
        expect(await look(browser, undo)).toMatchObject({ wants: "new-password", shows: [] });
        expect((await redeem(browser, undo, { password: MINE })).json()).toEqual({
          outcome: "factor-undone",
        });
        expect((await signIn(new Visitor(service), email, NEW)).status).toBe(401);
        expect((await signIn(new Visitor(service), email, MINE)).status).toBe(201);
        expect((await mailTo(service, email, "second-factor-restored")).text).toContain("undone");
      },

    "RC-5 a removed authenticator and its codes come back; replaced codes too; after seven days no more":
      async () => {
        const { id, email, token } = await owner("dino");
        const app = await enrolAuthenticator(service, token, {});
        const stranger = service.as(await signInTwice(email, await app.nextCode()));
        const { body: replaced } = await stranger(routes.makeRecoveryCodes);
        await stranger(routes.removeAuthenticator, { params: { id: app.id } });
        expect(await service.signIn(email)).toMatch(/^lcs_/);
        // The earlier link takes the later change back as well.
        const undo = await undoLink(email, "recovery-codes-made");
        const removal = await undoLink(email, "second-factor-removed");
        const visitor = new Visitor(service);
        expect((await redeem(visitor, undo, { present: PASSWORD })).status).toBe(200);
        expect(codeOf(await redeem(visitor, removal, { present: PASSWORD }))).toBe("link-superseded");
        // Without a new password there is none: one is asked for by mail.
        expect((await signIn(visitor, email)).status).toBe(401);
        await reset(email, MINE);
        const [mine = ""] = app.recoveryCodes;
        const [theirs = ""] = replaced.codes;
        await signIn(visitor, email, MINE);
        expect(codeOf(await proof(visitor, { type: "recovery-code", code: theirs }))).toBe("proof-refused");
        expect((await proof(visitor, { type: "recovery-code", code: mine })).status).toBe(201);

        const again = await signInTwice(email, await app.nextCode(), MINE);
        await service.as(again)(routes.removeAuthenticator, { params: { id: app.id } });
        const last = (await mailsTo(service, email)).find(
          ({ template }) => template === "second-factor-removed",
        );
        await service.clock.advance(7 * DAY);
        expect(codeOf(await redeem(visitor, secretOf(last ?? { links: [] }), { present: MINE }))).toBe(
          "link-expired",
        );
        await service.clock.advance(9 * DAY);
        await service.sweep();
        expect(
          await service.dataSource.query(
            "SELECT 1 FROM authenticator WHERE removedAt IS NOT NULL AND accountId = ?",
            [id],
          ),
        ).toEqual([]);
      },
  },

  "password-reset": {
    "RC-7 a reset gives ten more tries of codes, a second one within a day none": async () => {
      const { id, email, token } = await owner("elena");
      const app = await enrolAuthenticator(service, token, {});
      await useTriesUp(id, 85);
      expect(await guessCodes(email, app)).toBe(5);
      await reset(email, NEW);
      expect(await guessCodes(email, app, NEW)).toBe(10);
      await reset(email, MINE);
      expect(await guessCodes(email, app, MINE)).toBe(0);
      await service.clock.advance(DAY);
      await reset(email, NEW);
      expect(await guessCodes(email, app, NEW)).toBe(10);
    },

    "RC-7 a second reset within a day takes nothing of what the first one gave": async () => {
      const { id, email, token } = await owner("elide");
      const app = await enrolAuthenticator(service, token, {});
      await useTriesUp(id, 90);
      await reset(email, NEW);
      await reset(email, MINE);
      const elsewhere = new Visitor(service);
      await signIn(elsewhere, email, MINE);
      expect((await proof(elsewhere, totp(await app.nextCode()))).status).toBe(201);
    },

    "RC-7 A15 a mailbox buys thirty guesses in a year without a complete sign-in, however many resets":
      async () => {
        const { id, email, token } = await owner("enzo");
        const app = await enrolAuthenticator(service, token, {});
        await useTriesUp(id, 90);
        let bought = 0;
        for (let resets = 0; resets < 5; resets += 1) {
          await service.clock.advance(DAY + 60_000);
          await reset(email, `${NEW} ${resets}`);
          bought += await guessCodes(email, app, `${NEW} ${resets}`);
        }
        expect(bought).toBe(30);
        // The owner's own recovery code still signs in, and begins the count anew.
        const back = new Visitor(service);
        await signIn(back, email, `${NEW} 4`);
        const [code = ""] = app.recoveryCodes;
        expect((await proof(back, { type: "recovery-code", code })).status).toBe(201);
        const left = "SELECT 1 FROM throttle_count WHERE kind = 'account-codes-by-mail' AND subject = ?";
        expect(await service.dataSource.query(left, [id])).toEqual([]);
      },

    "RC-7 without a second factor a reset counts nothing, and operators see nobody held back": async () => {
      const { id, email } = await owner("edda");
      await reset(email, NEW);
      const { body } = await (await office())(routes.listThrottle);
      expect(body.items.filter(({ subject }) => subject === id)).toEqual([]);
    },

    "RC-7 ninety wrong codes of a stranger keep neither the known browser nor a recovery code out":
      async () => {
        const { id, email, browser, token } = await owner("elio");
        const app = await enrolAuthenticator(service, token, {});
        await useTriesUp(id, 90);
        const elsewhere = new Visitor(service);
        await signIn(elsewhere, email);
        expect((await proof(elsewhere, totp(await app.nextCode()))).status).toBe(429);
        await signIn(browser, email);
        expect((await proof(browser, totp(await app.nextCode()))).status).toBe(201);
        const other = await owner("elisa");
        const second = await enrolAuthenticator(service, other.token, {});
        await useTriesUp(other.id, 90);
        const lost = new Visitor(service);
        await signIn(lost, other.email);
        const [spare = ""] = second.recoveryCodes;
        expect((await proof(lost, { type: "recovery-code", code: spare })).status).toBe(201);
      },
  },

  "password-wanted": {
    "RC-6 without a second factor a mailed proof comes first; a leaked password replaces nothing":
      async () => {
        const { id, email } = await owner("fausta");
        await (
          await office()
        )(routes.changeAccount, { params: { id }, body: { mustChangePassword: true } });
        const stranger = new Visitor(service);
        expect((await signIn(stranger, email)).json()).toMatchObject({ wanted: ["mail-link", "mail-code"] });
        const early = await proof(stranger, { type: "new-password", password: NEW });
        expect(codeOf(early)).toBe("proof-refused");
        const theirs = await mailTo(service, email, "confirm-sign-in");

        const back = new Visitor(service);
        await signIn(back, email);
        const mine = await mailTo(service, email, "confirm-sign-in", new Set([theirs.id]));
        // The stranger's own sign-in is not moved on by the owner's link, nor the other way round.
        expect(codeOf(await proof(stranger, { type: "mail-link", secret: secretOf(mine) }))).toBe(
          "proof-refused",
        );
        const proved = await proof(back, { type: "mail-link", secret: secretOf(mine) });
        expect(proved.json()).toMatchObject({ outcome: "proof-wanted", wanted: ["new-password"] });
        expect((await proof(back, { type: "new-password", password: MINE })).json()).toMatchObject({
          session: { aal: 1, amr: ["pwd", "mail"] },
        });
        expect(codeOf(await proof(stranger, { type: "mail-link", secret: secretOf(theirs) }))).toMatch(
          /sign-in-lapsed|link-superseded/,
        );
      },

    "RC-6 the code of the link opened elsewhere is as good, at that sign-in alone": async () => {
      const { id, email } = await owner("fabio");
      await (
        await office()
      )(routes.changeAccount, { params: { id }, body: { mustChangePassword: true } });
      const desk = new Visitor(service);
      await signIn(desk, email);
      const secret = await undoLink(email, "confirm-sign-in");
      const { code } = (await redeem(new Visitor(service), secret)).json<{ code: string }>();
      expect((await proof(desk, { type: "mail-code", code })).json()).toMatchObject({
        wanted: ["new-password"],
      });
    },

    "RC-6 with neither second factor nor proved address the password opens nothing; a first password does, once, for seven days":
      async () => {
        const { id, email } = await owner("gino", { proved: false });
        const call = await office();
        await call(routes.changeAccount, { params: { id }, body: { mustChangePassword: true } });
        expect(codeOf(await signIn(new Visitor(service), email))).toBe("operator-needed");
        expect(codeOf(await signIn(new Visitor(service), email, "a wrong long password"))).toBe(
          "sign-in-refused",
        );
        await call(routes.giveFirstPassword, { params: { id }, body: { password: NEW, reason } });
        const first = new Visitor(service);
        expect((await signIn(first, email, NEW)).json()).toMatchObject({ wanted: ["new-password"] });
        expect((await proof(first, { type: "new-password", password: MINE })).status).toBe(201);
        expect((await signIn(new Visitor(service), email, NEW)).status).toBe(401);

        await call(routes.giveFirstPassword, { params: { id }, body: { password: NEW, reason } });
        await service.clock.advance(7 * DAY);
        expect(codeOf(await signIn(new Visitor(service), email, NEW))).toBe("operator-needed");
      },

    "RC-6 an account that an operator adds opens once with its first password": async () => {
      const call = await office();
      const email = "greta@brina.example";
      await call(routes.addAccount, { body: { email, password: NEW } });
      const greta = new Visitor(service);
      expect((await signIn(greta, email, NEW)).json()).toMatchObject({ wanted: ["new-password"] });
      await service.clock.advance(8 * DAY);
      expect(codeOf(await signIn(new Visitor(service), email, NEW))).toBe("operator-needed");
    },
  },

  "enrolment-wanted": {
    "RC-6 a leaked password sets nothing up where the address is proved; the owner is told of what was":
      async () => {
        const { id, email } = await owner("hanna");
        await (
          await office()
        )(routes.changeAccount, { params: { id }, body: { labels: ["warden"] } });
        const visitor = new Visitor(service);
        const first = await signIn(visitor, email);
        expect(first.json()).toMatchObject({ wanted: ["mail-link", "mail-code"] });
        expect(codeOf(await visitor.post("/v1/account/totp", {}))).toBe("proof-refused");
        const secret = secretOf(await mailTo(service, email, "confirm-sign-in"));
        const second = await proof(visitor, { type: "mail-link", secret });
        expect(second.json()).toMatchObject({ wanted: ["enrol-passkey", "enrol-totp"] });
        const begun = (await visitor.post("/v1/account/totp", {})).json<{ id: string; uri: string }>();
        const code = codesOf(begun.uri)();
        expect((await proof(visitor, { type: "enrol-totp", id: begun.id, code })).status).toBe(201);
        expect(await mailTo(service, email, "second-factor-added")).toBeDefined();
      },
    "RC-6 without a proved address the password is enough to set one up": async () => {
      const { id, email } = await owner("hugo", { proved: false });
      await (
        await office()
      )(routes.changeAccount, { params: { id }, body: { labels: ["warden"] } });
      const first = await signIn(new Visitor(service), email);
      expect(first.json()).toMatchObject({ wanted: ["enrol-passkey", "enrol-totp"] });
    },
  },

  "factor-removed-by-operator": {
    "RC-8 with a reason and a fresh proof; owner and others are told; password and mailed proof are wanted once":
      async () => {
        const { id, email, browser, token } = await owner("ida");
        const app = await enrolAuthenticator(service, token, {});
        const call = await office();
        const second = await anotherOperator("ida.office");
        await expect(
          call(routes.removeSecondFactor, { params: { id }, body: { reason: "  " } }),
        ).rejects.toMatchObject({ problem: { errors: [{ path: "reason" }] } });
        const { body } = await call(routes.removeSecondFactor, { params: { id }, body: { reason } });
        expect(body).toMatchObject({ id, email });
        expect((await browser.call("GET", "/v1/session")).status).toBe(401);
        expect((await mailTo(service, second, "operators-told")).text).toContain(reason);
        const [entry] = (
          await call(routes.listJournal, { query: { accountId: id, limit: 50 } })
        ).body.items.filter(({ kind }) => kind === "second-factor.removed-by-operator");
        expect(entry?.reason).toBe(reason);

        const back = new Visitor(service);
        expect((await signIn(back, email)).json()).toMatchObject({ wanted: ["mail-link", "mail-code"] });
        const secret = await undoLink(email, "confirm-sign-in");
        expect((await proof(back, { type: "mail-link", secret })).status).toBe(201);
        expect((await signIn(new Visitor(service), email)).status).toBe(201);
        // By mail alone nobody gets in either: the password is wanted beside it. And the owner can undo it.
        const undo = await undoLink(email, "second-factor-removed");
        expect((await redeem(browser, undo, { password: MINE })).json()).toEqual({
          outcome: "factor-undone",
        });
        const restored = new Visitor(service);
        expect((await signIn(restored, email, MINE)).json()).toMatchObject({
          wanted: ["totp", "recovery-code"],
        });
        expect((await proof(restored, totp(await app.nextCode()))).status).toBe(201);
        await expect(
          call(routes.removeSecondFactor, { params: { id: second }, body: { reason } }),
        ).rejects.toMatchObject({ problem: { code: "not-found" } });
      },

    "RC-8 a magic link is not enough after it": async () => {
      const { id, email, token } = await owner("ilda");
      await enrolAuthenticator(service, token, {});
      await (
        await office()
      )(routes.removeSecondFactor, { params: { id }, body: { reason } });
      const visitor = new Visitor(service);
      await visitor.post("/v1/mail-links", { purpose: "sign-in", identifier: email });
      const secret = await undoLink(email, "sign-in");
      expect((await proof(visitor, { type: "mail-link", secret })).json()).toMatchObject({
        wanted: ["password"],
      });
      const wrong = await proof(visitor, { type: "password", password: "a wrong long password" });
      expect(codeOf(wrong)).toBe("invalid-fields");
      expect((await proof(visitor, { type: "password", password: PASSWORD })).status).toBe(201);
    },
  },

  "email-corrected": {
    "RC-11 the old address is told with its undo, others are told; the new one must be proved and gets no further alone":
      async () => {
        const { id, email, token } = await owner("leo");
        const app = await enrolAuthenticator(service, token, {});
        await service.clock.advance(8 * DAY);
        const call = await office();
        const second = await anotherOperator("leo.office");
        const fixed = "leo.fixed@brina.example";
        const { body } = await call(routes.correctEmail, { params: { id }, body: { email: fixed, reason } });
        expect(body).toMatchObject({ email: fixed, emailVerified: false });
        expect((await mailTo(service, second, "operators-told")).text).toContain(fixed);
        const verify = await undoLink(fixed, "email-corrected");
        // The address may be mistyped: whoever reads that mailbox gets no further alone, by no way.
        const reader = new Visitor(service);
        expect(await look(reader, verify)).toMatchObject({
          wants: "thing-from-before",
          shows: ["password", "totp", "recovery-code"],
        });
        for (const shown of [{}, { password: NEW }])
          expect(codeOf(await redeem(reader, verify, shown))).toBe("earlier-proof-required");
        for (const purpose of ["reset", "sign-in"])
          await reader.post("/v1/mail-links", { purpose, identifier: fixed });
        expect((await redeem(new Visitor(service), verify, { present: PASSWORD })).json()).toEqual({
          outcome: "email-verified",
        });
        const told = (await mailsTo(service, fixed)).map(({ template }) => template);
        expect(told).not.toContain("reset");
        expect(told).not.toContain("sign-in");
        expect((await signIn(reader, fixed)).json()).toMatchObject({ wanted: ["totp", "recovery-code"] });
        expect((await proof(reader, totp(await app.nextCode()))).status).toBe(201);

        const undo = await undoLink(email, "email-changed");
        expect(codeOf(await redeem(new Visitor(service), undo))).toBe("earlier-proof-required");
        const code = totp(await app.nextCode());
        expect((await redeem(new Visitor(service), undo, { password: MINE, present: code })).status).toBe(
          200,
        );
        expect((await signIn(new Visitor(service), email, MINE)).status).toBe(202);
        await expect(
          call(routes.correctEmail, { params: { id }, body: { email: second, reason } }),
        ).rejects.toMatchObject({ problem: { code: "identifier-taken" } });
      },

    "RC-11 an invitation goes to the corrected address; once accepted, that is one like any other":
      async () => {
        const call = await office();
        const { body } = await call(routes.inviteAccount, { body: { email: "lina.wrong@brina.example" } });
        const lost = await undoLink("lina.wrong@brina.example", "invite");
        const email = "lina@brina.example";
        await call(routes.correctEmail, { params: { id: body.id }, body: { email, reason } });
        expect(codeOf(await redeem(new Visitor(service), lost, { password: NEW }))).toMatch(/^link-/);
        const invited = await undoLink(email, "invite");
        expect((await redeem(new Visitor(service), invited, { password: NEW })).status).toBe(200);
        await reset(email, MINE);
        expect((await signIn(new Visitor(service), email, MINE)).status).toBe(201);
      },
  },

  closed: {
    "RC-10 signed out everywhere, refused at sign-in, invisible to applications; after seven days the rows go":
      async () => {
        const { id, email, browser } = await owner("mara");
        const { body: app } = await (
          await office()
        )(routes.addApp, {
          body: { name: "Looks up", redirectUris: ["http://localhost:1/looks"] },
        });
        const authorization = `Basic ${Buffer.from(`${app.app.clientId}:${app.key}`).toString("base64")}`;
        const seen = async () =>
          (
            await send(service, "POST", "/v1/accounts/look-up", {
              headers: { authorization, "content-type": "application/json" },
              body: JSON.stringify({ ids: [id] }),
            })
          ).json<{ items?: unknown[] }>().items?.length;
        expect(await seen()).toBe(1);
        expect((await browser.call("DELETE", "/v1/account")).status).toBe(204);
        expect((await browser.call("GET", "/v1/session")).status).toBe(401);
        expect(codeOf(await signIn(new Visitor(service), email))).toBe("account-closed");
        expect(codeOf(await signIn(new Visitor(service), email, "a wrong long password"))).toBe(
          "sign-in-refused",
        );
        expect(await seen()).toBe(0);
        await expect(
          (await office())(routes.changeAccount, { params: { id }, body: { state: "suspended" } }),
        ).rejects.toThrow(/restore it before suspending it/);
        await service.clock.advance(7 * DAY - 60_000);
        await service.sweep();
        expect(await service.dataSource.query("SELECT 1 FROM account WHERE id = ?", [id])).toHaveLength(1);
        await service.clock.advance(60_000);
        await service.sweep();
        expect(await service.dataSource.query("SELECT 1 FROM account WHERE id = ?", [id])).toEqual([]);
        expect(
          await service.dataSource.query(
            "SELECT kind FROM journal_entry WHERE accountId = ? AND kind LIKE 'account.%' ORDER BY id",
            [id],
          ),
        ).toEqual([{ kind: "account.registered" }, { kind: "account.closed" }, { kind: "account.erased" }]);
        expect(await service.dataSource.query("SELECT 1 FROM mail WHERE toAddress = ?", [email])).toEqual([]);
      },
  },

  "erasing-stopped": {
    "RC-10 by the link and one thing from before everything is as it was": async () => {
      const { email, token, browser } = await owner("nino");
      const app = await enrolAuthenticator(service, token, {});
      const stranger = await signInTwice(email, await app.nextCode());
      await service.as(stranger)(routes.eraseOwnAccount);
      const keep = await undoLink(email, "account-closed");
      const mailbox = new Visitor(service);
      expect(codeOf(await redeem(mailbox, keep))).toBe("earlier-proof-required");
      await service.clock.advance(6 * DAY);
      expect((await redeem(mailbox, keep, { present: PASSWORD })).json()).toEqual({
        outcome: "erasing-stopped",
      });
      await service.clock.advance(2 * DAY);
      await service.sweep();
      await signIn(browser, email);
      expect((await proof(browser, totp(await app.nextCode()))).status).toBe(201);
    },
  },

  "address-proved-here": {
    "RC-16 A16 a reset in the browser that registered takes nothing but sessions and keys; what is not mine goes":
      async () => {
        const { id, email, browser, app } = await registeredHere("pia");
        await service.dataSource.query(
          `UPDATE account SET labels = '["keeper"]', reference = 'person-8' WHERE id = ?`,
          [id],
        );
        await browser.post("/v1/mail-links", { purpose: "reset", identifier: email });
        const link = await undoLink(email, "reset");
        const { setUp } = (await browser.post("/v1/mail-links/look", { secret: link })).json<LinkLook>();
        expect(setUp?.stays.map(({ kind }) => kind)).toEqual([
          "authenticator",
          "recovery-codes",
          "labels",
          "reference",
        ]);
        expect(setUp?.goes.map(({ kind }) => kind)).toEqual(["access-key"]);
        const notMine = ["reference"];
        expect((await redeem(browser, link, { password: MINE, notMine })).status).toBe(200);
        expect((await browser.call("GET", "/v1/session")).status).toBe(401);
        await signIn(browser, email, MINE);
        expect((await proof(browser, totp(await app.nextCode()))).json()).toMatchObject({
          account: { labels: ["keeper"], reference: null },
        });
        expect(await service.dataSource.query("SELECT 1 FROM access_key WHERE accountId = ?", [id])).toEqual(
          [],
        );
      },

    "RC-16 confirming there takes nothing either; sessions and keys end": async () => {
      const { id, email, browser, app } = await registeredHere("pina");
      expect((await redeem(browser, await undoLink(email, "verify"))).status).toBe(200);
      for (const table of ["session", "access_key"]) {
        const living = table === "session" ? "AND endedAt IS NULL" : "";
        expect(
          await service.dataSource.query(`SELECT 1 FROM ${table} WHERE accountId = ? ${living}`, [id]),
        ).toEqual([]);
      }
      await signIn(browser, email);
      expect((await proof(browser, totp(await app.nextCode()))).status).toBe(201);
    },
  },

  "address-proved": {
    "RC-16 elsewhere what goes is named before, and stays for whoever shows a code of what was set up":
      async () => {
        const { email, app } = await registeredHere("pippa");
        const link = await undoLink(email, "verify");
        const phone = new Visitor(service);
        const seen = (await phone.post("/v1/mail-links/look", { secret: link })).json<LinkLook>();
        expect(seen).toMatchObject({ wants: "any-password", shows: ["password", "totp", "recovery-code"] });
        expect(seen.setUp?.stays).toEqual([]);
        expect(seen.setUp?.goes.map(({ kind }) => kind)).toEqual([
          "authenticator",
          "recovery-codes",
          "access-key",
        ]);
        expect(faultOf(await redeem(phone, link, { present: totp("000000") }))).toBe("code-wrong");
        expect((await redeem(phone, link, { present: totp(await app.nextCode()) })).status).toBe(200);
        expect((await signIn(phone, email)).json()).toMatchObject({ wanted: ["totp", "recovery-code"] });
        expect((await proof(phone, totp(await app.nextCode()))).status).toBe(201);
      },

    "RC-16 A16 elsewhere without anything shown it goes; journalled, mailed, told to the application":
      async () => {
        const { id, email } = await registeredHere("priska");
        await new Visitor(service).post("/v1/mail-links", { purpose: "reset", identifier: email });
        const link = await undoLink(email, "reset");
        expect((await redeem(new Visitor(service), link, { password: MINE })).status).toBe(200);
        expect((await signIn(new Visitor(service), email, MINE)).status).toBe(201);
        expect((await mailTo(service, email, "set-up-removed")).text).toContain("set it up again");
        const noted =
          "SELECT reason FROM journal_entry WHERE accountId = ? AND kind = 'account.set-up-removed'";
        expect(await service.dataSource.query(noted, [id])).toEqual([
          { reason: "authenticator recovery-codes" },
        ]);
      },

    "RC-16 A19 a code typed in the browser that registered counts as anywhere else": async () => {
      const { email, browser } = await registeredHere("prospera");
      const desk = new Visitor(service);
      for (const [name, value] of browser.cookies) if (name.includes("device")) desk.cookies.set(name, value);
      await desk.post("/v1/mail-links", { purpose: "sign-in", identifier: email });
      const secret = await undoLink(email, "sign-in");
      const phone = new Visitor(service);
      const { setUp } = (await phone.post("/v1/mail-links/look", { secret })).json<LinkLook>();
      expect(setUp?.goes.map(({ kind }) => kind)).toContain("authenticator");
      const { code } = (await redeem(phone, secret)).json<{ code: string }>();
      expect((await proof(desk, { type: "mail-code", code })).status).toBe(201);
      expect((await desk.call("GET", "/v1/account/totp")).json()).toEqual({ items: [] });
    },

    "RC-16 A19 beside the registration's password a code typed there takes nothing": async () => {
      const { email, browser, app } = await registeredHere("prudenza");
      const desk = new Visitor(service);
      for (const [name, value] of browser.cookies) if (name.includes("device")) desk.cookies.set(name, value);
      await desk.post("/v1/mail-links", { purpose: "sign-in", identifier: email });
      const secret = await undoLink(email, "sign-in");
      expect((await desk.call("GET", "/v1/sign-in")).json()).toMatchObject({ registeredHere: true });
      const { code } = (await redeem(new Visitor(service), secret)).json<{ code: string }>();
      const wrong = await proof(desk, { type: "mail-code", code, password: MINE });
      expect(faultOf(wrong)).toBe("registration-password-wrong-here");
      const shown = await proof(desk, { type: "mail-code", code, password: PASSWORD });
      expect(shown.json()).toMatchObject({ wanted: ["totp", "recovery-code"] });
      expect((await proof(desk, totp(await app.nextCode()))).status).toBe(201);
    },

    "RC-16 A19 the password beside a code keeps nothing in any other browser": async () => {
      const { email } = await registeredHere("petra");
      const elsewhere = new Visitor(service);
      await elsewhere.post("/v1/mail-links", { purpose: "sign-in", identifier: email });
      const secret = await undoLink(email, "sign-in");
      expect((await elsewhere.call("GET", "/v1/sign-in")).json()).toMatchObject({ registeredHere: false });
      const { code } = (await redeem(new Visitor(service), secret)).json<{ code: string }>();
      expect((await proof(elsewhere, { type: "mail-code", code, password: PASSWORD })).status).toBe(201);
      expect((await elsewhere.call("GET", "/v1/account/totp")).json()).toEqual({ items: [] });
    },

    "RC-16 A4 of an imported account what the import brought stays, what came since goes": async () => {
      const email = "prisca@brina.example";
      const { id } = await service.register(email);
      const brought =
        "UPDATE account SET isOpenlyRegistered = 0, registrationBrowserHash = NULL, reference = 'person-9' WHERE id = ?";
      await service.dataSource.query(brought, [id]);
      await service.dataSource.query("UPDATE password_record SET provedSince = NULL WHERE accountId = ?", [
        id,
      ]);
      // Whoever learnt the password sets up an authenticator; the owner reads the mail.
      const stranger = new Visitor(service);
      await signIn(stranger, email);
      const begun = (await stranger.post("/v1/account/totp", {})).json<{ id: string; uri: string }>();
      await stranger.post(`/v1/account/totp/${begun.id}/activate`, { code: codesOf(begun.uri)() });
      const mine = new Visitor(service);
      await mine.post("/v1/mail-links", { purpose: "reset", identifier: email });
      const link = await undoLink(email, "reset");
      const { setUp } = (await mine.post("/v1/mail-links/look", { secret: link })).json<LinkLook>();
      expect(setUp?.stays.map(({ kind }) => kind)).toEqual(["reference"]);
      expect((await redeem(mine, link, { password: MINE })).status).toBe(200);
      expect((await signIn(mine, email, MINE)).json()).toMatchObject({
        outcome: "signed-in",
        account: { reference: "person-9" },
      });
      expect((await stranger.call("GET", "/v1/session")).status).toBe(401);
    },

    "SI-12 labels and reference do not pass to whoever proves an address that somebody else registered":
      async () => {
        const { id, email, token } = await owner("olga", { proved: false });
        await enrolAuthenticator(service, token, {});
        await service.dataSource.query(
          `UPDATE account SET labels = '["keeper"]', reference = 'person-7' WHERE id = ?`,
          [id],
        );
        const mine = new Visitor(service);
        expect((await redeem(mine, await undoLink(email, "verify"), { password: MINE })).status).toBe(200);
        expect((await signIn(mine, email, MINE)).json()).toMatchObject({
          outcome: "signed-in",
          account: { labels: [], reference: null },
        });
      },
  },
};

async function anotherOperator(name: string): Promise<string> {
  const { id, email } = await owner(name);
  await (
    await office()
  )(routes.changeAccount, { params: { id }, body: { labels: ["operator"] } });
  return email;
}

/** A session by password and code. @returns its own token. */
async function signInTwice(email: string, code: string, typed = PASSWORD): Promise<string> {
  const { body } = await service.client(routes.signIn, {
    body: { proof: { type: "password", identifier: email, password: typed }, deliver: "token" },
  });
  const reply = await send(service, "POST", "/v1/sign-in/proof", {
    headers: { authorization: `Bearer ${body.token ?? ""}`, "content-type": "application/json" },
    body: JSON.stringify({ proof: totp(code) }),
  });
  expect(reply.status).toBe(201);
  return reply.json<{ token: string }>().token;
}

function codesOf(uri: string): (steps?: number) => string {
  return codesOfUri(service, uri);
}

describe.each(Object.keys(RECOVERY_RULES) as RecoveryEvent[])("%s", (event) => {
  // Of each row three, in the order in which they stand; all of them in the long run.
  test.each(sampleOf(Object.entries(CASES[event]), 3))("%s", (_what, play) => play());
});

test("RC-9 the page in docs is made from the table, and every row is played", () => {
  const page = readFileSync(new URL("../../docs/recovery.md", import.meta.url), "utf8");
  expect(page).toBe(recoveryDocument());
  for (const event of Object.keys(RECOVERY_RULES) as RecoveryEvent[])
    expect(Object.keys(CASES[event]).length).toBeGreaterThan(0);
});
