/** Everything that happens to accounts is written down once: what, whose, from where, and why not. */
import { createHash, randomBytes } from "node:crypto";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import type { JournalKind } from "@lucchetto/core";
import { JOURNAL_KINDS } from "@lucchetto/core";
import { addPasskey } from "../../testing/passkey.ts";
import type { TestAuthenticator } from "../../testing/second-factor.ts";
import { enrolAuthenticator } from "../../testing/second-factor.ts";
import type { TestService } from "../../testing/service.ts";
import { PASSWORD, send, startService } from "../../testing/service.ts";
import { mailTo, proveAddress, registerProved, secretOf, Visitor } from "../../testing/visitor.ts";

const NEW = "moss on the north side";
const WRONG = "a wrong long password";
const RETURN = "http://localhost:9999/signed-in";

let service: TestService;
let operator: string;
beforeAll(async () => {
  service = await startService();
  operator = await service.operator();
});
afterAll(() => service.stop());

/** What these tests have seen written down. */
const seen = new Set<JournalKind>();

/** What other tests look at, each in the stage that it needs. */
const ELSEWHERE: readonly JournalKind[] = [
  "account.set-up-removed", // service/test/recovery-table.test.ts
  "account.change-refused", // service/test/webhook.test.ts: the site's own objection
  "operator.rescued", // cli/test/ways-back.test.ts
  "password.record-remade", // service/test/sign-in.test.ts
  "password.record-dearer", // service/test/schemes.test.ts
  "passkey.counter-behind", // service/test/passkey.test.ts
  "passkey.backup-changed",
  "throttle.refused", // service/test/throttle.test.ts
  "throttle.released", // service/test/throttle.test.ts
  "accounts.exported", // cli/test/export.test.ts
  "intake.begun",
  "intake.ended",
  "intake.recipe-corrected", // cli/test/import-afterwards.test.ts
];

interface Entry {
  readonly id: string;
  readonly kind: JournalKind;
  readonly reason: string | null;
  readonly network: string | null;
  readonly requestId: string | null;
}

/** Does something. @returns what it gave; these kinds and no others were written down for it. Mails follow when they follow. */
async function writes<Given>(
  kinds: readonly JournalKind[],
  work: () => Promise<Given>,
  at = service,
): Promise<Given> {
  const all = (): Promise<Entry[]> => at.dataSource.query("SELECT * FROM journal_entry");
  const before = new Set((await all()).map(({ id }) => id));
  const given = await work();
  const entries = (await all()).filter(({ id, kind }) => !before.has(id) && kind !== "mail-link.sent");
  expect(entries.map(({ kind }) => kind).toSorted()).toEqual(kinds.toSorted());
  for (const { kind, reason, network, requestId } of entries) {
    seen.add(kind);
    const isExplained = !kind.endsWith("refused") || (reason ?? "") !== "";
    const context = { network, hasRequest: (requestId ?? "") !== "", isExplained };
    expect({ kind, ...context }).toEqual({
      kind,
      network: "127.0.0.1",
      hasRequest: true,
      isExplained: true,
    });
  }
  return given;
}

const as = (token: string) => service.as(token);
const link = async (to: string, template: string) => secretOf(await mailTo(service, to, template));
const passwordOf = (identifier: string, password = PASSWORD) => ({
  proof: { type: "password", identifier, password },
});
const refused = (work: Promise<unknown>) => expect(work).rejects.toThrow();

/** Somebody whose address is proved. */
async function person(name: string): Promise<{ id: string; email: string; token: string }> {
  const email = `${name}@brina.example`;
  const { id, token } = await registerProved(service, email);
  return { id, email, token };
}

