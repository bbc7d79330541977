import { randomBytes } from "node:crypto";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import { eventually } from "../../testing/eventually.ts";
import type { TestService } from "../../testing/service.ts";
import { json, PASSWORD, send, startService } from "../../testing/service.ts";

const MINUTE = 60_000;
const DAY = 24 * 60 * MINUTE;
/** Failures that one network may have; a hundred where nothing else is set, of which every try costs a test its time. */
const NETWORK_MOST = 30;
const settings = {
  LUCCHETTO_THROTTLE_FIRST_WAIT: "5s",
  LUCCHETTO_THROTTLE_LONGEST_WAIT: "15m",
  LUCCHETTO_TRUSTED_PROXIES: "[127.0.0.1]",
  LUCCHETTO_THROTTLE_NETWORK_MOST: String(NETWORK_MOST),
};
let service: TestService;
let beside: TestService;
beforeAll(async () => {
  service = await startService({ settings });
  beside = await startService({ beside: service, settings });
});
afterAll(async () => {
  await beside.stop();
  await service.stop();
});

let addresses = 0;
/** An address of its own for each try, unless the test is about addresses. */
const someAddress = () => {
  addresses += 1;
  return `10.${(addresses >> 16) & 255}.${(addresses >> 8) & 255}.${addresses & 255}`;
};
function attempt(
  identifier: string,
  password: string,
  { cookie, from = someAddress(), at = service }: { cookie?: string; from?: string; at?: TestService } = {},
) {
  const { body, headers } = json({ proof: { type: "password", identifier, password } });
  const extra = cookie === undefined ? {} : { cookie, origin: at.url };
  return send(at, "POST", "/v1/sign-in", {
    body,
    headers: { ...headers, "x-forwarded-for": from, ...extra },
  });
}
const wrong = (identifier: string, options: Parameters<typeof attempt>[2] = {}) =>
  attempt(identifier, "a wrong long password", options);
async function person(name: string) {
  const email = `${name}@brina.example`;
  const { body, headers } = json({ email, password: PASSWORD, deliver: "token" });
  const reply = await send(service, "POST", "/v1/accounts", {
    body,
    headers: { ...headers, "x-forwarded-for": someAddress() },
  });
  return { email, id: reply.json<{ account: { id: string } }>().account.id };
}
/** The device's mark, as a browser keeps it after a sign-in. */
async function knownDevice(email: string): Promise<string> {
  const reply = await attempt(email, PASSWORD);
  expect(reply.status).toBe(201);
  return (
    reply.headers
      .getSetCookie()
      .find((one) => one.includes("-device-"))
      ?.split(";", 1)[0] ?? ""
  );
}
const statuses = (replies: Array<{ status: number }>) => replies.map(({ status }) => status).sort();

