import { createHash, randomBytes, randomUUID } from "node:crypto";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import type { KeyRing } from "@lucchetto/core";
import { NONCE_LENGTH, readBase32, readKeyUri, seal } from "@lucchetto/core";
import { eventually } from "../../testing/eventually.ts";
import { codesOf, enrolAuthenticator } from "../../testing/second-factor.ts";
import type { TestService } from "../../testing/service.ts";
import { json, PASSWORD, send, startService } from "../../testing/service.ts";
import type { Reply } from "../../testing/visitor.ts";
import { codeOf, mailsTo, mailTo, registerProved } from "../../testing/visitor.ts";

const MINUTE = 60_000;

let service: TestService;
let other: TestService;
beforeAll(async () => {
  service = await startService();
  other = await startService({ beside: service });
});
afterAll(async () => {
  await other.stop();
  await service.stop();
});

const bearer = (token: string) => ({ authorization: `Bearer ${token}` });

async function somebody(name: string, wanted: Parameters<typeof enrolAuthenticator>[2] = {}) {
  const email = `${name}@brina.example`;
  const { id, token } = await registerProved(service, email);
  return { id, email, app: await enrolAuthenticator(service, token, wanted) };
}

/** The first proof; its token goes on. */
async function begin(identifier: string, at: TestService = service): Promise<string> {
  const proof = { type: "password", identifier, password: PASSWORD };
  const reply = await send(at, "POST", "/v1/sign-in", json({ proof, deliver: "token" }));
  expect({ status: reply.status, body: reply.json() }).toMatchObject({
    status: 202,
    body: { outcome: "proof-wanted" },
  });
  return reply.json<{ token: string }>().token;
}

function show(pending: string, proof: object, at: TestService = service): Promise<Reply> {
  const { body, headers } = json({ proof });
  return send(at, "POST", "/v1/sign-in/proof", { body, headers: { ...headers, ...bearer(pending) } });
}
const totpOf = (code: string) => ({ type: "totp", code });
const recovery = (code: string) => ({ type: "recovery-code", code });

async function dump(): Promise<string> {
  const tables = await service.dataSource.query<Array<Record<string, string>>>("SHOW TABLES");
  const names = tables.flatMap((row) => Object.values(row));
  const parts: string[] = [];
  for (const name of names) {
    for (const row of await service.dataSource.query<object[]>(`SELECT * FROM \`${name}\``))
      for (const value of Object.values(row))
        parts.push(
          Buffer.isBuffer(value) ? `${value.toString("latin1")} ${value.toString("hex")}` : String(value),
        );
  }
  return parts.join("\n");
}

