import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { ProblemError, routes } from "@lucchetto/contract";
import { makePasswordRecord } from "@lucchetto/core";
import { waitsForALock } from "../../testing/database.ts";
import { eventually } from "../../testing/eventually.ts";
import type { TestService } from "../../testing/service.ts";
import { CHEAP_SCHEME, json, PASSWORD, send, startService } from "../../testing/service.ts";

let service: TestService;
let operator: string;
beforeAll(async () => {
  service = await startService();
  operator = await service.operator();
});
afterAll(() => service.stop());

const tryPassword = (identifier: string, password: string, headers: Record<string, string> = {}) => {
  const { body, headers: type } = json({ proof: { type: "password", identifier, password } });
  return send(service, "POST", "/v1/sign-in", { body, headers: { ...type, ...headers } });
};
const setRecord = (id: string, record: string) =>
  service.dataSource.query("UPDATE password_record SET record = ? WHERE accountId = ?", [record, id]);
const recordOf = async (id: string): Promise<string> =>
  (await service.dataSource.query("SELECT record FROM password_record WHERE accountId = ?", [id]))[0].record;
const lastEntry = async (kind: string) =>
  (await service.as(operator)(routes.listJournal, { query: { kind, limit: 1 } })).body.items[0];

describe("a refused sign-in", () => {
  test("SI-1 looks the same for an unknown name, a wrong password, a suspended account and one without a password", async () => {
    await service.register("known@brina.example");
    const suspended = await service.register("suspended@brina.example");
    const without = await service.register("without@brina.example");
    await service.as(operator)(routes.changeAccount, {
      params: { id: suspended.id },
      body: { state: "suspended" },
    });
    await service.dataSource.query("DELETE FROM password_record WHERE accountId = ?", [without.id]);

    const replies = [];
    for (const name of ["unknown", "known", "suspended", "without"]) {
      replies.push(await tryPassword(`${name}@brina.example`, "a wrong long password"));
    }
    replies.push(await tryPassword("not even a name", "a wrong long password"));
    const visible = replies.map(({ status, text, headers }) => ({
      status,
      text: text.replace(/"requestId":"[^"]+"/, ""),
      headers: [...headers].filter(([name]) => !["date", "x-request-id"].includes(name)),
    }));
    for (const one of visible) expect(one).toEqual(visible[0]);
    expect(visible[0]?.status).toBe(401);
    expect(replies[0]?.headers.get("set-cookie")).toBeNull();
    expect(replies[0]?.headers.get("www-authenticate")).not.toBeNull();
  });

  test("JO-1 the journal keeps the inner reason that the reply hides, under the reply's request id", async () => {
    const reply = await tryPassword("known@brina.example", "a wrong long password");
    const { requestId } = reply.json<{ requestId: string }>();
    const { body } = await service.as(operator)(routes.listJournal, { query: { requestId } });
    expect(body.items).toHaveLength(1);
    expect(body.items[0]).toMatchObject({
      kind: "sign-in.refused",
      outcome: "refused",
      reason: "wrong-password",
      network: "127.0.0.1",
    });
    await tryPassword("nobody@brina.example", "a wrong long password");
    expect(await lastEntry("sign-in.refused")).toMatchObject({ reason: "unknown-account", accountId: null });
  });

  test("JO-4 a password typed into the name field is recorded nowhere", async () => {
    const typed = "my secret typed into the wrong field";
    await tryPassword(typed, "x");
    const entries = await service.dataSource.query("SELECT * FROM journal_entry");
    expect(JSON.stringify(entries)).not.toContain(typed);
    expect(service.log()).not.toContain(typed);
  });

  test("SI-3 that an account is suspended is told only to who knows its password", async () => {
    const right = await tryPassword("suspended@brina.example", PASSWORD);
    expect(right.status).toBe(403);
    expect(right.json()).toMatchObject({ code: "account-suspended" });
  });

  test("PW-18 PW-23 a row that is no record, or too dear to compute, is refused like a wrong password", async () => {
    const { id } = await service.register("broken@brina.example");
    const broken = [
      "nonsense",
      "$scrypt$ln=40,r=8,p=1$c2FsdHNhbHRzYWx0$aGFzaGhhc2hoYXNoaGFzaA",
      "$scrypt$ln=8,r=8,p=1$x",
    ];
    for (const record of broken) {
      await setRecord(id, record);
      const before = process.memoryUsage().rss;
      expect((await tryPassword("broken@brina.example", PASSWORD)).status).toBe(401);
      expect(process.memoryUsage().rss - before).toBeLessThan(100 * 2 ** 20);
      expect(await lastEntry("sign-in.refused")).toMatchObject({
        reason: "unreadable-record",
        accountId: id,
      });
    }
  });

  test("PW-22 ten thousand characters cost no hash, for known and unknown names alike", async () => {
    const long = "x".repeat(10_000);
    const replies = [
      await tryPassword("known@brina.example", long),
      await tryPassword("unknown@brina.example", long),
    ];
    expect(replies.map(({ status }) => status)).toEqual([401, 401]);
  });
});

