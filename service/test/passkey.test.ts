/** Passkeys over HTTP: challenges, adding, signing in, and what an account keeps. */
import { createHash } from "node:crypto";
import { mkdtempSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, afterEach, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import { attestItself } from "../../demo/src/authenticator/software-authenticator.ts";
import { addPasskey, addPasskeyAt, beginAt, madeFor, proofOf, signInBy } from "../../testing/passkey.ts";
import { enrolAuthenticator } from "../../testing/second-factor.ts";
import type { TestService } from "../../testing/service.ts";
import { json, PASSWORD, send, startService } from "../../testing/service.ts";
import type { Reply } from "../../testing/visitor.ts";
import { codeOf, mailTo, proveAddress, secretOf, Visitor } from "../../testing/visitor.ts";

let service: TestService;
beforeAll(async () => {
  service = await startService();
});
afterEach(() => service.clock.reset());
afterAll(() => service.stop());

const MINUTE = 60_000;
const DAY = 86_400_000;
const signedIn = (reply: Reply) =>
  reply.json<{ session: { aal: number; amr: string[] }; account: { email: string } }>();
const passwordOf = (identifier: string) => ({ proof: { type: "password", identifier, password: PASSWORD } });
const rowsOf = (accountId: string) =>
  service.dataSource.query<Array<Record<string, unknown>>>("SELECT * FROM passkey WHERE accountId = ?", [
    accountId,
  ]);
const journal = async (accountId: string) =>
  service.dataSource.query<Array<{ kind: string; reason: string | null }>>(
    "SELECT kind, reason FROM journal_entry WHERE accountId = ? ORDER BY id",
    [accountId],
  );

/** Somebody signed in at a browser. */
async function person(name: string) {
  const email = `${name}@brina.example`;
  const { id } = await service.register(email);
  const browser = new Visitor(service);
  const reply = await browser.post("/v1/sign-in", passwordOf(email));
  expect(reply.status).toBe(201);
  return { id, email, browser };
}

describe("challenges", () => {
  test("PK-1 are 32 fresh random bytes, and one that was never issued is refused", async () => {
    const who = new Visitor(service);
    const challenges = new Set<string>();
    for (let index = 0; index < 200; index += 1) {
      const { options } = await beginAt(who, "sign-in");
      expect(Buffer.from(options.challenge, "base64url")).toHaveLength(32);
      challenges.add(options.challenge);
    }
    expect(challenges.size).toBe(200);
    const { browser } = await person("pk1");
    const { passkey } = await addPasskeyAt(service, browser);
    const begun = await beginAt(browser, "sign-in");
    const { proof } = proofOf(service, passkey, {
      ...begun,
      challengeId: "01900000-0000-7000-8000-000000000000",
    });
    expect(codeOf(await browser.post("/v1/sign-in", { proof }))).toBe("passkey-challenge-unknown");
  });

  test("PK-2 one is spent by its first answer, right or wrong; of fifty at once one counts", async () => {
    const { browser } = await person("pk2");
    const { passkey } = await addPasskeyAt(service, browser);
    const begun = await beginAt(browser, "sign-in");
    const { proof } = proofOf(service, passkey, begun);
    expect((await browser.post("/v1/sign-in", { proof })).status).toBe(201);
    expect(codeOf(await browser.post("/v1/sign-in", { proof }))).toBe("passkey-challenge-lapsed");

    const other = await beginAt(browser, "sign-in");
    const wrong = proofOf(service, passkey, other, { alter: { signature: (bytes) => bytes.subarray(1) } });
    expect(codeOf(await browser.post("/v1/sign-in", { proof: wrong.proof }))).toBe("passkey-signature-wrong");
    const right = proofOf(service, passkey, other);
    expect(codeOf(await browser.post("/v1/sign-in", { proof: right.proof }))).toBe(
      "passkey-challenge-lapsed",
    );

    const many = await beginAt(browser, "sign-in");
    const { proof: same } = proofOf(service, passkey, many);
    const replies = await Promise.all(
      Array.from({ length: 50 }, () => browser.post("/v1/sign-in", { proof: same })),
    );
    expect(replies.filter(({ status }) => status === 201)).toHaveLength(1);
  });

  test("PK-3 one lapses after five minutes, and counts for its purpose, account and browser alone", async () => {
    const { browser, email } = await person("pk3");
    const { passkey } = await addPasskeyAt(service, browser);
    const late = await beginAt(browser, "sign-in");
    await service.clock.advance(5 * MINUTE);
    expect(codeOf(await browser.post("/v1/sign-in", { proof: proofOf(service, passkey, late).proof }))).toBe(
      "passkey-challenge-lapsed",
    );
    await service.clock.reset();
    const again = await beginAt(browser, "reauthenticate");
    expect(codeOf(await browser.post("/v1/sign-in", { proof: proofOf(service, passkey, again).proof }))).toBe(
      "passkey-challenge-unknown",
    );
    const enrolling = await beginAt(browser, "enrol");
    const registering = await beginAt(browser, "register");
    const { answer } = madeFor(service, registering);
    expect(codeOf(await browser.post("/v1/account/passkeys", answer))).toBe("passkey-challenge-unknown");
    const { browser: another } = await person("pk3-other");
    const theirs = madeFor(service, enrolling);
    expect(codeOf(await another.post("/v1/account/passkeys", theirs.answer))).toBe(
      "passkey-challenge-unknown",
    );
    const here = await beginAt(browser, "sign-in", { identifier: email });
    const { proof } = proofOf(service, passkey, here);
    for (const elsewhere of [new Visitor(service), another])
      expect(codeOf(await elsewhere.post("/v1/sign-in", { proof }))).toBe("passkey-challenge-unknown");
    expect((await browser.post("/v1/sign-in", { proof })).status).toBe(201);
  });

  test("for those who are not signed in they are bounded for each network", async () => {
    const narrow = await startService({ settings: { LUCCHETTO_THROTTLE_CHALLENGES_MOST: "3" } });
    try {
      const who = new Visitor(narrow);
      for (let index = 0; index < 3; index += 1) await beginAt(who, index === 0 ? "register" : "sign-in");
      expect(codeOf(await who.post("/v1/passkey-challenges", { purpose: "sign-in" }))).toBe("throttled");
    } finally {
      await narrow.stop();
    }
  });
});

describe("adding", () => {
  test("PK-15 the options name nobody, and exclude one's own", async () => {
    const { browser, id, email } = await person("pk15");
    const { browser: other } = await person("pk15-other");
    await addPasskeyAt(service, other);
    const first = await beginAt(browser, "enrol");
    const { passkey } = await addPasskeyAt(service, browser);
    const second = await beginAt(browser, "enrol");
    expect(Buffer.from(first.options.user.id, "base64url")).toHaveLength(32);
    expect(second.options.user.id).toBe(first.options.user.id);
    expect(JSON.stringify(second.options.user.id)).not.toContain(id.slice(0, 8));
    expect(second.options.user.name).toBe(email);
    expect(second.options.pubKeyCredParams.map(({ alg }) => alg)).toEqual([-8, -7, -257]);
    expect(second.options.excludeCredentials.map((one) => one.id)).toEqual([passkey.id]);
    expect(second.options.rp).toEqual({ id: "localhost", name: "Brina Huts" });
  });

  test("PK-27 the record holds what the answer said; a refused one leaves nothing", async () => {
    const { browser, id } = await person("pk27");
    const refused = await addPasskeyAt(service, browser, { alter: { flags: () => 0x40 } });
    expect(codeOf(refused.reply)).toBe("passkey-person-absent");
    expect(await rowsOf(id)).toEqual([]);
    const how = {
      signCount: 7,
      isSynced: false,
      transports: ["usb", "pigeon"],
      attestation: attestItself,
      algorithm: -257,
    };
    const { reply, passkey } = await addPasskeyAt(service, browser, how);
    expect(reply.status).toBe(201);
    const { recoveryCodes } = reply.json<{ recoveryCodes: string[] }>();
    expect(recoveryCodes).toHaveLength(10);
    const [row] = await rowsOf(id);
    expect(row).toMatchObject({
      algorithm: -257,
      signCount: 7,
      userVerified: 1,
      backupEligible: 0,
      backedUp: 0,
      attestation: "packed",
      relyingPartyId: "localhost",
      name: "Security key",
    });
    expect((row?.["credentialId"] as Buffer).toString("base64url")).toBe(passkey.id);
    expect(row?.["transports"]).toEqual(["usb", "pigeon"]);
    expect(await mailTo(service, "pk27@brina.example", "second-factor-news")).toBeDefined();
    const second = await addPasskeyAt(service, browser);
    expect(second.reply.json()).not.toHaveProperty("recoveryCodes");
  });

  test("PK-20 a credential id is unique over all accounts, byte for byte", async () => {
    const { browser } = await person("pk20");
    const { browser: other } = await person("pk20-other");
    const credentialId = Buffer.from("a-credential-of-just-this-length", "latin1");
    const first = await addPasskeyAt(service, browser, { credentialId });
    expect(first.reply.status).toBe(201);
    for (const who of [browser, other]) {
      const { reply } = await addPasskeyAt(service, who, { credentialId });
      expect([reply.status, codeOf(reply)]).toEqual([409, "passkey-registered-already"]);
    }
    expect((await signInBy(service, new Visitor(service), first.passkey)).status).toBe(201);
    const otherCase = Buffer.from("A-credential-of-just-this-length", "latin1");
    expect((await addPasskeyAt(service, other, { credentialId: otherCase })).reply.status).toBe(201);
  });

  test("PK-20 of fifty that add the same at once one is stored", async () => {
    const { id } = await person("pk20-many");
    const call = service.as(await service.signIn("pk20-many@brina.example"));
    const credentialId = Buffer.alloc(20, 7);
    const begun = [];
    for (let index = 0; index < 50; index += 1)
      begun.push((await call(routes.beginPasskey, { body: { purpose: "enrol" } })).body);
    const outcomes = await Promise.all(
      begun.map((one) =>
        call(routes.addPasskey, { body: madeFor(service, one as never, { credentialId }).answer }).then(
          () => "stored",
          (error: { code?: string }) => error.code ?? "?",
        ),
      ),
    );
    expect(outcomes.filter((one) => one === "stored")).toHaveLength(1);
    expect(await rowsOf(id)).toHaveLength(1);
  });

  test("PK-19 ids of 1 and of 1,023 bytes are found again byte for byte", async () => {
    const { browser, id } = await person("pk19");
    for (const credentialId of [Buffer.of(0), Buffer.alloc(1_023, 0xfe)]) {
      const { passkey, reply } = await addPasskeyAt(service, browser, { credentialId });
      expect(reply.status).toBe(201);
      const signed = await signInBy(service, new Visitor(service), passkey);
      expect(signedIn(signed).account.email).toBe("pk19@brina.example");
    }
    expect(await rowsOf(id)).toHaveLength(2);
    const { reply } = await addPasskeyAt(service, browser, { credentialId: Buffer.alloc(1_024, 1) });
    expect(reply.status).toBe(400);
  });

  test("without a fresh proof nothing is begun or added", async () => {
    const { browser } = await person("stale");
    const begun = await beginAt(browser, "enrol");
    await service.clock.advance(11 * MINUTE);
    expect(codeOf(await browser.post("/v1/passkey-challenges", { purpose: "enrol" }))).toBe("reauthenticate");
    expect(codeOf(await browser.post("/v1/account/passkeys", madeFor(service, begun).answer))).toBe(
      "reauthenticate",
    );
    expect(codeOf(await new Visitor(service).post("/v1/passkey-challenges", { purpose: "enrol" }))).toBe(
      "not-signed-in",
    );
  });
});

describe("signing in", () => {
  test("by a passkey alone: level 2, and a program too", async () => {
    const { browser, email } = await person("alone");
    const { passkey } = await addPasskeyAt(service, browser);
    const reply = await signInBy(service, new Visitor(service), passkey);
    expect(reply.status).toBe(201);
    expect(signedIn(reply)).toMatchObject({
      session: { aal: 2, amr: ["swk", "user", "mfa"] },
      account: { email },
    });
    const { body: begun } = await service.client(routes.beginPasskey, { body: { purpose: "sign-in" } });
    const { proof } = proofOf(service, passkey, begun as never);
    const { body } = await service.client(routes.signIn, { body: { proof, deliver: "token" } });
    expect(body.token).toMatch(/^lcs_/);
    const unverified = await signInBy(service, new Visitor(service), passkey, {
      how: { userVerified: false },
    });
    expect([unverified.status, codeOf(unverified)]).toEqual([400, "passkey-person-unverified"]);
  });

  test("PK-12 after a password presence is enough; it is asked for in any case", async () => {
    const { browser, email, id } = await person("second");
    const { passkey } = await addPasskeyAt(service, browser, { isSynced: false, transports: ["usb"] });
    const elsewhere = new Visitor(service);
    const wanted = await elsewhere.post("/v1/sign-in", passwordOf(email));
    expect(wanted.json()).toMatchObject({ outcome: "proof-wanted", wanted: ["passkey", "recovery-code"] });
    const begun = await beginAt(elsewhere, "sign-in");
    expect(begun.options.allowCredentials.map((one) => one.id)).toEqual([passkey.id]);
    expect(begun.options.userVerification).toBe("preferred");
    const { proof } = proofOf(service, passkey, begun, { userVerified: false });
    // It was issued for the second step, and opens nothing as a first one.
    expect(codeOf(await elsewhere.post("/v1/sign-in", { proof }))).toBe("passkey-challenge-unknown");
    const reply = await elsewhere.post("/v1/sign-in/proof", { proof });
    expect(signedIn(reply).session).toMatchObject({ aal: 2, amr: ["pwd", "hwk", "mfa"] });
    expect((await journal(id)).map(({ kind }) => kind)).toContain("sign-in.completed");
  });

  test("PK-35 beginning by name tells nothing, and answering neither", async () => {
    const { browser, email } = await person("pk35");
    await addPasskeyAt(service, browser);
    await person("pk35-without");
    const shapes = [];
    for (const identifier of [email, "pk35-without@brina.example", "nobody@brina.example", "no such name"]) {
      const who = new Visitor(service);
      const first = await beginAt(who, "sign-in", { identifier });
      const second = await beginAt(new Visitor(service), "sign-in", { identifier });
      expect(second.options.allowCredentials).toEqual(first.options.allowCredentials);
      expect(first.options.allowCredentials.length).toBeGreaterThan(0);
      shapes.push(Object.keys(first.options).join());
      // Whoever holds no key gets one answer, whoever is named.
      const [listed] = first.options.allowCredentials;
      const { passkey } = madeFor(service, await beginAt(who, "register"));
      for (const isSynced of [true, false]) {
        const begun = await beginAt(who, "sign-in", { identifier });
        const { proof } = proofOf(service, { ...passkey, id: listed?.id ?? "" }, begun, { isSynced });
        expect(codeOf(await who.post("/v1/sign-in", { proof }))).toBe("passkey-signature-wrong");
      }
    }
    expect(new Set(shapes).size).toBe(1);
    expect((await beginAt(new Visitor(service), "sign-in")).options.allowCredentials).toEqual([]);
  });

  test("PK-36 PK-37 where the account is known, its listed passkeys alone count", async () => {
    const { browser, email } = await person("pk37");
    const { passkey } = await addPasskeyAt(service, browser);
    const { browser: other } = await person("pk37-other");
    const theirs = await addPasskeyAt(service, other);
    const named = async (how: { passkey?: typeof passkey; userHandle?: string | null } = {}) => {
      const who = new Visitor(service);
      const { proof } = proofOf(
        service,
        how.passkey ?? passkey,
        await beginAt(who, "sign-in", { identifier: email }),
      );
      const { userHandle = proof.credential.response.userHandle } = how;
      const { userHandle: _left, ...response } = proof.credential.response;
      const shown = userHandle === null ? response : { ...response, userHandle };
      return codeOf(
        await who.post("/v1/sign-in", {
          proof: { ...proof, credential: { ...proof.credential, response: shown } },
        }),
      );
    };
    expect(await named()).toBeUndefined();
    expect(await named({ userHandle: null })).toBeUndefined();
    expect(await named({ passkey: theirs.passkey })).toBe("passkey-not-listed");
    expect(await named({ userHandle: theirs.passkey.userHandle })).toBe("passkey-signature-wrong");
    const who = new Visitor(service);
    const begun = await beginAt(who, "sign-in", { identifier: email });
    const later = await addPasskeyAt(service, browser);
    const { proof } = proofOf(service, later.passkey, begun);
    expect(codeOf(await who.post("/v1/sign-in", { proof }))).toBe("passkey-not-listed");
  });

  test("PK-38 where nobody is known, the user handle names the owner", async () => {
    const { browser, id } = await person("pk38");
    const { passkey } = await addPasskeyAt(service, browser);
    const { browser: other } = await person("pk38-other");
    const theirs = await addPasskeyAt(service, other);
    for (const userHandle of [theirs.passkey.userHandle, "", Buffer.alloc(32).toString("base64url")]) {
      const reply = await signInBy(service, new Visitor(service), { ...passkey, userHandle });
      expect([reply.status, codeOf(reply)]).toEqual([401, "passkey-unknown"]);
    }
    const who = new Visitor(service);
    const { proof } = proofOf(service, passkey, await beginAt(who, "sign-in"));
    const { userHandle: _left, ...response } = proof.credential.response;
    const without = { ...proof, credential: { ...proof.credential, response } };
    expect(codeOf(await who.post("/v1/sign-in", { proof: without }))).toBe("passkey-unknown");
    await service.dataSource.query("UPDATE account SET state = 'suspended' WHERE id = ?", [id]);
    expect(codeOf(await signInBy(service, new Visitor(service), passkey))).toBe("account-suspended");
  });

  test("PK-39 PK-41 PK-42 counter and backup state: refused is journalled and changes nothing, right is stored", async () => {
    const { browser, id } = await person("pk41");
    const { passkey } = await addPasskeyAt(service, browser, { signCount: 5 });
    const attempt = (how: object) => signInBy(service, new Visitor(service), passkey, { how });
    const before = await rowsOf(id);
    for (const signCount of [5, 4, 0])
      expect(codeOf(await attempt({ signCount }))).toBe("passkey-counter-behind");
    expect(codeOf(await attempt({ signCount: 9, isSynced: false }))).toBe("passkey-eligibility-changed");
    expect(codeOf(await attempt({ signCount: 9, userVerified: false }))).toBe("passkey-person-unverified");
    expect(await rowsOf(id)).toEqual(before);
    const reasons = (await journal(id))
      .filter(({ kind }) => kind === "sign-in.refused")
      .map(({ reason }) => reason);
    expect(reasons).toEqual(
      expect.arrayContaining(["passkey-counter-behind", "passkey-eligibility-changed"]),
    );
    const at6 = await Promise.all(Array.from({ length: 5 }, () => attempt({ signCount: 6 })));
    expect(at6.filter(({ status }) => status === 201)).toHaveLength(1);
    const notBackedUp = { flags: (now: number) => now & ~0x10 };
    expect((await attempt({ signCount: 7, alter: notBackedUp })).status).toBe(201);
    expect((await rowsOf(id))[0]).toMatchObject({ signCount: 7, backedUp: 0 });
    expect((await attempt({ signCount: 8 })).status).toBe(201);
    expect((await rowsOf(id))[0]).toMatchObject({ signCount: 8, backedUp: 1 });
    expect((await journal(id)).filter(({ kind }) => kind === "passkey.backup-changed")).toHaveLength(2);
  });

  test("without a counter many sign in at once", async () => {
    const { browser } = await person("no-counter");
    const { passkey } = await addPasskeyAt(service, browser);
    const replies = await Promise.all(
      Array.from({ length: 8 }, () => signInBy(service, new Visitor(service), passkey)),
    );
    expect(replies.map(({ status }) => status)).toEqual(Array.from({ length: 8 }, () => 201));
  });

  test("PK-41 the policy may only note a counter that goes back", async () => {
    const lenient = await startService({ settings: { LUCCHETTO_PASSKEYS_COUNTER_BEHIND: "note" } });
    try {
      const { id, token } = await lenient.register("lenient@brina.example");
      const { passkey } = await addPasskey(lenient, token, { signCount: 5 });
      const reply = await signInBy(lenient, new Visitor(lenient), passkey, { how: { signCount: 3 } });
      expect(reply.status).toBe(201);
      const [noted] = await lenient.dataSource.query(
        "SELECT reason FROM journal_entry WHERE accountId = ? AND kind = 'passkey.counter-behind'",
        [id],
      );
      expect(noted.reason).toContain("3 after 5");
    } finally {
      await lenient.stop();
    }
  });
});

describe("inside a session", () => {
  test("a passkey that verifies is enough to show again who one is; mere presence goes beside the password", async () => {
    const { browser } = await person("again");
    const { passkey } = await addPasskeyAt(service, browser);
    await service.clock.advance(11 * MINUTE);
    const again = async (how: object = {}) => {
      const { proof } = proofOf(service, passkey, await beginAt(browser, "reauthenticate"), how);
      return browser.post("/v1/session/reauthenticate", { proof });
    };
    const absent = await again({ userVerified: false });
    expect(codeOf(absent)).toBe("passkey-person-unverified");
    expect((await again()).status).toBe(201);
    expect((await browser.post("/v1/passkey-challenges", { purpose: "enrol" })).status).toBe(201);
    await service.clock.advance(11 * MINUTE);
    const first = await browser.post("/v1/session/reauthenticate", {
      proof: { type: "password", password: PASSWORD },
    });
    expect(first.json()).toMatchObject({ outcome: "proof-wanted", wanted: ["passkey", "recovery-code"] });
    expect((await again({ userVerified: false })).status).toBe(201);
  });

  test("whoever has none is told so at once, and offered nothing", async () => {
    const { browser } = await person("none");
    const begun = await browser.post("/v1/passkey-challenges", { purpose: "reauthenticate" });
    expect([begun.status, codeOf(begun)]).toEqual([401, "proof-refused"]);
  });

  test("PK-44 one's own are listed, renamed and removed; another's are missing", async () => {
    const { browser } = await person("pk44");
    const { passkey, reply } = await addPasskeyAt(service, browser);
    const { passkey: shown } = reply.json<{ passkey: { id: string } }>();
    const { browser: other } = await person("pk44-other");
    for (const method of ["PATCH", "DELETE"]) {
      const body = method === "PATCH" ? { name: "Mine now" } : undefined;
      expect((await other.call(method, `/v1/account/passkeys/${shown.id}`, body)).status).toBe(404);
    }
    await browser.call("PATCH", `/v1/account/passkeys/${shown.id}`, { name: " The blue key " });
    const listed = await browser.call("GET", "/v1/account/passkeys");
    expect(listed.json()).toMatchObject({
      items: [
        { id: shown.id, credentialId: passkey.id, name: "The blue key", kind: "synced", backedUp: true },
      ],
      relyingPartyId: "localhost",
      userHandle: passkey.userHandle,
    });
    expect(listed.text).not.toMatch(/publicKey|signCount/);
    await service.clock.advance(11 * MINUTE);
    expect(codeOf(await browser.call("DELETE", `/v1/account/passkeys/${shown.id}`))).toBe("reauthenticate");
    await service.clock.reset();
    expect((await browser.call("DELETE", `/v1/account/passkeys/${shown.id}`)).status).toBe(204);
    expect(codeOf(await signInBy(service, new Visitor(service), passkey))).toBe("passkey-unknown");
    expect((await browser.call("GET", "/v1/account/recovery-codes")).json()).toEqual({ left: 0 });
  });
});

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
    const forms = await startService({ settings: { LUCCHETTO_PASSKEYS_ORIGINS: `[${origin}]` } });
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