describe("authenticator apps", () => {
  test("TO-4 TO-9 enrolment hands over a fresh secret of the right length, as text, URI and image that agree", async () => {
    const { token } = await service.register("anna@brina.example");
    const call = service.as(token);
    const seen = new Set<string>();
    for (const [algorithm, bytes] of [
      ["SHA1", 20],
      ["SHA256", 32],
      ["SHA512", 64],
    ] as const) {
      const { body } = await call(routes.enrolAuthenticator, { body: { algorithm, digits: 8, period: 60 } });
      const read = readKeyUri(body.uri);
      expect(read).toMatchObject({
        issuer: "Brina Huts",
        account: "anna@brina.example",
        settings: { algorithm, digits: 8, period: 60 },
      });
      expect(read.secret).toHaveLength(bytes);
      expect(readBase32(body.secret)).toEqual(read.secret);
      expect(body.qrSvg).toMatch(/^<svg /);
      expect(body.uri).toContain("Brina%20Huts:");
      seen.add(body.secret);
    }
    expect(seen.size).toBe(3);
  });

  test("TO-7 one counts only after a first right code, within 15 minutes; that code is spent", async () => {
    const { token } = await service.register("bruno@brina.example");
    const call = service.as(token);
    const begun = (await call(routes.enrolAuthenticator, { body: {} })).body;
    const code = codesOf(service, begun.uri);
    expect(await service.signIn("bruno@brina.example")).toMatch(/^lcs_/);
    const confirm = (typed: string) => {
      const { body, headers } = json({ code: typed });
      const path = `/v1/account/totp/${begun.id}/activate`;
      return send(service, "POST", path, { body, headers: { ...headers, ...bearer(token) } });
    };
    const wrong = await confirm(code() === "000000" ? "000001" : "000000");
    expect(wrong.status).toBe(400);
    expect(wrong.text).toMatch(/not the current code/);
    expect(await service.signIn("bruno@brina.example")).toMatch(/^lcs_/);

    await service.clock.advance(15 * MINUTE);
    expect(codeOf(await confirm(code()))).toBe("enrolment-lapsed");
    await call(routes.reauthenticate, { body: { proof: { type: "password", password: PASSWORD } } }).then(
      async ({ body }) => {
        const fresh = "token" in body ? (body.token ?? "") : "";
        const app = await enrolAuthenticator(service, fresh);
        expect(app.recoveryCodes).toHaveLength(10);
        const pending = await begin("bruno@brina.example");
        const again = await show(pending, totpOf(app.code(-1)));
        expect([again.status, codeOf(again)]).toEqual([401, "proof-refused"]);
        expect(again.text).toMatch(/already been used/);
        expect((await show(pending, totpOf(await app.nextCode()))).status).toBe(201);
      },
    );
  });

  test("TO-5 TO-13 neither secret nor recovery code stands in the database, in any form; moved to another row it does not open", async () => {
    const carla = await somebody("carla");
    const dino = await somebody("dino");
    const text = await dump();
    const raw = Buffer.from(readBase32(carla.app.secret));
    for (const form of [
      raw.toString("latin1"),
      raw.toString("hex"),
      raw.toString("base64"),
      carla.app.secret,
    ])
      expect(text.includes(form)).toBe(false);
    for (const code of carla.app.recoveryCodes) {
      const bare = code.replaceAll("-", "");
      for (const form of [code, bare, createHash("sha256").update(bare).digest("hex")])
        expect(text.includes(form)).toBe(false);
    }
    await service.dataSource.query(
      "UPDATE authenticator d JOIN authenticator c ON c.id = ? SET d.sealedSecret = c.sealedSecret WHERE d.id = ?",
      [carla.app.id, dino.app.id],
    );
    const pending = await begin("dino@brina.example");
    expect(codeOf(await show(pending, totpOf(await carla.app.nextCode())))).toBe("proof-refused");
  });

  test("TO-6 once confirmed a secret is never shown again", async () => {
    const { app } = await somebody("emma");
    const call = service.as(app.token);
    const operator = await service.operator();
    const replies = [
      await call(routes.listAuthenticators),
      await call(routes.renameAuthenticator, { params: { id: app.id }, body: { name: "Old phone" } }),
      await call(routes.exportOwnData),
      await service.as(operator)(routes.listAccounts, { query: { limit: 100 } }),
      await service.as(operator)(routes.listJournal, { query: { limit: 100 } }),
    ];
    const blank = { params: { id: app.id }, body: { name: "  " } };
    await expect(call(routes.renameAuthenticator, blank)).rejects.toMatchObject({
      problem: { errors: [{ path: "name" }] },
    });
    const text = JSON.stringify(replies.map(({ body }) => body));
    expect(text).toContain("Old phone");
    expect(text).not.toMatch(/otpauth:/);
    expect(text.includes(app.secret)).toBe(false);
    const again = (await call(routes.enrolAuthenticator, { body: {} })).body;
    expect(again.secret).not.toBe(app.secret);
  });

  test("TO-8 adding and removing want a proof of the last ten minutes, and bring one mail and one entry each", async () => {
    const { id, email, app } = await somebody("fabio");
    expect(await mailTo(service, email, "second-factor-added")).toMatchObject({
      subject: "An authenticator app for your account at Brina Huts",
    });
    await service.clock.advance(11 * MINUTE);
    const call = service.as(app.token);
    for (const refused of [
      () => call(routes.enrolAuthenticator, { body: {} }),
      () => call(routes.removeAuthenticator, { params: { id: app.id } }),
      () => call(routes.makeRecoveryCodes),
    ])
      await expect(refused()).rejects.toMatchObject({ problem: { code: "reauthenticate" } });
    const fresh = await show(await begin(email), totpOf(await app.nextCode()));
    const token = fresh.json<{ token: string }>().token;
    const outcomes = await Promise.all(
      [1, 2].map(() =>
        service
          .as(token)(routes.removeAuthenticator, { params: { id: app.id } })
          .then(
            () => "removed",
            () => "not there",
          ),
      ),
    );
    expect(outcomes.sort()).toEqual(["not there", "removed"]);
    await mailTo(service, email, "second-factor-removed");
    const mails = await mailsTo(service, email);
    expect(mails.filter(({ template }) => template === "second-factor-removed")).toHaveLength(1);
    const entries = await service.dataSource.query<Array<{ kind: string }>>(
      "SELECT kind FROM journal_entry WHERE accountId = ? AND kind LIKE 'totp.%' ORDER BY id",
      [id],
    );
    expect(entries.map(({ kind }) => kind)).toEqual(["totp.activated", "totp.removed"]);
    // With the last one the codes went as well: the password is enough again.
    expect(await service.signIn(email)).toMatch(/^lcs_/);
  });

  test("TO-8 nobody touches another person's", async () => {
    const greta = await somebody("greta");
    const hugo = await somebody("hugo");
    const call = service.as(hugo.app.token);
    const params = { id: greta.app.id };
    for (const refused of [
      () => call(routes.removeAuthenticator, { params }),
      () => call(routes.renameAuthenticator, { params, body: { name: "Mine" } }),
      () => call(routes.activateAuthenticator, { params, body: { code: "123456" } }),
    ])
      await expect(refused()).rejects.toMatchObject({ problem: { status: 404 } });
  });
});

