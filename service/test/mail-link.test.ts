import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import type { MailboxItem, Open } from "@lucchetto/contract";
import { routes } from "@lucchetto/contract";
import { aWhile, eventually } from "../../testing/eventually.ts";
import type { TestService } from "../../testing/service.ts";
import { json, send, startService } from "../../testing/service.ts";

const NEW = "another good long password";
const MINUTE = 60_000;

let service: TestService;
let beside: TestService;
beforeAll(async () => {
  service = await startService();
  beside = await startService({ beside: service });
});
afterAll(async () => {
  await beside.stop();
  await service.stop();
});

function ask(identifier: string, headers: Record<string, string> = {}) {
  const { body, headers: type } = json({ purpose: "reset", identifier });
  return send(service, "POST", "/v1/mail-links", { body, headers: { ...type, ...headers } });
}
function redeem(secret: string, password = NEW, at = service) {
  return send(at, "POST", "/v1/mail-links/redeem", json({ secret, password }));
}
async function mails(to: string): Promise<Array<Open<MailboxItem>>> {
  const { body } = await service.client(routes.listDevelopmentMailbox, { query: { limit: 100 } });
  return body.items.filter((item) => item.to === to);
}
/** Asks, and waits for the mail that is written after the reply. */
async function secretFor(email: string, headers: Record<string, string> = {}): Promise<string> {
  const before = new Set((await mails(email)).map(({ id }) => id));
  expect((await ask(email, headers)).status).toBe(202);
  const written = await eventually(
    async () => (await mails(email)).find(({ id, links }) => !before.has(id) && links.length > 0),
    `a mail to ${email}`,
  );
  return new URL(written.links[0] ?? "").hash.slice(1);
}
const codeOf = (reply: Awaited<ReturnType<typeof redeem>>) => reply.json<{ code?: string }>().code;

