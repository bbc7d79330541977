/** What strangers can do without a link or a right, and what owners, operators and applications keep all the same. */
import { afterAll, afterEach, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import { eventually } from "../../testing/eventually.ts";
import { addPasskey } from "../../testing/passkey.ts";
import { codesOf, enrolAuthenticator } from "../../testing/second-factor.ts";
import type { TestService } from "../../testing/service.ts";
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
import { inWhole } from "../../testing/whole.ts";

const DAY = 86_400_000;

let service: TestService;
beforeAll(async () => {
  service = await startService();
});
afterEach(() => service.clock.reset());
afterAll(() => service.stop());

const wrong = (identifier: string, at = service) =>
  new Visitor(at).post("/v1/sign-in", {
    proof: { type: "password", identifier, password: "a wrong long password" },
  });

describe("noise", () => {
  inWhole(
    "RC-14 nobody without the link uses up an undo link's tries: id, address and username polled until all are closed",
    async () => {
      const { body } = await service.client(routes.register, {
        body: { email: "rosa@brina.example", username: "rosa", password: PASSWORD, deliver: "token" },
      });
      if (body.outcome !== "signed-in") throw new Error("the site does not tell");
      const { id } = body.account;
      await proveAddress(service, "rosa@brina.example");
      await enrolAuthenticator(service, await service.signIn("rosa@brina.example"));
      const secret = secretOf(await mailTo(service, "rosa@brina.example", "second-factor-added"));
      // Past every wait, until neither name nor account takes a password any more.
      for (let round = 0; round < 95; round += 1) {
        for (const name of [id, "rosa@brina.example", "rosa"]) await wrong(name);
        await service.clock.advance(15 * 60_000);
      }
      const undo = (present: string) =>
        new Visitor(service).post("/v1/mail-links/redeem", {
          secret,
          password: "an altogether new password",
          present,
        });
      // The link has tries of its own, which come back.
      for (let tries = 0; tries < 10; tries += 1)
        expect(codeOf(await undo("another wrong password"))).toBe("invalid-fields");
      expect((await undo(PASSWORD)).status).toBe(429);
      await service.clock.advance(3_600_000);
      expect((await undo(PASSWORD)).status).toBe(200);
    },
  );

  test("RC-14 A13 strangers' asks for links keep nothing back from a browser that the account knows", async () => {
    const email = "renzo@brina.example";
    await service.register(email);
    await proveAddress(service, email);
    const mine = new Visitor(service);
    const proof = { type: "password", identifier: email, password: PASSWORD };
    expect((await mine.post("/v1/sign-in", { proof })).status).toBe(201);
    const ask = (who: Visitor) => who.post("/v1/mail-links", { purpose: "reset", identifier: email });
    for (let strangers = 0; strangers < 8; strangers += 1) await ask(new Visitor(service));
    await eventually(
      async () => (await mailsTo(service, email)).filter(({ template }) => template === "reset").length === 8,
    );
    const seen = new Set((await mailsTo(service, email)).map(({ id }) => id));
    await ask(mine);
    expect((await mailTo(service, email, "reset", seen)).links[0]).toMatch(/#lcl_/);
  });

  test("RC-14 what strangers type as a name counts nothing inside the account's own session", async () => {
    const { id, token } = await service.register("silvia@brina.example");
    for (let tries = 0; tries < 6; tries += 1) await wrong(id);
    expect((await wrong(id)).status).toBe(429);
    const change = await service.as(token)(routes.changePassword, {
      body: { present: PASSWORD, password: "an altogether new password" },
    });
    expect(change.status).toBe(200);
  });
});

test("RC-17 a username that could be taken for an id is refused, at registering and later", async () => {
  const { id, token } = await service.register("tea@brina.example");
  for (const username of [id, id.toUpperCase(), id.replaceAll("-", "")]) {
    const registering = await send(service, "POST", "/v1/accounts", {
      headers: { "content-type": "application/json" },
      body: JSON.stringify({ username, password: PASSWORD }),
    });
    expect(registering.status).toBe(400);
    await expect(service.as(token)(routes.changeOwnAccount, { body: { username } })).rejects.toThrow();
  }
});

describe("applications", () => {
  test("A18 an app restores what an app suspended, and never what an operator did", async () => {
    const { id } = await service.register("tullio@brina.example");
    const operator = service.as(await service.operator());
    const { body: app } = await operator(routes.addApp, {
      body: { name: "Bookings", redirectUris: ["http://localhost:9/in"], rights: ["accounts"] },
    });
    const authorization = `Basic ${Buffer.from(`${app.app.clientId}:${app.key}`).toString("base64")}`;
    const set = async (state: string) =>
      send(service, "PATCH", `/v1/app/accounts/${id}`, {
        headers: { authorization, "content-type": "application/json" },
        body: JSON.stringify({ state }),
      });
    expect((await set("suspended")).status).toBe(200);
    expect((await set("active")).status).toBe(200);
    const suspend = { params: { id }, body: { state: "suspended" } } as const;
    await operator(routes.changeAccount, suspend);
    // Suspending it once more makes it none of the app's.
    expect((await set("suspended")).status).toBe(200);
    const refused = await set("active");
    expect([refused.status, codeOf(refused)]).toEqual([403, "suspended-by-operator"]);
    await operator(routes.changeAccount, { params: { id }, body: { state: "active" } });
  });
});

describe("records", () => {
  test("A18 a hash cut short matches nothing, and is told as damaged", async () => {
    const email = "ulisse@brina.example";
    const { id } = await service.register(email);
    const [{ record }] = await service.dataSource.query(
      "SELECT record FROM password_record WHERE accountId = ?",
      [id],
    );
    const whole = String(record);
    const digest = whole.slice(whole.lastIndexOf("$") + 1);
    // scrypt's first sixteen bytes are those of its thirty-two.
    const cut = Buffer.from(digest, "base64").subarray(0, 16).toString("base64").replaceAll("=", "");
    await service.dataSource.query("UPDATE password_record SET record = ? WHERE accountId = ?", [
      `${whole.slice(0, whole.lastIndexOf("$") + 1)}${cut}`,
      id,
    ]);
    const proof = { type: "password", identifier: email, password: PASSWORD };
    expect((await new Visitor(service).post("/v1/sign-in", { proof })).status).toBe(401);
    const operator = service.as(await service.operator());
    const { body } = await operator(routes.showAccountDetail, { params: { id } });
    expect(body.password).toEqual({ unreadable: "the hash has 16 bytes; as it was stored it had 32" });
  });
});

describe("operators", () => {
  test("a first password whose time is over stays refused, whatever is wanted of the account", async () => {
    const operator = service.as(await service.operator());
    const { body } = await operator(routes.addAccount, {
      body: { email: "ugo@brina.example", password: PASSWORD },
    });
    await service.clock.advance(8 * DAY);
    const again = service.as(await service.operator());
    await again(routes.changeAccount, { params: { id: body.id }, body: { mustChangePassword: false } });
    const reply = await new Visitor(service).post("/v1/sign-in", {
      proof: { type: "password", identifier: "ugo@brina.example", password: PASSWORD },
    });
    expect([reply.status, reply.json<{ outcome?: string }>().outcome]).not.toContain("signed-in");
    expect(reply.status).not.toBe(201);
  });

  test("SI-9 authenticators imported are told to their owners, who can undo it, end sign-ins that wait, and never come to operators", async () => {
    const email = "wanda@brina.example";
    const { token } = await registerProved(service, email);
    await addPasskey(service, token);
    const { id: officeId } = await service.register("third-office@brina.example");
    const operator = service.as(await service.operator());
    await operator(routes.changeAccount, { params: { id: officeId }, body: { labels: ["operator"] } });
    const waiting = new Visitor(service);
    const proof = { type: "password", identifier: email, password: PASSWORD };
    expect((await waiting.post("/v1/sign-in", { proof })).status).toBe(202);
    const uri = `otpauth://totp/x:x?secret=${"A".repeat(32)}&issuer=x`;
    const items = [email, "third-office@brina.example"].map((account) => ({ account, uri }));
    const { body } = await operator(routes.importAuthenticators, { body: { match: "email", items } });
    expect(body.items.map(({ outcome }) => outcome)).toEqual(["imported", "of-operators"]);
    const code = codesOf(service, uri)();
    expect((await waiting.post("/v1/sign-in/proof", { proof: { type: "totp", code } })).status).toBe(401);
    const secret = secretOf(await mailTo(service, email, "second-factor-added"));
    const undone = await new Visitor(service).post("/v1/mail-links/redeem", {
      secret,
      password: "an altogether new password",
      present: PASSWORD,
    });
    expect(undone.status).toBe(200);
    const left = await service.dataSource.query(
      "SELECT authenticator.id FROM authenticator JOIN account ON account.id = accountId WHERE emailKey = ? AND removedAt IS NULL",
      [email],
    );
    expect(left).toEqual([]);
  });

  test("OP-2 another key for an app with rights is told to the other operators, one for a plain app is not", async () => {
    const operator = service.as(await service.operator());
    const { id } = await service.register("second-office@brina.example");
    await operator(routes.changeAccount, { params: { id }, body: { labels: ["operator"] } });
    const news = async () =>
      (await mailsTo(service, "second-office@brina.example")).filter(({ text }) => text.includes("Desk"))
        .length;
    const add = (name: string, rights: Array<"accounts">) =>
      operator(routes.addApp, { body: { name, redirectUris: ["http://localhost:9/in"], rights } });
    const { body: desk } = await add("Desk", ["accounts"]);
    const { body: plain } = await add("Plain", []);
    const before = await news();
    await operator(routes.addAppKey, { params: { id: desk.app.id } });
    await operator(routes.addAppKey, { params: { id: plain.app.id } });
    expect((await news()) - before).toBe(1);
  });

  test("in production nobody sees a character of salt or digest", async () => {
    const production = await startService({ publicUrl: "https://accounts.brina.example" });
    try {
      const { id } = await production.register("vera@brina.example");
      const [{ record }] = await production.dataSource.query(
        "SELECT record FROM password_record WHERE accountId = ?",
        [id],
      );
      const [salt = "", digest = ""] = String(record).split("$").slice(-2);
      const operator = production.as(await production.operator());
      const { body } = await operator(routes.showAccountDetail, { params: { id } });
      const shown = JSON.stringify(body);
      for (const secret of [salt, digest]) expect(shown).not.toContain(secret.slice(0, 4));
      expect(body.password).toMatchObject({
        saltBytes: 16,
        segments: expect.arrayContaining([
          { text: "█".repeat(salt.length), label: "salt", meaning: expect.any(String) },
        ]),
      });
    } finally {
      await production.stop();
    }
  });
});