describe("the second factor in a sign-in", () => {
  test("SI-5 SI-6 until the code is shown there is no session, and nothing else goes on with it", async () => {
    const { id, email, app } = await somebody("irma");
    const stranger = await somebody("ivo");
    await service.dataSource.query("UPDATE session SET endedAt = NOW() WHERE accountId = ?", [id]);
    const pending = await begin(email);
    for (const path of ["/v1/session", "/v1/account"])
      expect((await send(service, "GET", path, { headers: bearer(pending) })).status).toBe(401);
    const shown = await send(service, "GET", "/v1/sign-in", { headers: bearer(pending) });
    expect(shown.json()).toMatchObject({ wanted: ["totp", "recovery-code"] });
    expect(codeOf(await show(pending, totpOf(await stranger.app.nextCode())))).toBe("proof-refused");
    expect((await show("lci_nothing", totpOf(app.code()))).status).toBe(401);
    const named = await show(pending, { ...totpOf(app.code()), identifier: email });
    expect(named.status).toBe(400);
    const done = await show(pending, totpOf(app.code()));
    expect(done.json()).toMatchObject({
      outcome: "signed-in",
      session: { aal: 2, amr: ["pwd", "otp", "mfa"] },
    });
  });

  test("SI-7 five wrong codes end it, its five minutes too; what cannot be a code is no try", async () => {
    const { email, app } = await somebody("karin");
    const pending = await begin(email);
    for (const typed of ["", "12345", "1234567", "1e5", "abcdef"])
      expect((await show(pending, totpOf(typed))).status).toBe(400);
    expect((await show(pending, { type: "totp", code: 123456 })).status).toBe(400);
    const wrong = String((Number(app.code()) + 1) % 1_000_000).padStart(6, "0");
    // Not a code of the steps beside it either: one that is surely wrong.
    const bad = [app.code(-1), app.code(), app.code(1)].includes(wrong) ? "999999" : wrong;
    for (let shown = 0; shown < 5; shown += 1)
      expect(codeOf(await show(pending, totpOf(bad)))).toBe("proof-refused");
    await service.clock.advance(MINUTE);
    expect(codeOf(await show(pending, totpOf(app.code())))).toBe("sign-in-lapsed");

    await service.clock.advance(20 * MINUTE);
    const late = await begin(email);
    await service.clock.advance(5 * MINUTE);
    expect(codeOf(await show(late, totpOf(app.code())))).toBe("sign-in-lapsed");
    const inTime = await begin(email);
    await service.clock.advance(5 * MINUTE - 8_000);
    expect((await show(inTime, totpOf(app.code()))).status).toBe(201);
  });

  test("TO-3 SI-8 fifty showings of one right code, over two instances and many sign-ins, make one session", async () => {
    const { id, email, app } = await somebody("lea");
    await service.dataSource.query("UPDATE session SET endedAt = NOW() WHERE accountId = ?", [id]);
    const tokens: string[] = [];
    for (let number = 0; number < 10; number += 1)
      tokens.push(await begin(email, number % 2 === 0 ? service : other));
    const code = await app.nextCode();
    const replies = await Promise.all(
      Array.from({ length: 50 }, (_, number) =>
        show(tokens[number % tokens.length] ?? "", totpOf(code), number % 3 === 0 ? other : service),
      ),
    );
    expect(replies.filter(({ status }) => status === 201)).toHaveLength(1);
    for (const { status } of replies) expect([201, 401, 429]).toContain(status);
    const [{ alive }] = await service.dataSource.query(
      "SELECT COUNT(*) AS alive FROM session WHERE accountId = ? AND endedAt IS NULL",
      [id],
    );
    expect(Number(alive)).toBe(1);
  });

  test("SI-9 a suspension, a new password and a change of factors end sign-ins that wait for a code", async () => {
    const { id, email, app } = await somebody("mario");
    const operator = await service.operator();
    const suspended = await begin(email);
    const change = (state: "suspended" | "active") =>
      service.as(operator)(routes.changeAccount, { params: { id }, body: { state } });
    await change("suspended");
    expect((await show(suspended, totpOf(await app.nextCode()))).status).toBe(401);
    await change("active");
    expect((await show(suspended, totpOf(app.code()))).status).toBe(401);

    const session = (await show(await begin(email), totpOf(await app.nextCode()))).json<{ token: string }>();
    const changed = await begin(email);
    await service.as(session.token)(routes.changePassword, {
      body: { present: PASSWORD, password: "a wholly other password" },
    });
    expect((await show(changed, totpOf(await app.nextCode()))).status).toBe(401);
  });

  test("SI-4 a wanted new password comes last: whoever knows the old one alone does not choose it", async () => {
    const { id, email, app } = await somebody("nora");
    const operator = await service.operator();
    await service.as(operator)(routes.changeAccount, { params: { id }, body: { mustChangePassword: true } });
    const pending = await begin(email);
    const early = await show(pending, { type: "new-password", password: "a wholly other password" });
    expect(codeOf(early)).toBe("proof-refused");
    const factor = await show(pending, totpOf(await app.nextCode()));
    expect([factor.status, factor.json()]).toMatchObject([202, { wanted: ["new-password"] }]);
    // The code proves nothing twice, and there is no session yet.
    expect(codeOf(await show(pending, totpOf(await app.nextCode())))).toBe("proof-refused");
    expect(
      await service.dataSource.query("SELECT id FROM session WHERE accountId = ? AND endedAt IS NULL", [id]),
    ).toEqual([]);
    const old = await show(pending, { type: "new-password", password: PASSWORD });
    expect(codeOf(old)).toBe("invalid-fields");
    const changed = await show(pending, { type: "new-password", password: "a wholly other password" });
    expect([changed.status, changed.json()]).toMatchObject([
      201,
      { session: { aal: 2, amr: ["pwd", "otp", "mfa"] } },
    ]);
    const again = await show(pending, { type: "new-password", password: "and yet another password" });
    expect(codeOf(again)).toBe("sign-in-lapsed");
  });

  test("TH-3 TH-8 wrong codes have a limit of 100 of their own across sign-ins; the right password clears nothing", async () => {
    const { id, email, app } = await somebody("olga");
    const key = createHash("sha256").update(`account-factor\n${id}`).digest();
    const count = async () => {
      const rows = await service.dataSource.query<Array<{ failures: number }>>(
        "SELECT failures FROM throttle_count WHERE id = ?",
        [key],
      );
      return rows[0]?.failures ?? 0;
    };
    for (let round = 0; round < 18; round += 1) {
      const pending = await begin(email);
      for (let shown = 0; shown < 5; shown += 1) {
        const right = [app.code(-1), app.code(), app.code(1)];
        const bad = ["000000", "111111", "222222", "333333"].find((code) => !right.includes(code)) ?? "";
        expect(codeOf(await show(pending, totpOf(bad)))).toBe("proof-refused");
        // Past the wait that it brought; the sign-in itself is not to lapse.
        await service.dataSource.query("UPDATE throttle_count SET waitUntil = '2000-01-01' WHERE id = ?", [
          key,
        ]);
      }
    }
    expect(await count()).toBe(90);
    const pending = await begin(email);
    const closed = await show(pending, totpOf(await app.nextCode()));
    expect([closed.status, codeOf(closed)]).toEqual([429, "throttled"]);
    expect(closed.headers.get("retry-after")).toMatch(/^\d+$/);
    expect(await count()).toBe(90);

    const operator = await service.operator();
    const held = (await service.as(operator)(routes.listThrottle)).body.items;
    const entry = held.find(({ kind, subject }) => kind === "account-factor" && subject === id);
    expect(entry).toMatchObject({ failures: 90, state: "closed" });
    await service.as(operator)(routes.releaseThrottle, { params: { id: entry?.id ?? "" } });
    expect((await show(pending, totpOf(app.code()))).status).toBe(201);
    expect(await count()).toBe(0);
  });
});

