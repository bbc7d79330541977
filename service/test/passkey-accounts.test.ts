/** Passkeys over HTTP: the relying party, accounts that have no password, and what becomes of passkeys when an account is taken or given back. */
import { createHash } from "node:crypto";
import { mkdtempSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, afterEach, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import {
  addPasskey,
  addPasskeyAt,
  beginAt,
  madeFor,
  passwordOf,
  personAt,
  proofOf,
  signedIn,
  signInBy,
} from "../../testing/passkey.ts";
import { enrolAuthenticator } from "../../testing/second-factor.ts";
import type { TestService } from "../../testing/service.ts";
import { json, PASSWORD, send, startService } from "../../testing/service.ts";
import { codeOf, mailTo, proveAddress, secretOf, Visitor } from "../../testing/visitor.ts";

let service: TestService;
beforeAll(async () => {
  service = await startService();
});
afterEach(() => service.clock.reset());
afterAll(() => service.stop());

const MINUTE = 60_000;
const DAY = 86_400_000;
const rowsOf = (accountId: string) =>
  service.dataSource.query<Array<Record<string, unknown>>>("SELECT * FROM passkey WHERE accountId = ?", [
    accountId,
  ]);

const person = (name: string) => personAt(service, name);

describe("the relying party", () => {
  test("of a parent domain, at several origins, with the related ones listed; and for an app with forms of its own", async () => {
    const origins = ["https://huts.brina.example", "https://huts.example"];
    const parent = await startService({
      publicUrl: "https://accounts.brina.example/lucchetto",
      settings: {
        LUCCHETTO_PASSKEYS_RELYING_PARTY_ID: "brina.example",
        LUCCHETTO_PASSKEYS_ORIGINS: JSON.stringify(origins),
      },
    });
    try {
      const listed = await fetch(new URL("/.well-known/webauthn", parent.url));
      expect([listed.status, await listed.json()]).toEqual([
        200,
        { origins: ["https://accounts.brina.example", ...origins] },
      ]);
      const { token } = await parent.register("pat@brina.example");
      const { passkey } = await addPasskey(parent, token, { origin: "https://accounts.brina.example" });
      expect(passkey.rpId).toBe("brina.example");
      for (const origin of origins) {
        const { body: begun } = await parent.client(routes.beginPasskey, { body: { purpose: "sign-in" } });
        const { proof } = proofOf(parent, passkey, begun as never, { origin });
        expect((await parent.client(routes.signIn, { body: { proof, deliver: "token" } })).status).toBe(201);
      }
      const { body: begun } = await parent.client(routes.beginPasskey, { body: { purpose: "sign-in" } });
      const { proof } = proofOf(parent, passkey, begun as never, { origin: "https://brina.example" });
      await expect(parent.client(routes.signIn, { body: { proof } })).rejects.toMatchObject({
        problem: { code: "passkey-origin-mismatch" },
      });
    } finally {
      await parent.stop();
    }
  });

  test("an app with forms of its own makes and uses them on its own pages, and nobody answers elsewhere", async () => {
    const origin = "http://localhost:3000";
    const listed = "https://listed.example";
    const forms = await startService({ settings: { LUCCHETTO_PASSKEYS_ORIGINS: `[${listed}]` } });
    try {
      const office = forms.as(await forms.operator());
      const { body: added } = await office(routes.addApp, {
        body: { name: "The desk", redirectUris: [`${origin}/signed-in`], ownForms: true },
      });
      const visitor = { "lucchetto-app-key": added.key, "lucchetto-visitor-address": "192.0.2.7" };
      const call = async (path: string, body: object, more: Record<string, string> = {}) => {
        const { body: text, headers } = json(body);
        return send(forms, "POST", path, { body: text, headers: { ...headers, ...visitor, ...more } });
      };
      const begin = async (purpose: string, more: Record<string, string> = {}) => {
        const reply = await call("/v1/passkey-challenges", { purpose }, more);
        expect(reply.status).toBe(201);
        return reply.json<Awaited<ReturnType<typeof beginAt>>>();
      };
      const made = madeFor(forms, await begin("register"), { origin });
      const registered = await call("/v1/accounts", { username: "dina", ...made.answer });
      const { token } = registered.json<{ token: string }>();
      expect(token).toMatch(/^lcs_/);
      const bearer = { authorization: `Bearer ${token}` };
      const second = madeFor(forms, await begin("enrol", bearer), { origin });
      expect((await call("/v1/account/passkeys", second.answer, bearer)).status).toBe(201);
      const begun = await begin("sign-in");
      const { proof } = proofOf(forms, made.passkey, begun, { origin });
      // Issued to the app's visitor, it is answered there alone.
      await expect(forms.client(routes.signIn, { body: { proof, deliver: "token" } })).rejects.toMatchObject({
        problem: { code: "passkey-challenge-unknown" },
      });
      expect((await call("/v1/sign-in", { proof })).status).toBe(201);
      // Within the relying party's domain, or listed; elsewhere no browser would do it, and the call says so.
      for (const [name, at, status] of [
        ["listed", listed, 201],
        ["elsewhere", "https://elsewhere.example", 409],
        ["nearly", "https://notlocalhost", 409],
      ] as const) {
        const { body: other } = await office(routes.addApp, {
          body: { name, redirectUris: [`${at}/in`], ownForms: true },
        });
        const visits = { "lucchetto-app-key": other.key };
        const reply = await call("/v1/passkey-challenges", { purpose: "sign-in" }, visits);
        expect([name, reply.status]).toEqual([name, status]);
        if (status === 409)
          expect(reply.json()).toMatchObject({
            code: "passkey-at-our-page",
            detail: expect.stringContaining(`${at} is not within localhost`),
          });
      }
      // An answer made at another app's page counts for nothing.
      const stolen = await begin("sign-in");
      const foreign = proofOf(forms, made.passkey, stolen, { origin: "https://elsewhere.example" });
      expect((await call("/v1/sign-in", { proof: foreign.proof })).json()).toMatchObject({
        code: "passkey-origin-mismatch",
      });
    } finally {
      await forms.stop();
    }
  });

  test("names of authenticators come from the metadata that an operator gives", async () => {
    const aaguid = Buffer.from("00112233445566778899aabbccddeeff", "hex");
    const file = join(mkdtempSync(join(tmpdir(), "lucchetto-names-")), "names.json");
    writeFileSync(
      file,
      JSON.stringify([{ aaguid: "00112233-4455-6677-8899-aabbccddeeff", description: "Brina Key 5" }]),
    );
    const named = await startService({ settings: { LUCCHETTO_PASSKEYS_NAMES: file } });
    try {
      const { token } = await named.register("nora@brina.example");
      const { passkey: _passkey, ...reply } = await addPasskey(named, token, { aaguid });
      expect(reply.recoveryCodes).toHaveLength(10);
      const { body } = await named.as(reply.token ?? "")(routes.listPasskeys);
      expect(body.items.map(({ name }) => name)).toEqual(["Brina Key 5"]);
    } finally {
      await named.stop();
    }
  });
});

describe("accounts without a password", () => {
  test("one registers with a passkey, signs in with it, and keeps a last way in", async () => {
    const who = new Visitor(service);
    const begun = await beginAt(who, "register", { identifier: "pino" });
    expect(begun.options.authenticatorSelection).toMatchObject({
      residentKey: "required",
      userVerification: "required",
    });
    const { passkey, answer } = madeFor(service, begun);
    const reply = await who.post("/v1/accounts", { username: "pino", ...answer });
    expect(reply.status).toBe(201);
    expect(reply.json()).toMatchObject({ session: { aal: 2, amr: ["swk", "user", "mfa"] } });
    expect(reply.json<{ recoveryCodes: string[] }>().recoveryCodes).toHaveLength(10);
    expect((await signInBy(service, new Visitor(service), passkey)).status).toBe(201);
    const { items } = (await who.call("GET", "/v1/account/passkeys")).json<{
      items: Array<{ id: string }>;
    }>();
    const last = await who.call("DELETE", `/v1/account/passkeys/${items[0]?.id}`);
    expect([last.status, codeOf(last)]).toEqual([409, "last-way-in"]);
    // What is to be the only way in verifies who holds it.
    expect((await beginAt(who, "enrol")).options.authenticatorSelection.userVerification).toBe("required");
    const neither = await new Visitor(service).post("/v1/accounts", { username: "nino" });
    expect(neither.json()).toMatchObject({
      errors: [{ path: "password", code: "password-or-passkey-missing" }],
    });
    const half = await new Visitor(service).post("/v1/accounts", {
      username: "nino",
      challengeId: begun.challengeId,
    });
    expect(half.json()).toMatchObject({ code: "invalid-fields" });
  });

  test("on a site that does not tell, the passkey waits with the registration, and goes to whoever registered alone", async () => {
    const quiet = await startService({ settings: { LUCCHETTO_ACCOUNTS_TELL_TAKEN: "false" } });
    try {
      const register = async (who: Visitor, email: string) => {
        const { passkey, answer } = madeFor(quiet, await beginAt(who, "register", { identifier: email }));
        expect((await who.post("/v1/accounts", { email, ...answer })).json()).toEqual({
          outcome: "check-mail",
        });
        return { passkey, secret: secretOf(await mailTo(quiet, email, "verify")) };
      };
      const mine = new Visitor(quiet);
      const own = await register(mine, "rina@brina.example");
      expect(codeOf(await signInBy(quiet, mine, own.passkey))).toBe("passkey-unknown");
      const proved = await mine.post("/v1/mail-links/redeem", { secret: own.secret });
      expect(proved.json<{ recoveryCodes: string[] }>().recoveryCodes).toHaveLength(10);
      expect((await signInBy(quiet, new Visitor(quiet), own.passkey)).status).toBe(201);

      // A stranger registers the victim's address with a passkey of their own.
      const stranger = new Visitor(quiet);
      const theirs = await register(stranger, "victim@brina.example");
      const victim = new Visitor(quiet);
      expect(codeOf(await victim.post("/v1/mail-links/redeem", { secret: theirs.secret }))).toBe(
        "password-wanted",
      );
      await victim.post("/v1/mail-links/redeem", { secret: theirs.secret, password: PASSWORD });
      expect(codeOf(await signInBy(quiet, stranger, theirs.passkey))).toBe("passkey-unknown");
      expect((await victim.post("/v1/sign-in", passwordOf("victim@brina.example"))).status).toBe(201);
    } finally {
      await quiet.stop();
    }
  });

  test("an invitation is accepted with a passkey in the password's place", async () => {
    const office = service.as(await service.operator());
    await office(routes.inviteAccount, { body: { email: "ines@brina.example", labels: ["keeper"] } });
    const secret = secretOf(await mailTo(service, "ines@brina.example", "invite"));
    const who = new Visitor(service);
    const { passkey, answer } = madeFor(
      service,
      await beginAt(who, "register", { identifier: "ines@brina.example" }),
    );
    // The wrong browser, a password too short, half a passkey: nothing is accepted, and the link lives.
    expect(codeOf(await new Visitor(service).post("/v1/mail-links/redeem", { secret, ...answer }))).toBe(
      "passkey-challenge-unknown",
    );
    const half = await who.post("/v1/mail-links/redeem", { secret, challengeId: answer.challengeId });
    expect(half.json()).toMatchObject({ errors: [{ path: "credential", code: "passkey-incomplete" }] });
    const accepted = await who.post("/v1/mail-links/redeem", { secret, ...answer });
    expect(accepted.json()).toMatchObject({ outcome: "invitation-accepted" });
    expect(accepted.json<{ recoveryCodes: string[] }>().recoveryCodes).toHaveLength(10);
    const reply = await signInBy(service, new Visitor(service), passkey);
    expect(signedIn(reply).account.email).toBe("ines@brina.example");
  });

  test("the password goes where two other ways in remain, and its owner hears of it", async () => {
    const { email, browser } = await person("without");
    const gone = () => browser.call("DELETE", "/v1/account/password");
    expect(codeOf(await gone())).toBe("password-is-wanted");
    const { passkey } = await addPasskeyAt(service, browser);
    // One that only shows presence is no way in by itself.
    await addPasskeyAt(service, browser, { userVerified: false });
    expect(codeOf(await gone())).toBe("password-is-wanted");
    await proveAddress(service, email);
    expect((await signInBy(service, browser, passkey)).status).toBe(201);
    await service.clock.advance(11 * MINUTE);
    expect(codeOf(await gone())).toBe("reauthenticate");
    await service.clock.reset();
    expect((await gone()).status).toBe(204);
    expect((await gone()).status).toBe(204);
    expect(await mailTo(service, email, "password-removed")).toBeDefined();
    expect(codeOf(await new Visitor(service).post("/v1/sign-in", passwordOf(email)))).toBe("sign-in-refused");
    expect((await signInBy(service, new Visitor(service), passkey)).status).toBe(201);
    expect((await browser.call("GET", "/v1/account/passkeys")).json()).toMatchObject({ hasPassword: false });
    // A mailed link and a reset go on as before, and ask for the passkey.
    const mailed = new Visitor(service);
    await mailed.post("/v1/mail-links", { purpose: "sign-in", identifier: email });
    const secret = secretOf(await mailTo(service, email, "sign-in"));
    const first = await mailed.post("/v1/sign-in/proof", { proof: { type: "mail-link", secret } });
    expect(first.json()).toMatchObject({ wanted: ["passkey", "recovery-code"] });
    const { proof } = proofOf(service, passkey, await beginAt(mailed, "sign-in"));
    expect((await mailed.post("/v1/sign-in/proof", { proof })).status).toBe(201);
    const lost = new Visitor(service);
    await lost.post("/v1/mail-links", { purpose: "reset", identifier: email });
    const reset = secretOf(await mailTo(service, email, "reset"));
    await lost.post("/v1/mail-links/redeem", { secret: reset, password: PASSWORD });
    expect((await lost.post("/v1/sign-in", passwordOf(email))).json()).toMatchObject({
      wanted: ["passkey", "recovery-code"],
    });
  });

  test("RC-5 an added passkey is told and undone with one thing from before; an older passkey is one", async () => {
    const { email, browser, id } = await person("robbed");
    await proveAddress(service, email);
    expect((await browser.post("/v1/sign-in", passwordOf(email))).status).toBe(201);
    const { passkey: mine } = await addPasskeyAt(service, browser);
    await service.clock.advance(8 * DAY);
    const stranger = new Visitor(service);
    await signInBy(service, stranger, mine);
    const { passkey: theirs, reply } = await addPasskeyAt(service, stranger);
    expect(reply.status).toBe(201);
    const secret = secretOf(await mailTo(service, email, "passkey-added", new Set()));
    const elsewhere = new Visitor(service);
    const look = await elsewhere.post("/v1/mail-links/look", { secret });
    expect(look.json()).toMatchObject({
      wants: "thing-from-before",
      shows: ["password", "passkey", "recovery-code"],
    });
    const undo = async (passkey: typeof mine) => {
      const { proof } = proofOf(service, passkey, await beginAt(elsewhere, "sign-in"));
      return elsewhere.post("/v1/mail-links/redeem", { secret, present: proof });
    };
    expect(codeOf(await undo(theirs))).toBe("passkey-unknown");
    expect((await undo(mine)).json()).toEqual({ outcome: "factor-undone" });
    expect(codeOf(await signInBy(service, new Visitor(service), theirs))).toBe("passkey-unknown");
    expect((await signInBy(service, new Visitor(service), mine)).status).toBe(201);
    expect(await rowsOf(id)).toHaveLength(1);
  });

  test("RC-4 undoing a change of address takes the intruder's passkey away; an older one stays, and is asked for", async () => {
    const { email, browser } = await person("moved");
    await proveAddress(service, email);
    expect((await browser.post("/v1/sign-in", passwordOf(email))).status).toBe(201);
    const { passkey: mine } = await addPasskeyAt(service, browser);
    await service.clock.advance(8 * DAY);
    // The intruder holds password and passkey for a moment.
    const stranger = new Visitor(service);
    await signInBy(service, stranger, mine);
    const { passkey: theirs } = await addPasskeyAt(service, stranger);
    const taken = "moved.away@brina.example";
    await stranger.post("/v1/account/email", { email: taken });
    const link = secretOf(await mailTo(service, taken, "change-email"));
    expect((await stranger.post("/v1/mail-links/redeem", { secret: link })).json()).toMatchObject({
      email: taken,
    });
    const secret = secretOf(await mailTo(service, email, "email-changed"));
    const undone = await browser.post("/v1/mail-links/redeem", {
      secret,
      password: "a password that only I know",
    });
    expect(undone.json()).toEqual({ outcome: "change-undone", email });
    expect(codeOf(await signInBy(service, stranger, theirs))).toBe("passkey-unknown");
    const again = new Visitor(service);
    const first = await again.post("/v1/sign-in", {
      proof: { type: "password", identifier: email, password: "a password that only I know" },
    });
    expect(first.json()).toMatchObject({ wanted: ["passkey", "recovery-code"] });
    const { proof } = proofOf(service, mine, await beginAt(again, "sign-in"));
    expect((await again.post("/v1/sign-in/proof", { proof })).status).toBe(201);
  });

  test("TH-1 a passkey opens a password again that strangers' guesses closed", async () => {
    const { email, id, browser } = await person("guessed");
    const { passkey } = await addPasskeyAt(service, browser);
    await service.dataSource.query(
      "INSERT INTO throttle_count VALUES (?, 'account-strange', ?, 90, '2000-01-01', '2000-01-01', NOW(3))",
      [createHash("sha256").update(`account-strange\n${id}`).digest(), id],
    );
    expect(codeOf(await new Visitor(service).post("/v1/sign-in", passwordOf(email)))).toBe("throttled");
    expect((await signInBy(service, new Visitor(service), passkey)).status).toBe(201);
    expect((await new Visitor(service).post("/v1/sign-in", passwordOf(email))).status).toBe(202);
  });

  test("whoever loses everything gets the passkeys removed by an operator, and they come back when that is undone", async () => {
    const { id, email, browser } = await person("lost");
    await proveAddress(service, email);
    expect((await browser.post("/v1/sign-in", passwordOf(email))).status).toBe(201);
    const { passkey } = await addPasskeyAt(service, browser);
    const { token } = await enrolled(email, passkey);
    expect(token).toMatch(/^lcs_/);
    await service.clock.advance(MINUTE);
    const office = service.as(await service.operator());
    const reason = "showed an identity card at the counter";
    await office(routes.removeSecondFactor, { params: { id }, body: { reason } });
    expect(codeOf(await signInBy(service, new Visitor(service), passkey))).toBe("passkey-unknown");
    const secret = secretOf(await mailTo(service, email, "second-factor-removed"));
    expect((await browser.post("/v1/mail-links/redeem", { secret })).json()).toEqual({
      outcome: "factor-undone",
    });
    expect((await signInBy(service, new Visitor(service), passkey)).status).toBe(201);
  });
});

/** Besides, an authenticator app. */
async function enrolled(email: string, passkey: Parameters<typeof proofOf>[1]) {
  const { body: begun } = await service.client(routes.beginPasskey, { body: { purpose: "sign-in" } });
  const { proof } = proofOf(service, passkey, begun as never);
  const { body } = await service.client(routes.signIn, { body: { proof, deliver: "token" } });
  expect(body).toMatchObject({ account: { email } });
  return enrolAuthenticator(service, body.outcome === "signed-in" ? (body.token ?? "") : "");
}