describe("a sign-in", () => {
  test("works by address and by username, in any letter case", async () => {
    await service.client(routes.register, {
      body: { email: "Elena@brina.example", username: "elena.b", password: PASSWORD, deliver: "token" },
    });
    for (const name of ["elena@BRINA.example", "ELENA.B"])
      expect(await service.signIn(name)).toMatch(/^lcs_/);
  });

  test("PW-20 re-makes a record that is older than configured, once, and never at a wrong password", async () => {
    const { id } = await service.register("older@brina.example");
    const older = await makePasswordRecord(PASSWORD, "$scrypt$ln=4,r=8,p=1");
    await setRecord(id, older);
    await tryPassword("older@brina.example", "a wrong long password");
    expect(await recordOf(id)).toBe(older);
    await service.signIn("older@brina.example");
    const remade = await recordOf(id);
    expect(remade.startsWith(CHEAP_SCHEME)).toBe(true);
    expect(await lastEntry("password.record-remade")).toMatchObject({ accountId: id });
    await service.signIn("older@brina.example");
    expect(await recordOf(id)).toBe(remade);
  });

  test("PW-20 a password changed while the record was being re-made stays, and the old one gets nobody in", async () => {
    const { id } = await service.register("changed@brina.example");
    await setRecord(id, await makePasswordRecord(PASSWORD, "$scrypt$ln=4,r=8,p=1"));
    const changed = await makePasswordRecord("the new long password", CHEAP_SCHEME);
    // Held where the re-made record would be stored, the way a change of the password holds it.
    const runner = service.dataSource.createQueryRunner();
    await runner.startTransaction();
    await runner.query("SELECT * FROM password_record WHERE accountId = ? FOR UPDATE", [id]);
    const signingIn = tryPassword("changed@brina.example", PASSWORD);
    await eventually(() => waitsForALock(service.database), "the sign-in that waits for the record");
    const setAt = new Date(service.clock.now().getTime() + 1_000);
    await runner.query("UPDATE password_record SET record = ?, setAt = ? WHERE accountId = ?", [
      changed,
      setAt,
      id,
    ]);
    await runner.commitTransaction();
    await runner.release();
    expect((await signingIn).status).toBe(401);
    expect(await recordOf(id)).toBe(changed);
  });

  test("SE-2 always gives a new token; a planted one never becomes valid, and the browser's old session ends", async () => {
    await service.register("first@brina.example");
    await service.register("second@brina.example");
    const cookieName = `lucchetto-${new URL(service.url).port}`;
    const origin = { origin: service.url };
    const planted = `${cookieName}=lcs_${"A".repeat(43)}`;
    const first = await tryPassword("first@brina.example", PASSWORD, { ...origin, cookie: planted });
    const firstCookie = first.headers.get("set-cookie")?.split(";", 1)[0] ?? "";
    expect(firstCookie).not.toBe(planted);
    expect((await send(service, "GET", "/v1/session", { headers: { cookie: planted } })).status).toBe(401);
    expect((await send(service, "GET", "/v1/session", { headers: { cookie: firstCookie } })).status).toBe(
      200,
    );

    const second = await tryPassword("second@brina.example", PASSWORD, { ...origin, cookie: firstCookie });
    const secondCookie = second.headers.get("set-cookie")?.split(";", 1)[0] ?? "";
    expect((await send(service, "GET", "/v1/session", { headers: { cookie: firstCookie } })).status).toBe(
      401,
    );
    expect(
      (await send(service, "GET", "/v1/session", { headers: { cookie: secondCookie } })).json(),
    ).toMatchObject({
      account: { email: "second@brina.example" },
    });
  });

  test("with deliver token gives the token in the reply and sets no cookie", async () => {
    const { body, headers } = json({
      proof: { type: "password", identifier: "first@brina.example", password: PASSWORD },
      deliver: "token",
    });
    const reply = await send(service, "POST", "/v1/sign-in", { body, headers });
    expect(reply.headers.get("set-cookie")).toBeNull();
    expect(reply.json()).toMatchObject({ token: expect.stringMatching(/^lcs_/) });
  });
});