describe("a reset link", () => {
  test("LI-11 LI-12 PW-1 PW-11 sets a new password, signs nobody in, ends all sessions, reopens a closed password, and tells the owner", async () => {
    const { id, token } = await service.register("anna@brina.example");
    for (let tried = 0; tried < 6; tried += 1)
      await send(
        service,
        "POST",
        "/v1/sign-in",
        json({ proof: { type: "password", identifier: "anna@brina.example", password: "wrong" } }),
      );
    const secret = await secretFor("Anna@BRINA.example".toLowerCase());
    expect(secret).toMatch(/^lcl_[\w-]{43}$/);
    const short = await redeem(secret, "short");
    expect(codeOf(short)).toBe("invalid-fields");
    expect((await redeem(secret, "fourteen chars")).text).toMatch(/15 characters/);
    expect((await redeem(secret, "passwordpassword")).text).toMatch(/attackers try first/);
    const done = await redeem(secret);
    expect(done.json()).toEqual({ outcome: "password-set" });
    expect(done.headers.get("set-cookie")).toBeNull();
    await expect(service.as(token)(routes.showSession)).rejects.toThrow();
    expect(await service.signIn("anna@brina.example", NEW)).toMatch(/^lcs_/);
    const [notice] = await mails("anna@brina.example");
    expect(notice).toMatchObject({ template: "password-reset", links: [`${service.url}/forgot`] });
    expect(notice?.text).not.toMatch(/lcl_/);
    const { body } = await service.as(await service.operator())(routes.listJournal, {
      query: { accountId: id },
    });
    expect(body.items.map(({ kind }) => kind)).toEqual(
      expect.arrayContaining(["password.reset", "mail-link.sent"]),
    );
  });

  test("LI-1 works once, under concurrency over two instances too", async () => {
    await service.register("bruno@brina.example");
    const secret = await secretFor("bruno@brina.example");
    const replies = await Promise.all(
      Array.from({ length: 50 }, (_, index) =>
        redeem(secret, `${NEW} ${index}`, index % 2 === 0 ? service : beside),
      ),
    );
    expect(replies.filter(({ status }) => status === 200)).toHaveLength(1);
    expect(replies.filter(({ status }) => status >= 500 && status !== 503)).toEqual([]);
    expect(codeOf(await redeem(secret))).toBe("link-used");
  });

  test("LI-2 lives 30 minutes; looking at it changes nothing", async () => {
    await service.register("carla@brina.example");
    const [first, second] = [await secretFor("carla@brina.example"), await secretFor("carla@brina.example")];
    for (let looks = 0; looks < 10; looks += 1)
      expect(
        (await send(service, "POST", "/v1/mail-links/look", json({ secret: first }))).json(),
      ).toMatchObject({
        purpose: "reset",
        name: "carla@brina.example",
      });
    await service.clock.advance(30 * MINUTE - 10_000);
    expect((await redeem(first)).status).toBe(200);
    await service.clock.reset();
    expect(codeOf(await redeem(second))).toBe("link-superseded");
    const third = await secretFor("carla@brina.example");
    await service.clock.advance(30 * MINUTE);
    expect(codeOf(await redeem(third))).toBe("link-expired");
    await service.clock.reset();
  });

  test("LI-3 neither link nor secret is in the database; the stored hash is no secret", async () => {
    await service.register("dora@brina.example");
    const secret = await secretFor("dora@brina.example");
    const rows = await service.dataSource.query("SELECT * FROM mail_link");
    const mail = await service.dataSource.query("SELECT * FROM mail");
    const dump = JSON.stringify([rows, mail]);
    expect(dump).not.toContain(secret);
    expect(dump).not.toContain(Buffer.from(secret).toString("base64").slice(0, 40));
    expect(service.log()).not.toContain(secret);
    const hash = rows.at(-1).secretHash.toString("base64url");
    expect(codeOf(await redeem(`lcl_${hash}`))).toBe("link-unknown");
    for (const nonsense of ["", "lcl_", `lcs_${secret.slice(4)}`])
      expect(codeOf(await redeem(nonsense))).toBe("link-unknown");
  });

  test("LI-4 a newer one asked for in the same browser voids the older; a stranger's asking voids nothing", async () => {
    await service.register("elio@brina.example");
    const mark = (letter: string) => ({
      cookie: `lucchetto-device-${new URL(service.url).port}=lcd_${letter.repeat(43)}`,
    });
    const first = await secretFor("elio@brina.example", mark("A"));
    await secretFor("elio@brina.example", mark("B"));
    expect((await send(service, "POST", "/v1/mail-links/look", json({ secret: first }))).status).toBe(200);
    const newer = await secretFor("elio@brina.example", mark("A"));
    expect(codeOf(await redeem(first))).toBe("link-superseded");
    expect((await redeem(newer)).status).toBe(200);
  });

  test("LI-4 at most five live at once, whatever marks the askers invent", async () => {
    const { id } = await service.register("ida@brina.example");
    const mark = (letter: string) => ({
      cookie: `lucchetto-device-${new URL(service.url).port}=lcd_${letter.repeat(43)}`,
    });
    for (const letter of "ABCDE") await secretFor("ida@brina.example", mark(letter));
    // The limit of mails an hour is not the matter here.
    await service.dataSource.query("DELETE FROM throttle_count WHERE kind = 'address-mail'");
    await ask("ida@brina.example", mark("F"));
    const living = async () => {
      const [row] = await service.dataSource.query(
        "SELECT COUNT(*) AS living FROM mail_link WHERE accountId = ? AND purpose = 'reset' AND supersededAt IS NULL",
        [id],
      );
      return Number(row.living);
    };
    await eventually(async () => (await living()) === 5, "the link to the sixth asker");
    expect((await mails("ida@brina.example")).filter(({ state }) => state === "held")).toHaveLength(1);
    await secretFor("ida@brina.example", mark("A"));
    expect(await living()).toBe(5);
  });

  test("LI-5 LI-7 is built from the public address alone, and dies with the address it was sent to", async () => {
    const { id } = await service.register("fausta@brina.example");
    const secret = await secretFor("fausta@brina.example", {
      host: "evil.test",
      "x-forwarded-host": "evil.test",
    });
    const [mail] = await mails("fausta@brina.example");
    expect(mail?.links[0]?.startsWith(`${service.url}/link#lcl_`)).toBe(true);
    expect(JSON.stringify(mail)).not.toContain("evil.test");
    await service.dataSource.query("UPDATE account SET email = ?, emailKey = ? WHERE id = ?", [
      "f@brina.example",
      "f@brina.example",
      id,
    ]);
    expect(codeOf(await redeem(secret))).toBe("link-unknown");
  });

  test("LI-8 asking is answered alike for known, unknown and suspended; only the known one gets a mail", async () => {
    const { id } = await service.register("gino@brina.example");
    await service.as(await service.operator())(routes.changeAccount, {
      params: { id },
      body: { state: "suspended" },
    });
    const replies = [
      await ask("anna@brina.example"),
      await ask("nobody@brina.example"),
      await ask("gino@brina.example"),
      await ask("no name"),
    ];
    const visible = replies.map(({ status, text, headers }) => ({
      status,
      text,
      headers: [...headers]
        .filter(([name]) => !["date", "x-request-id"].includes(name))
        .map(([name, value]) => [name, value.replace(/lcd_[\w-]{43}/, "lcd_…")]),
    }));
    for (const one of visible) expect(one).toEqual(visible[0]);
    await aWhile();
    expect((await mails("gino@brina.example")).map(({ template }) => template)).toEqual(["verify"]);
    expect(await mails("nobody@brina.example")).toEqual([]);
  });

  test("LI-9 strangers bring five mails an hour to an address; the others are held back, and shown so", async () => {
    await service.register("hugo@brina.example");
    for (let asked = 0; asked < 8; asked += 1) expect((await ask("hugo@brina.example")).status).toBe(202);
    const states = await eventually(async () => {
      const written = (await mails("hugo@brina.example")).map(({ state }) => state);
      return written.length === 9 && written;
    });
    expect(states.filter((state) => state === "caught")).toHaveLength(5);
    // The one that came with the registration is among the five.
    expect(states.filter((state) => state === "held")).toHaveLength(4);
    const held = (await mails("hugo@brina.example")).find(({ state }) => state === "held");
    expect(JSON.stringify(held)).not.toContain("lcl_");
  });

  test("LI-9 a network that asks for many is told to wait, whoever it names", async () => {
    const strict = await startService({
      beside: service,
      settings: { LUCCHETTO_THROTTLE_NETWORK_MOST: "3" },
    });
    const asked = (identifier: string) =>
      send(strict, "POST", "/v1/mail-links", json({ purpose: "reset", identifier }));
    await service.dataSource.query("DELETE FROM throttle_count WHERE kind = 'network-mail'");
    for (const name of ["anna@brina.example", "nobody@brina.example", "no name"])
      expect((await asked(name)).status).toBe(202);
    for (const name of ["anna@brina.example", "nobody@brina.example"]) {
      const reply = await asked(name);
      expect(reply.status).toBe(429);
      expect(Number(reply.headers.get("retry-after"))).toBeGreaterThan(0);
    }
    await strict.stop();
  });
});
