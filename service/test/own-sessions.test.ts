import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import { sweepSessions } from "@lucchetto/service";
import type { InProcessService } from "../../testing/service.ts";
import { PASSWORD, startService } from "../../testing/service.ts";
import { codeOf, Visitor } from "../../testing/visitor.ts";

let service: InProcessService;
beforeAll(async () => {
  service = await startService();
});
afterAll(() => service.stop());

const DAY = 86_400_000;
const FIREFOX = "Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0";

describe("one's own sessions", () => {
  test("SE-9 lists them without a secret, ends one, and all others; another person's is as missing as none", async () => {
    const { token } = await service.register("anna@brina.example");
    const client = service.as(token);
    const browser = new Visitor(service);
    const proof = { type: "password", identifier: "anna@brina.example", password: PASSWORD };
    await browser.call("POST", "/v1/sign-in", { proof }, { headers: { "user-agent": FIREFOX } });
    const third = await service.signIn("anna@brina.example");

    const { body } = await client(routes.listOwnSessions);
    expect(body.items).toHaveLength(3);
    expect(body.items.filter(({ current }) => current)).toHaveLength(1);
    expect(body.items).toContainEqual(expect.objectContaining({ userAgent: FIREFOX, network: "127.0.0.1" }));
    expect(JSON.stringify(body)).not.toMatch(/lcs_|tokenHash/);

    const { token: stranger } = await service.register("bruno@brina.example");
    const firefox = body.items.find(({ userAgent }) => userAgent === FIREFOX)?.id ?? "";
    await expect(
      service.as(stranger)(routes.endOwnSession, { params: { id: firefox } }),
    ).rejects.toMatchObject({ problem: { code: "not-found" } });
    expect((await browser.call("GET", "/v1/session")).status).toBe(200);

    await client(routes.endOwnSession, { params: { id: firefox } });
    expect(codeOf(await browser.call("GET", "/v1/session"))).toBe("not-signed-in");
    expect((await client(routes.endOtherSessions)).body).toEqual({ ended: 1 });
    await expect(service.as(third)(routes.showSession)).rejects.toThrow();
    expect((await client(routes.listOwnSessions)).body.items).toMatchObject([{ current: true }]);
    expect((await client(routes.endOtherSessions)).body).toEqual({ ended: 0 });
    await expect(
      client(routes.endOwnSession, { params: { id: "0190b6a2-0000-7000-8000-000000000000" } }),
    ).rejects.toMatchObject({ problem: { code: "not-found" } });
    // A browser that ends its own session is signed out.
    const again = new Visitor(service);
    const begun = await again.post("/v1/sign-in", { proof });
    const { session } = begun.json<{ session: { id: string } }>();
    expect((await again.call("DELETE", `/v1/sessions/${session.id}`)).status).toBe(204);
    expect([...again.cookies.keys()].some((name) => /^lucchetto-\d+$/.test(name))).toBe(false);
  });
});

describe("one's own data", () => {
  test("SE-16 is taken along without a secret; erasing wants a fresh proof, and leaves nothing but entries that name nobody", async () => {
    const { id, token } = await service.register("carla@brina.example");
    const client = service.as(token);
    const { body } = await client(routes.exportOwnData);
    expect(body).toMatchObject({
      account: { email: "carla@brina.example" },
      password: { scheme: "$scrypt$ln=8,r=8,p=1" },
      sessions: [{ current: true }],
      mails: [{ to: "carla@brina.example", subject: "Confirm your address for Brina Huts" }],
    });
    expect(body.journal.map(({ kind }) => kind)).toContain("account.registered");
    const text = JSON.stringify(body);
    const [stored] = await service.dataSource.query(
      "SELECT record FROM password_record WHERE accountId = ?",
      [id],
    );
    for (const secret of [token, stored.record.split("$").at(-1), "lcl_"]) expect(text).not.toContain(secret);

    await service.clock.advance(11 * 60_000);
    await expect(client(routes.eraseOwnAccount)).rejects.toMatchObject({
      problem: { code: "reauthenticate" },
    });
    await service.clock.reset();
    await client(routes.eraseOwnAccount);
    await service.clock.advance(7 * 86_400_000);
    await service.sweep();
    await service.clock.reset();
    await expect(client(routes.showSession)).rejects.toMatchObject({ problem: { code: "not-signed-in" } });
    for (const table of [
      "account WHERE id",
      "session WHERE accountId",
      "mail WHERE accountId",
      "mail_link WHERE accountId",
    ])
      expect(await service.dataSource.query(`SELECT 1 FROM ${table} = ?`, [id])).toEqual([]);
    await expect(service.as(await service.operator())(routes.eraseOwnAccount)).rejects.toThrow(/operator/);
  });
});

describe("ended sessions", () => {
  test("are kept as history for the configured time, then swept in small batches with their check tokens", async () => {
    const kept = await startService({ settings: { LUCCHETTO_SESSIONS_KEEP_ENDED: "2d" } });
    try {
      const { id, token } = await kept.register("dario@brina.example");
      const rows = async () => (await listed()).map(({ endReason }) => endReason);
      const listed = async () => {
        const operator = kept.as(await kept.operator());
        return (await operator(routes.listSessions, { query: { accountId: id } })).body.items;
      };
      await kept.as(token)(routes.signOut);
      // More than one batch holds.
      const [{ now }] = await kept.dataSource.query("SELECT MAX(endedAt) AS now FROM session");
      await kept.dataSource.query(
        `INSERT INTO session (id, tokenHash, accountId, kind, aal, amr, authTime, createdAt, lastSeenAt, idleEndsAt, endsAt, endedAt, endReason)
         SELECT UUID(), UNHEX(SHA2(seq, 256)), ?, 'ordinary', 1, '["pwd"]', ?, ?, ?, ?, ?, ?, 'signed-out' FROM seq_1_to_450`,
        [id, now, now, now, now, now, now],
      );
      await kept.signIn("dario@brina.example");
      const sweep = () => sweepSessions(kept.dataSource, new Date(kept.clock.now().getTime() - 2 * DAY));
      expect(await sweep()).toBe(0);
      await kept.clock.advance(DAY);
      expect(await sweep()).toBe(0);
      expect(await rows()).toContain("signed-out");
      await kept.clock.advance(DAY);
      expect(await sweep()).toBe(451);
      // What lapsed by itself goes as well, in its time.
      expect(await rows()).toEqual(["idle-limit"]);
      await kept.clock.advance(DAY);
      expect(await sweep()).toBeGreaterThan(0);
      expect(await rows()).toEqual([]);
    } finally {
      await kept.stop();
    }
  });
});