describe("hashing under load", () => {
  test("PW-24 never more hashes at once than configured; past the queue 503 with Retry-After; other calls are quick", async () => {
    const small = await startService({
      settings: {
        LUCCHETTO_PASSWORDS_HASHING_SCHEME: "$scrypt$ln=14,r=8,p=1",
        LUCCHETTO_PASSWORDS_HASHING_PARALLEL: "2",
        LUCCHETTO_PASSWORDS_HASHING_QUEUE: "3",
      },
    });
    try {
      const tryOne = (_: unknown, index: number) => {
        const identifier = `nobody${index}@brina.example`;
        return send(
          small,
          "POST",
          "/v1/sign-in",
          json({ proof: { type: "password", identifier, password: PASSWORD } }),
        );
      };
      let done = false;
      const replies = Promise.all(Array.from({ length: 60 }, tryOne)).finally(() => (done = true));
      const seen = new Set<number>();
      const metrics = async () => {
        const { text } = await send(small, "GET", "/metrics");
        return Number(/hashes\{state="running"\} (\d+)/.exec(text)?.[1]);
      };
      while (!done) seen.add(await metrics());
      const statuses = (await replies).map(({ status }) => status);
      expect(Math.max(...seen)).toBe(2);
      expect(new Set(statuses)).toEqual(new Set([401, 503]));
      const busy = (await replies).find(({ status }) => status === 503);
      expect(busy?.headers.get("retry-after")).toBe("1");
      expect(busy?.json()).toMatchObject({ code: "too-busy" });
      const [{ n }] = await small.dataSource.query("SELECT COUNT(*) AS n FROM journal_entry");
      expect(Number(n)).toBe(statuses.filter((status) => status === 401).length);
      expect(await metrics()).toBe(0);
    } finally {
      await small.stop();
    }
  });

  test("PW-24 nobody waits longer for a hash than is allowed", async () => {
    const dear = await startService({
      settings: {
        LUCCHETTO_PASSWORDS_HASHING_SCHEME: "$scrypt$ln=15,r=8,p=2",
        LUCCHETTO_PASSWORDS_HASHING_PARALLEL: "1",
        LUCCHETTO_PASSWORDS_HASHING_WAIT: "1s",
      },
    });
    try {
      const tryOne = (_: unknown, index: number) => {
        const proof = { type: "password", identifier: `nobody${index}@brina.example`, password: PASSWORD };
        return send(dear, "POST", "/v1/sign-in", json({ proof }));
      };
      const replies = await Promise.all(Array.from({ length: 20 }, tryOne));
      expect(new Set(replies.map(({ status }) => status))).toEqual(new Set([401, 503]));
      const busy = replies.find(({ status }) => status === 503);
      expect(busy?.headers.get("retry-after")).toBe("1");
      expect(busy?.json()).toMatchObject({ code: "too-busy" });
      // Whoever was sent away holds no place.
      expect((await tryOne(null, 0)).status).toBe(401);
    } finally {
      await dear.stop();
    }
  });

  test("SI-2 every refusal takes at least the measured time and a quarter, unknown names too", async () => {
    const slow = await startService({
      settings: { LUCCHETTO_PASSWORDS_HASHING_SCHEME: "$scrypt$ln=14,r=8,p=1" },
    });
    try {
      await slow.register("known@brina.example");
      const [, measured] = await eventually(() => /"millisecondsPerHash":([\d.]+)/.exec(slow.log()));
      expect(Number(measured)).toBeGreaterThan(1);
      for (const identifier of ["known@brina.example", "unknown@brina.example", "no name at all"]) {
        const started = performance.now();
        const proof = { type: "password", identifier, password: "a wrong long password" } as const;
        await expect(slow.client(routes.signIn, { body: { proof } })).rejects.toThrow(ProblemError);
        expect(performance.now() - started).toBeGreaterThanOrEqual(Number(measured) * 1.25 - 1);
      }
    } finally {
      await slow.stop();
    }
  });
});