describe("recovery codes", () => {
  test("TO-14 TO-15 one signs in once in the second factor's place, and the owner hears of it", async () => {
    const { email, app } = await somebody("paola");
    const [first = "", second = ""] = app.recoveryCodes;
    const alone = await send(
      service,
      "POST",
      "/v1/sign-in",
      json({ proof: { type: "recovery-code", code: first }, deliver: "token" }),
    );
    expect(alone.status).toBe(400);

    const pending: string[] = [];
    for (let number = 0; number < 5; number += 1) pending.push(await begin(email));
    const typed = first.toUpperCase().replaceAll("-", " ");
    const replies = await Promise.all(
      Array.from({ length: 25 }, (_, number) =>
        show(pending[number % pending.length] ?? "", recovery(typed), number % 2 === 0 ? service : other),
      ),
    );
    const done = replies.filter(({ status }) => status === 201);
    expect(done).toHaveLength(1);
    expect(done[0]?.json()).toMatchObject({ session: { aal: 2, amr: ["pwd", "recovery-code", "mfa"] } });
    expect((await mailTo(service, email, "recovery-code-used")).text).toContain("Codes left: 9");
    await service.clock.advance(20 * MINUTE);
    expect(codeOf(await show(await begin(email), recovery(first)))).toBe("proof-refused");
    await service.clock.advance(20 * MINUTE);
    expect((await show(await begin(email), recovery(second))).status).toBe(201);
  });

  test("TO-14 the set is shown once; a new one wants a proof, is not to be kept on the way, and voids the old", async () => {
    const { email, app } = await somebody("quinto");
    const call = service.as(app.token);
    const counted = await call(routes.countRecoveryCodes);
    expect(counted.body).toEqual({ left: 10 });
    const made = await send(service, "POST", "/v1/account/recovery-codes", { headers: bearer(app.token) });
    expect([made.status, made.headers.get("cache-control")]).toEqual([201, "no-store"]);
    const { codes } = made.json<{ codes: string[] }>();
    expect(codes).toHaveLength(10);
    for (const old of app.recoveryCodes.slice(0, 3))
      expect(codeOf(await show(await begin(email), recovery(old)))).toBe("proof-refused");
    expect((await show(await begin(email), recovery(codes[0] ?? ""))).status).toBe(201);
    expect((await call(routes.countRecoveryCodes)).body).toEqual({ left: 9 });
  });

  test("TO-14 without a second factor there is nothing to stand in for", async () => {
    const { token } = await service.register("rita@brina.example");
    await expect(service.as(token)(routes.makeRecoveryCodes)).rejects.toMatchObject({
      problem: { code: "second-factor-missing" },
    });
  });
});