describe("consecutive failures of one account", () => {
  test("TH-2 five are free, then waits never shrink and double up to the longest; a right password inside one is not checked", async () => {
    const { email } = await person("waits");
    for (let index = 0; index < 5; index += 1) expect((await wrong(email)).status).toBe(401);
    const waits: number[] = [];
    for (let index = 0; index < 10; index += 1) {
      const held = await attempt(email, PASSWORD);
      expect(held.status).toBe(429);
      expect(held.json()).toMatchObject({
        code: "throttled",
        detail: expect.stringMatching(/Wait \d+ (second|minute)/),
      });
      waits.push(Number(held.headers.get("retry-after")));
      await service.clock.advance((waits.at(-1) ?? 0) * 1_000);
      expect((await wrong(email)).status).toBe(401);
    }
    expect(waits.slice(0, 4)).toEqual([5, 10, 20, 40]);
    expect(waits.every((wait, index) => index === 0 || wait >= (waits[index - 1] ?? 0))).toBe(true);
    expect(waits.at(-1)).toBe(15 * 60);
    await service.clock.advance(15 * MINUTE);
    expect((await attempt(email, PASSWORD)).status).toBe(201);
    await service.clock.reset();
  });

  test("TH-2 TH-7 fifty at once over two instances: five are checked and counted, the rest answered 429 and not counted", async () => {
    const { email, id } = await person("parallel");
    const replies = await Promise.all(
      Array.from({ length: 50 }, (_, index) => wrong(email, { at: index % 2 === 0 ? service : beside })),
    );
    expect(statuses(replies)).toEqual([...Array(5).fill(401), ...Array(45).fill(429)]);
    const [row] = await service.dataSource.query("SELECT failures FROM throttle_count WHERE subject = ?", [
      id,
    ]);
    expect(row.failures).toBe(5);
    for (const at of [service, beside]) expect((await wrong(email, { at })).status).toBe(429);
  });

  test("TH-3 only a complete sign-in clears the count", async () => {
    const { email } = await person("clears");
    for (let round = 0; round < 2; round += 1) {
      for (let index = 0; index < 4; index += 1) expect((await wrong(email)).status).toBe(401);
      expect((await attempt(email, PASSWORD)).status).toBe(201);
    }
  });

  test("TH-1 ninety from strange devices and ten from known ones close the password; a release opens it again", async () => {
    const { email, id } = await person("closed");
    const cookie = await knownDevice(email);
    const failUntilClosed = async (options: () => Parameters<typeof attempt>[2]) => {
      let failed = 0;
      for (let index = 0; index < 200; index += 1) {
        await service.clock.advance(15 * MINUTE);
        if ((await wrong(email, options())).status !== 401) return failed;
        failed += 1;
      }
      return failed;
    };
    expect(await failUntilClosed(() => ({}))).toBe(90);
    await service.clock.advance(DAY);
    expect((await attempt(email, PASSWORD)).status).toBe(429);
    // TH-5: all budgets of one account together never pass a hundred.
    expect(await failUntilClosed(() => ({ cookie }))).toBe(10);
    await service.clock.advance(DAY);
    expect((await attempt(email, PASSWORD, { cookie })).status).toBe(429);

    const operator = service.as(await service.operator());
    const { body } = await operator(routes.listThrottle);
    const entries = body.items.filter(({ subject }) => subject === id);
    expect(
      entries
        .map(({ kind, state, failures }) => ({ kind, state, failures }))
        .sort((a, b) => a.failures - b.failures || b.kind.localeCompare(a.kind)),
    ).toEqual([
      { kind: "account-known", state: "closed", failures: 10 },
      { kind: "name", state: "closed", failures: 90 },
      { kind: "account-strange", state: "closed", failures: 90 },
    ]);
    // One release opens the account under all its names.
    const strange = entries.find(({ kind }) => kind === "account-strange");
    await operator(routes.releaseThrottle, { params: { id: strange?.id ?? "" } });
    expect((await attempt(email, PASSWORD)).status).toBe(201);
    const { body: journal } = await operator(routes.listJournal, {
      query: { kind: "throttle.released", accountId: id },
    });
    expect(journal.items).toHaveLength(1);
    await service.clock.reset();
  });
});

describe("known devices", () => {
  test("TH-4 a stranger's failures do not lock the owner out of a known device; without its mark the browser waits too", async () => {
    const { email } = await person("owner");
    const cookie = await knownDevice(email);
    for (let index = 0; index < 100; index += 1) await wrong(email);
    expect((await attempt(email, PASSWORD)).status).toBe(429);
    expect((await attempt(email, PASSWORD, { cookie })).status).toBe(201);
  });

  test("TH-5 a mark that was altered, made up, or is another account's, counts as strange; a mark alone is no session", async () => {
    const { email } = await person("marked");
    const other = await person("other");
    const cookie = await knownDevice(email);
    const foreign = await knownDevice(other.email);
    for (let index = 0; index < 6; index += 1) await wrong(email);
    const [name = "", mark = ""] = cookie.split("=");
    const madeUp = [
      `${mark.slice(0, -1)}${mark.endsWith("A") ? "B" : "A"}`,
      `lcd_${randomBytes(32).toString("base64url")}`,
      "x",
    ];
    for (const one of [...madeUp.map((text) => `${name}=${text}`), foreign]) {
      expect((await attempt(email, PASSWORD, { cookie: one })).status).toBe(429);
    }
    expect((await send(service, "GET", "/v1/session", { headers: { cookie } })).status).toBe(401);
    expect((await attempt(email, PASSWORD, { cookie })).status).toBe(201);
  });
});

