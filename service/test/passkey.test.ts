/** Passkeys over HTTP: challenges, adding, signing in. */
import { afterAll, afterEach, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import { attestItself } from "../../demo/src/authenticator/software-authenticator.ts";
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
import type { TestService } from "../../testing/service.ts";
import { PASSWORD, startService } from "../../testing/service.ts";
import { codeOf, mailTo, Visitor } from "../../testing/visitor.ts";

let service: TestService;
beforeAll(async () => {
  service = await startService();
});
afterEach(() => service.clock.reset());
afterAll(() => service.stop());

const MINUTE = 60_000;
const rowsOf = (accountId: string) =>
  service.dataSource.query<Array<Record<string, unknown>>>("SELECT * FROM passkey WHERE accountId = ?", [
    accountId,
  ]);
const journal = async (accountId: string) =>
  service.dataSource.query<Array<{ kind: string; reason: string | null }>>(
    "SELECT kind, reason FROM journal_entry WHERE accountId = ? ORDER BY id",
    [accountId],
  );

const person = (name: string) => personAt(service, name);

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
    expect((row!["credentialId"] as Buffer).toString("base64url")).toBe(passkey.id);
    expect(row!["transports"]).toEqual(["usb", "pigeon"]);
    expect(await mailTo(service, "pk27@brina.example", "unproved-change")).toBeDefined();
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