describe("JO-1 every event is written down once", () => {
  test("registering, signing in and out", async () => {
    const email = "anna@brina.example";
    await writes(["account.registered"], () => service.register(email));
    await writes(["account.registration-refused"], () => refused(service.register(email)));
    await writes(["sign-in.refused"], () => refused(service.signIn(email, WRONG)));
    await writes(["email.verified"], () => proveAddress(service, email));
    const token = await writes(["sign-in.completed"], () => service.signIn(email));
    await writes(["account.changed"], () =>
      as(token)(routes.changeOwnAccount, { body: { displayName: "Anna" } }),
    );
    const reauthenticate = (password: string) =>
      as(token)(routes.reauthenticate, { body: { proof: { type: "password", password } } });
    await writes(["session.reauthentication-refused"], () => refused(reauthenticate(WRONG)));
    const { body: again } = await writes(["session.reauthenticated"], () => reauthenticate(PASSWORD));
    const own = as(("token" in again && again.token) || "");
    const signIn = () => writes(["sign-in.completed"], () => service.signIn(email));
    await signIn();
    const { body: sessions } = await own(routes.listOwnSessions);
    const { session } = (await own(routes.showSession)).body;
    const other = sessions.items.find(({ id }) => id !== session.id)?.id ?? "";
    await writes(["session.ended-by-owner"], () => own(routes.endOwnSession, { params: { id: other } }));
    await signIn();
    await writes(["session.others-ended"], () => own(routes.endOtherSessions));
    await writes(["session.signed-out"], () => own(routes.signOut));
    const browser = new Visitor(service);
    await browser.post("/v1/sign-in", passwordOf(email));
    await writes(["sign-in.completed", "session.replaced"], () =>
      browser.post("/v1/sign-in", passwordOf(email)),
    );
  });

  test("a registration that waits for its owner", async () => {
    const quiet = await startService({ settings: { LUCCHETTO_ACCOUNTS_TELL_TAKEN: "false" } });
    try {
      const body = { email: "quiet@brina.example", password: PASSWORD };
      const browser = new Visitor(quiet);
      await writes(["account.registration-waits"], () => browser.post("/v1/accounts", body), quiet);
      const secret = secretOf(await mailTo(quiet, body.email, "verify"));
      await writes(
        ["account.registered", "email.verified"],
        () => browser.post("/v1/mail-links/redeem", { secret }),
        quiet,
      );
    } finally {
      await quiet.stop();
    }
  });

  test("passwords", async () => {
    const { id, email, token } = await person("bruno");
    const change = (present: string) =>
      as(token)(routes.changePassword, { body: { present, password: NEW } });
    await writes(["password.change-refused"], () => refused(change(WRONG)));
    await writes(["password.changed"], () => change(PASSWORD));
    await service.client(routes.askForLink, { body: { purpose: "reset", identifier: email } });
    const secret = await link(email, "reset");
    await writes(["password.reset"], () =>
      service.client(routes.redeemLink, { body: { secret, password: PASSWORD } }),
    );
    const { token: raised } = await addPasskey(service, await service.signIn(email));
    await writes(["password.removed"], () => as(raised ?? "")(routes.removePassword));
    await writes(["password.first-given"], () =>
      as(operator)(routes.giveFirstPassword, {
        params: { id },
        body: { password: NEW, reason: "lost everything" },
      }),
    );
  });

  test("second factors and keys", async () => {
    const { id, email, token } = await person("carla");
    const app: TestAuthenticator = await writes(["totp.activated"], () => enrolAuthenticator(service, token));
    const own = as(app.token);
    await writes(["recovery-codes.made"], () => own(routes.makeRecoveryCodes));
    const { body: made } = await writes(["access-key.made"], () =>
      own(routes.makeAccessKey, { body: { name: "night backup" } }),
    );
    await writes(["access-key.deleted"], () =>
      own(routes.deleteAccessKey, { params: { id: made.accessKey.id } }),
    );
    const { token: later = app.token } = await writes(["passkey.added"], () =>
      addPasskey(service, app.token),
    );
    const [passkey] = (await as(later)(routes.listPasskeys)).body.items;
    await writes(["passkey.removed"], () =>
      as(later)(routes.removePasskey, { params: { id: passkey?.id ?? "" } }),
    );
    const browser = new Visitor(service);
    const { codes } = (await as(later)(routes.makeRecoveryCodes)).body;
    await writes(["sign-in.begun"], () => browser.post("/v1/sign-in", passwordOf(email)));
    await writes(["recovery-code.used", "sign-in.completed"], () =>
      browser.post("/v1/sign-in/proof", { proof: { type: "recovery-code", code: codes[0] } }),
    );
    await writes(["totp.removed"], () => browser.call("DELETE", `/v1/account/totp/${app.id}`, undefined));
    const uri = `otpauth://totp/x:${email}?secret=${"A".repeat(32)}&issuer=x`;
    await writes(["totp.imported"], () =>
      as(operator)(routes.importAuthenticators, {
        body: { match: "email", items: [{ account: email, uri }] },
      }),
    );
    await writes(["second-factor.removed-by-operator"], () =>
      as(operator)(routes.removeSecondFactor, { params: { id }, body: { reason: "lost the phone" } }),
    );
  });

  test("addresses, and what undoes a change", async () => {
    const { id, email } = await person("dora");
    const browser = new Visitor(service);
    await browser.post("/v1/sign-in", passwordOf(email));
    const redeem = (who: Visitor, secret: string, more: object = {}) =>
      who.post("/v1/mail-links/redeem", { secret, ...more });
    const to = "dora.new@brina.example";
    await browser.post("/v1/account/email", { email: to });
    const change = await link(to, "change-email");
    const shown = await writes(["mail-link.swapped"], () => redeem(new Visitor(service), change));
    const wrong = shown.json<{ code: string }>().code.startsWith("1") ? "222222" : "111111";
    await writes(["email.change-refused"], () => browser.post("/v1/account/email/confirm", { code: wrong }));
    await browser.post("/v1/account/email", { email: "dora.second@brina.example" });
    const second = await link("dora.second@brina.example", "change-email");
    await writes(["email.changed"], () => redeem(browser, second));
    const undo = await link(email, "email-changed");
    await writes(["email.change-undone"], () =>
      redeem(new Visitor(service), undo, { password: NEW, present: PASSWORD }),
    );
    await writes(["email.corrected"], () =>
      as(operator)(routes.correctEmail, {
        params: { id },
        body: { email: "dora.third@brina.example", reason: "lost the mailbox" },
      }),
    );
    const greta = await person("greta");
    const known = new Visitor(service);
    await known.post("/v1/sign-in", passwordOf(greta.email));
    await enrolAuthenticator(service, await service.signIn(greta.email));
    const added = await link(greta.email, "second-factor-added");
    await writes(["second-factor.change-undone"], () => redeem(known, added, { password: NEW }));
  });

  test("accounts that come by invitation, and go", async () => {
    const email = "ida@brina.example";
    const { body: invited } = await writes(["account.invited"], () =>
      as(operator)(routes.inviteAccount, { body: { email } }),
    );
    const secret = await link(email, "invite");
    await writes(["account.invitation-accepted"], () =>
      service.client(routes.redeemLink, { body: { secret, password: PASSWORD } }),
    );
    await service.signIn(email);
    const { body: sessions } = await as(operator)(routes.listSessions, { query: { accountId: invited.id } });
    await writes(["session.ended-by-operator"], () =>
      as(operator)(routes.endSession, { params: { id: sessions.items[0]?.id ?? "" } }),
    );
    const token = await service.signIn(email);
    await writes(["account.closed"], () => as(token)(routes.eraseOwnAccount));
    const undo = await link(email, "account-closed");
    await writes(["account.reopened"], () =>
      new Visitor(service).post("/v1/mail-links/redeem", { secret: undo, password: NEW, present: PASSWORD }),
    );
    await writes(["account.erased"], () => as(operator)(routes.eraseAccount, { params: { id: invited.id } }));
  });

  test("applications", async () => {
    const call = as(operator);
    const { app, key } = (
      await writes(["app.added"], () =>
        call(routes.addApp, { body: { name: "Hut book", redirectUris: [RETURN] } }),
      )
    ).body;
    const params = { id: app.id };
    await writes(["app.changed"], () => call(routes.changeApp, { params, body: { name: "Night book" } }));
    const { body: second } = await writes(["app.key-added"], () => call(routes.addAppKey, { params }));
    const keyId = second.app.keys.at(-1)?.id ?? "";
    await writes(["app.key-retired"], () => call(routes.retireAppKey, { params: { ...params, keyId } }));

    const browser = new Visitor(service);
    await person("nora");
    await browser.post("/v1/sign-in", passwordOf("nora@brina.example"));
    const verifier = randomBytes(32).toString("base64url");
    const query = new URLSearchParams({
      response_type: "code",
      client_id: app.clientId,
      redirect_uri: RETURN,
      state: "x",
      code_challenge: createHash("sha256").update(verifier).digest("base64url"),
      code_challenge_method: "S256",
    });
    const { headers } = await browser.call("GET", `/oauth/authorize?${query.toString()}`);
    const code = new URL(headers.get("location") ?? "").searchParams.get("code") ?? "";
    const authorization = `Basic ${Buffer.from(`${app.clientId}:${key}`).toString("base64")}`;
    const form = (path: string, fields: Record<string, string>) =>
      send(service, "POST", path, { body: new URLSearchParams(fields), headers: { authorization } });
    const exchange = (shown: string) =>
      form("/oauth/token", {
        grant_type: "authorization_code",
        code: shown,
        redirect_uri: RETURN,
        code_verifier: verifier,
      });
    await writes(["app.code-refused"], () => exchange("lcc_unknown"));
    const given = await writes(["app.check-token-issued"], () => exchange(code));
    const { access_token: checkToken } = given.json<{ access_token: string }>();
    await writes(["app.check-token-revoked"], () => form("/oauth/revoke", { token: checkToken }));
    await writes(["app.code-used-again"], () => exchange(code));
    await writes(["access-key.refused"], () => form("/oauth/introspect", { token: `lca_${"A".repeat(43)}` }));
    await writes(["app.removed"], () => call(routes.removeApp, { params }));
  });

  test("an event that cannot be written down does not happen", async () => {
    const { dataSource } = service;
    const count = async () => Number((await dataSource.query("SELECT COUNT(*) AS n FROM account"))[0].n);
    const before = await count();
    await dataSource.query(
      "CREATE TRIGGER no_more BEFORE INSERT ON journal_entry FOR EACH ROW SIGNAL SQLSTATE '45000'",
    );
    try {
      await writes([], () => refused(service.register("unwritten@brina.example")));
      expect(await count()).toBe(before);
    } finally {
      await dataSource.query("DROP TRIGGER no_more");
    }
    await writes(["account.registered"], () => service.register("unwritten@brina.example"));
  });

  test("nothing else is ever written, but what other tests look at", async () => {
    const mails = await service.dataSource.query("SELECT 1 FROM journal_entry WHERE kind = 'mail-link.sent'");
    expect(mails.length).toBeGreaterThan(0);
    const known = new Set<JournalKind>([...seen, ...ELSEWHERE, "mail-link.sent"]);
    expect(JOURNAL_KINDS.filter((kind) => !known.has(kind))).toEqual([]);
  });
});