describe("networks", () => {
  test("TH-6 a guess each on many accounts from one IPv4 address meets 429; other addresses go on", async () => {
    const from = "192.0.2.1";
    const replies = [];
    for (let index = 0; index < NETWORK_MOST + 10; index += 1)
      replies.push(await wrong(`many${index}@brina.example`, { from }));
    expect(replies.filter(({ status }) => status === 401)).toHaveLength(NETWORK_MOST);
    expect(replies.at(-1)?.status).toBe(429);
    expect((await wrong("mapped@brina.example", { from: "::ffff:192.0.2.1" })).status).toBe(429);
    expect((await wrong("other@brina.example", { from: "192.0.2.2" })).status).toBe(401);
    await service.clock.advance(15 * MINUTE);
    expect((await wrong("later@brina.example", { from })).status).toBe(401);
    await service.clock.reset();
  });

  test("TH-6 the addresses of one IPv6 /64 are one network, those of another are not", async () => {
    const replies = [];
    for (let index = 0; index < NETWORK_MOST + 10; index += 1) {
      replies.push(
        await wrong(`six${index}@brina.example`, { from: `2001:db8:1:2:${index.toString(16)}::1` }),
      );
    }
    expect(replies.at(-1)?.status).toBe(429);
    expect((await wrong("six@brina.example", { from: "2001:db8:1:3::1" })).status).toBe(401);
  });

  test("TH-6 whatever a proxy writes, a network is limited: with ports, and where nothing can be read", async () => {
    const portOf = (index: number) => 1_024 + index;
    for (const [from, another] of [
      [(index: number) => `203.0.113.20:${portOf(index)}`, "203.0.113.21:1024"],
      [
        (index: number) => `198.51.100.${index}, [2001:db8:9::${index}]:${portOf(index)}`,
        "[2001:db8:8::1]:9",
      ],
      // Nobody's address is everybody's: they are one.
      [
        (index: number) => ["unknown", `_hidden${index}`, `evil${index}.example`][index % 3] ?? "",
        "203.0.113.22",
      ],
    ] as const) {
      const replies = [];
      for (let index = 0; index < NETWORK_MOST + 10; index += 1)
        replies.push(await wrong(`${another}-${index}@brina.example`, { from: from(index) }));
      expect(statuses(replies).filter((status) => status === 429)).toHaveLength(10);
      expect((await wrong("elsewhere@brina.example", { from: another })).status).toBe(401);
    }
    // Every limit of networks: challenges for passkeys (S4), registrations, mails.
    const { dataSource } = service;
    const count = async () =>
      (await dataSource.query("SELECT DISTINCT kind FROM throttle_count WHERE subject = 'unreadable'"))
        .length;
    const call = (path: string, value: unknown) => {
      const { body, headers } = json(value);
      return send(service, "POST", path, { body, headers: { ...headers, "x-forwarded-for": "unknown" } });
    };
    await call("/v1/passkey-challenges", { purpose: "sign-in" });
    await call("/v1/accounts", { email: "unreadable@brina.example", password: PASSWORD });
    await call("/v1/mail-links", { purpose: "reset", identifier: "unreadable@brina.example" });
    expect(await count()).toBe(4);
  });

  test("TH-6 without a configured proxy the header counts for nothing", async () => {
    const plain = await startService({ settings: { LUCCHETTO_THROTTLE_NETWORK_MOST: "10" } });
    try {
      const replies = [];
      for (let index = 0; index < 12; index += 1)
        replies.push(await wrong(`plain${index}@brina.example`, { at: plain }));
      expect(statuses(replies)).toEqual([...Array(10).fill(401), 429, 429]);
    } finally {
      await plain.stop();
    }
  });

  test("right passwords are no failures: a busy office is not held back", async () => {
    const { email } = await person("office-worker");
    for (let index = 0; index < NETWORK_MOST + 10; index += 1) {
      expect((await attempt(email, PASSWORD, { from: "198.51.100.7" })).status).toBe(201);
    }
  });

  test("many complete sign-ins at once need no more connections than there are", async () => {
    const narrow = await startService({
      settings: { LUCCHETTO_DATABASE_CONNECTIONS: "2", LUCCHETTO_PASSWORDS_HASHING_PARALLEL: "16" },
    });
    try {
      const names = Array.from({ length: 16 }, (_, index) => `narrow${index}@brina.example`);
      for (const name of names) await narrow.register(name);
      const tokens = await Promise.all(names.map((name) => narrow.signIn(name)));
      expect(new Set(tokens).size).toBe(16);
      const [row] = await narrow.dataSource.query(
        "SELECT failures FROM throttle_count WHERE kind = 'network'",
      );
      expect(row.failures).toBe(0);
    } finally {
      await narrow.stop();
    }
  });

  test("registering is limited for each network", async () => {
    const few = await startService({ settings: { LUCCHETTO_THROTTLE_REGISTRATIONS_MOST: "3" } });
    try {
      const codes = [];
      for (let index = 0; index < 4; index += 1) {
        codes.push(
          (
            await send(
              few,
              "POST",
              "/v1/accounts",
              json({ email: `r${index}@brina.example`, password: PASSWORD }),
            )
          ).status,
        );
      }
      expect(codes).toEqual([201, 201, 201, 429]);
    } finally {
      await few.stop();
    }
  });
});