describe("a promoted key", () => {
  test("JO-7 secrets are sealed anew beside the requests, also after a kill, while people sign in; none is lost", async () => {
    const { email, app } = await somebody("resealed");
    const many = 600;
    const [{ accountId, sealedSecret }] = await service.dataSource.query(
      "SELECT accountId, sealedSecret FROM authenticator WHERE id = ?",
      [app.id],
    );
    const { keys } = service.keys as { keys: Record<string, string> };
    const ring: KeyRing = {
      current: "k1",
      keys: new Map([["k1", new Uint8Array(Buffer.from(keys["k1"] ?? "", "base64url"))]]),
    };
    const ids = Array.from({ length: many }, () => randomUUID());
    await service.dataSource.query(
      "INSERT INTO authenticator (id, accountId, name, sealedSecret, algorithm, digits, period, drift, createdAt, expiresAt) VALUES ?",
      [
        ids.map((id) => {
          const place = { table: "authenticator", record: id, purpose: "totp-secret" };
          const sealed = seal(ring, "JBSWY3DPEHPK3PXPJBSWY3DPEHPK3PXP", place, randomBytes(NONCE_LENGTH));
          return [id, accountId, "Old", sealed, "SHA1", 6, 30, 0, new Date(), new Date()];
        }),
      ],
    );
    const under = async (key: string) => {
      const [row] = await service.dataSource.query(
        "SELECT COUNT(*) AS count FROM authenticator WHERE accountId = ? AND sealedSecret LIKE ?",
        [accountId, `${key}:%`],
      );
      return Number(row.count);
    };
    const old = await under("k1");
    expect(old).toBeGreaterThan(many);
    const promoted = { current: "k2", keys: { ...keys, k2: randomBytes(32).toString("base64url") } };
    // Stopped in the midst of it, it goes on at the next start.
    const first = await startService({ beside: service, keys: promoted });
    await first.stop();
    const second = await startService({ beside: service, keys: promoted });
    try {
      const pending = await begin(email, second);
      const reply = await show(pending, totpOf(await app.nextCode()), second);
      expect(reply.status).toBe(201);
      await eventually(async () => (await under("k1")) === 0);
      expect(await under("k2")).toBe(old);
      const again = await begin(email, second);
      expect((await show(again, totpOf(await app.nextCode()), second)).status).toBe(201);
      expect(sealedSecret).toMatch(/^k1:/);
    } finally {
      await second.stop();
    }
  });
});