describe("what is told and kept", () => {
  test("TH-9 a known and an unknown name are answered alike, and waiting exactly Retry-After is enough", async () => {
    const { email } = await person("known");
    const replies = [];
    for (const name of [email, "unknown@brina.example"]) {
      for (let index = 0; index < 5; index += 1) await wrong(name);
      replies.push(await wrong(name));
    }
    const visible = replies.map(({ status, text, headers }) => ({
      status,
      text: text.replace(/"requestId":"[^"]+"/, ""),
      headers: [...headers].filter(([name]) => !["date", "x-request-id"].includes(name)),
    }));
    expect(visible[0]).toEqual(visible[1]);
    expect(visible[0]?.status).toBe(429);
    await service.clock.advance(Number(replies[0]?.headers.get("retry-after")) * 1_000);
    expect((await attempt(email, PASSWORD)).status).toBe(201);
    await service.clock.reset();
  });

  test("JO-4 of a name that nobody has, only a keyed hash is kept", async () => {
    const typed = "my password in the name field";
    for (let index = 0; index < 3; index += 1) await wrong(typed);
    const rows = await service.dataSource.query(
      "SELECT HEX(id) AS id, kind, subject FROM throttle_count WHERE kind = 'name' AND subject IS NULL",
    );
    expect(rows.length).toBeGreaterThan(0);
    expect(JSON.stringify(rows)).not.toContain(typed);
  });

  test("TH-10 counts of invented names and networks are swept when their window has passed; those of accounts stay", async () => {
    const { sweepCounts } = await import("../src/records/throttle/store.ts");
    const { id, email } = await person("stays");
    await wrong(email);
    const values = Array.from(
      { length: 2_500 },
      () => `(X'${randomBytes(32).toString("hex")}', 'name', NULL, 1, NOW(3), NOW(3), NOW(3))`,
    );
    await service.dataSource.query(`INSERT INTO throttle_count VALUES ${values.join(",")}`);
    let swept = 0;
    for (let round = 0; round < 10; round += 1)
      swept += await sweepCounts(service.dataSource, new Date(Date.now() + 400 * DAY));
    expect(swept).toBeGreaterThanOrEqual(2_500);
    const left = await service.dataSource.query(
      "SELECT kind, subject FROM throttle_count WHERE kind NOT LIKE 'account-%'",
    );
    expect(left).toEqual([]);
    expect(
      await service.dataSource.query("SELECT failures FROM throttle_count WHERE subject = ?", [id]),
    ).toEqual([{ failures: 1 }]);
  });

  test("A20 what was refused for tries is in the journal: the first of a window at once, the others counted", async () => {
    const { email, id } = await person("refused");
    for (let tries = 0; tries < 5; tries += 1) await wrong(email);
    for (let tries = 0; tries < 7; tries += 1) expect((await wrong(email)).status).toBe(429);
    const noted = () =>
      service.dataSource.query<Array<{ reason: string; outcome: string }>>(
        "SELECT reason, outcome FROM journal_entry WHERE accountId = ? AND kind = 'throttle.refused' ORDER BY id",
        [id],
      );
    await eventually(async () => (await noted()).length > 0);
    expect(await noted()).toEqual([{ reason: "name", outcome: "refused" }]);
    // The next one, in another window, says how many there were.
    await service.clock.advance(16 * MINUTE);
    for (let tries = 0; tries < 2; tries += 1) await wrong(email);
    await eventually(async () => (await noted()).length > 1);
    expect((await noted())[1]?.reason).toBe("name, 6 more before");
    await service.clock.reset();
  });

  test("operators alone see and release what is held back", async () => {
    const operator = await service.operator();
    const { token } = await service.register("nosy@brina.example");
    expect(
      (await send(service, "GET", "/v1/operator/throttle", { headers: { authorization: `Bearer ${token}` } }))
        .status,
    ).toBe(403);
    const missing = `/v1/operator/throttle/${"0".repeat(64)}`;
    expect(
      (await send(service, "DELETE", missing, { headers: { authorization: `Bearer ${operator}` } })).status,
    ).toBe(404);
  });
});
