import { randomBytes } from "node:crypto";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import { fromModularCrypt, makePasswordRecord } from "@lucchetto/core";
import { bcrypt } from "hash-wasm";
import type { TestService } from "../../testing/service.ts";
import { CHEAP_SCHEME, json, PASSWORD, send, startService } from "../../testing/service.ts";

const DAY = 86_400_000;
const CHEAP_ARGON2ID = "$argon2id$v=19$m=256,t=1,p=1";

let service: TestService;
beforeAll(async () => {
  service = await startService();
});
afterAll(() => service.stop());

async function recordOf(id: string): Promise<{ record: string; scheme: string }> {
  const [row] = await service.dataSource.query(
    "SELECT record, scheme FROM password_record WHERE accountId = ?",
    [id],
  );
  return row;
}

async function putRecord(id: string, record: string): Promise<void> {
  const scheme = record.split("$").slice(0, -2).join("$");
  await service.dataSource.query("UPDATE password_record SET record = ?, scheme = ? WHERE accountId = ?", [
    record,
    scheme,
    id,
  ]);
}

function tryPassword(at: TestService, identifier: string, password: string) {
  const { body, headers } = json({ proof: { type: "password", identifier, password }, deliver: "token" });
  return send(at, "POST", "/v1/sign-in", { body, headers });
}

describe("imported records", () => {
  test("PW-8 bcrypt: the whole password gets in and the record is re-made; one byte more than 72 does not", async () => {
    const { id } = await service.register("ida@brina.example");
    const whole = "a long password of seventy-two bytes ".padEnd(72, "x");
    const custom = await bcrypt({
      password: whole,
      salt: randomBytes(16),
      costFactor: 6,
      outputType: "encoded",
    });
    await putRecord(id, fromModularCrypt(custom) ?? "");
    expect((await tryPassword(service, "ida@brina.example", `${whole}x`)).status).toBe(401);
    expect((await recordOf(id)).scheme).toBe("$bcrypt-2a$cost=6");
    expect((await tryPassword(service, "ida@brina.example", whole)).status).toBe(201);
    expect((await recordOf(id)).scheme).toBe(CHEAP_SCHEME);
    expect((await tryPassword(service, "ida@brina.example", whole)).status).toBe(201);
  });

  test("SI-2 a password that is tried in both spellings takes as long for names that nobody has", async () => {
    const dear = await startService({
      settings: { LUCCHETTO_PASSWORDS_HASHING_SCHEME: "$scrypt$ln=14,r=8,p=1" },
    });
    try {
      const started = performance.now();
      expect((await tryPassword(dear, "nobody@brina.example", "cafe\u0301 on the ridge")).status).toBe(401);
      const took = performance.now() - started;
      const [, milliseconds = ""] = /"millisecondsPerHash":([\d.]+)/.exec(dear.log()) ?? [];
      expect(Number(milliseconds)).toBeGreaterThan(0);
      expect(took).toBeGreaterThanOrEqual(2 * 1.25 * Number(milliseconds) - 1);
    } finally {
      await dear.stop();
    }
  });

  test("SI-2 a record that costs more than the floor of refusals is journalled at the first one", async () => {
    const { id } = await service.register("dear@brina.example");
    await putRecord(id, await makePasswordRecord(PASSWORD, "$pbkdf2-sha512$i=400000"));
    expect((await tryPassword(service, "dear@brina.example", "a wrong long password")).status).toBe(401);
    const entries = await service.dataSource.query(
      "SELECT reason FROM journal_entry WHERE accountId = ? AND kind = 'password.record-dearer'",
      [id],
    );
    expect(entries).toEqual([{ reason: "$pbkdf2-sha512$i=400000" }]);
  });

  test.each(["$pbkdf2-sha256$i=2000", "$pbkdf2-sha512$i=2000", CHEAP_ARGON2ID])(
    "PW-20 %s signs in once and is re-made",
    async (scheme) => {
      const email = `${scheme.split("$")[1]}@brina.example`;
      const { id } = await service.register(email);
      await putRecord(id, await makePasswordRecord(PASSWORD, scheme));
      expect((await tryPassword(service, email, "a wrong long password")).status).toBe(401);
      expect((await tryPassword(service, email, PASSWORD)).status).toBe(201);
      expect((await recordOf(id)).record.startsWith(`${CHEAP_SCHEME}$`)).toBe(true);
    },
  );

  test("PW-23 argon2id with 4 GiB or bcrypt with cost 31 in a row is never computed", async () => {
    const { id } = await service.register("absurd@brina.example");
    const before = process.memoryUsage().rss;
    for (const record of [
      "$argon2id$v=19$m=4194304,t=2,p=1$c2FsdHNhbHRzYWx0$aGFzaGhhc2hoYXNoaGFzaA",
      "$bcrypt-2b$cost=31$c2FsdHNhbHRzYWx0c2FsdA$aGFzaGhhc2hoYXNoaGFzaGhhc2hoYXM",
    ]) {
      await putRecord(id, record);
      expect((await tryPassword(service, "absurd@brina.example", PASSWORD)).status).toBe(401);
    }
    expect(process.memoryUsage().rss - before).toBeLessThan(100 * 2 ** 20);
  });
});

describe("a service that makes argon2id records", () => {
  test("PW-24 hashes off the event loop: health answers while forty people sign in", async () => {
    const argon = await startService({
      beside: service,
      settings: {
        LUCCHETTO_PASSWORDS_HASHING_SCHEME: "$argon2id$v=19$m=8192,t=2,p=1",
        LUCCHETTO_PASSWORDS_HASHING_PARALLEL: "2",
      },
    });
    try {
      const { id } = await argon.register("argon@brina.example");
      expect((await recordOf(id)).record).toMatch(/^\$argon2id\$v=19\$m=8192,t=2,p=1\$/);
      const before = process.memoryUsage().rss;
      const signingIn = Promise.all(
        Array.from({ length: 40 }, () => tryPassword(argon, "argon@brina.example", PASSWORD)),
      );
      expect((await send(argon, "GET", "/healthz")).status).toBe(200);
      const metrics = (await send(argon, "GET", "/metrics")).text;
      expect(metrics).toMatch(/lucchetto_password_hash_wait_seconds_count \d/);
      expect(new Set((await signingIn).map(({ status }) => status)).has(500)).toBe(false);
      expect(process.memoryUsage().rss - before).toBeLessThan(200 * 2 ** 20);
    } finally {
      await argon.stop();
    }
  });
});

describe("pepper", () => {
  test("PW-21 switched on later, rotated, and its key lost: nobody's sign-in breaks before", async () => {
    const [k1, k2] = [0, 1].map(() => randomBytes(32).toString("base64url"));
    const start = (keys: object, pepper: string) =>
      startService({ beside: service, keys, settings: { LUCCHETTO_PASSWORDS_PEPPER: pepper } });
    const instances: TestService[] = [];
    const bring = async (keys: object, pepper = "on") => {
      const instance = await start(keys, pepper);
      instances.push(instance);
      return instance;
    };
    try {
      const { id } = await service.register("pia@brina.example");
      const { id: sleeper } = await service.register("sleeper@brina.example");
      const first = await bring({ current: "k1", keys: { k1 } });
      for (const email of ["pia@brina.example", "sleeper@brina.example"])
        expect((await tryPassword(first, email, PASSWORD)).status).toBe(201);
      expect((await recordOf(id)).scheme).toBe(`${CHEAP_SCHEME},pepper=k1`);

      // k2 is there and current: the record under k1 still signs in, and is re-made under k2.
      const second = await bring({ current: "k2", keys: { k1, k2 } });
      expect((await tryPassword(second, "pia@brina.example", "a wrong long password")).status).toBe(401);
      expect((await tryPassword(second, "pia@brina.example", PASSWORD)).status).toBe(201);
      expect((await recordOf(id)).scheme).toBe(`${CHEAP_SCHEME},pepper=k2`);

      // k1 is gone: whoever is still under it gets the same refusal, and the journal says why.
      const third = await bring({ current: "k2", keys: { k2 } });
      const refused = await tryPassword(third, "sleeper@brina.example", PASSWORD);
      const unknown = await tryPassword(third, "nobody@brina.example", PASSWORD);
      const visible = ({ status, text }: typeof refused) => ({
        status,
        text: text.replace(/"requestId":"[^"]+"/, ""),
      });
      expect(visible(refused)).toEqual(visible(unknown));
      const [entry] = await service.dataSource.query(
        "SELECT reason FROM journal_entry WHERE accountId = ? AND kind = 'sign-in.refused'",
        [sleeper],
      );
      expect(entry).toEqual({ reason: "pepper-key-missing k1" });
      expect((await tryPassword(third, "pia@brina.example", PASSWORD)).status).toBe(201);

      // Switched off again: nobody is locked out, and the record is re-made without.
      const fourth = await bring({ current: "k2", keys: { k2 } }, "off");
      expect((await tryPassword(fourth, "pia@brina.example", PASSWORD)).status).toBe(201);
      expect((await recordOf(id)).scheme).toBe(CHEAP_SCHEME);
    } finally {
      for (const instance of instances) await instance.stop();
    }
  });
});

describe("the hash fleet", () => {
  test("counts each scheme now and day by day, and finds who has not signed in since", async () => {
    await service.operator();
    const { id } = await service.register("quiet@brina.example");
    await putRecord(id, await makePasswordRecord(PASSWORD, "$scrypt$ln=4,r=8,p=1"));
    await service.clock.advance(DAY);
    const quiet = await service.signIn("office@brina.example");
    const { body: before } = await service.as(quiet)(routes.showHashFleet);
    expect(before.configured).toBe(CHEAP_SCHEME);
    expect(before.schemes.find(({ scheme }) => scheme === "$scrypt$ln=4,r=8,p=1")).toMatchObject({
      records: 1,
      current: false,
      belowFloor: true,
      algorithm: "scrypt",
    });
    expect(before.total).toBe(before.current + before.older);
    const { body: listed } = await service.as(quiet)(routes.listAccounts, { query: { scheme: "older" } });
    expect(listed.items.map((one) => one.email)).toContain("quiet@brina.example");
    const { body: exact } = await service.as(quiet)(routes.listAccounts, {
      query: { scheme: "$scrypt$ln=4,r=8,p=1" },
    });
    expect(exact.items).toHaveLength(1);
    expect(exact.items[0]).toMatchObject({ scheme: "$scrypt$ln=4,r=8,p=1", email: "quiet@brina.example" });

    await service.signIn("quiet@brina.example");
    await service.clock.advance(DAY);
    const later = await service.signIn("office@brina.example");
    const { body: after } = await service.as(later)(routes.showHashFleet);
    expect(after.schemes.some(({ scheme }) => scheme === "$scrypt$ln=4,r=8,p=1")).toBe(false);
    const counted = after.days.map(({ counts }) =>
      counts.some(({ scheme }) => scheme === "$scrypt$ln=4,r=8,p=1"),
    );
    expect(after.days.length).toBeGreaterThanOrEqual(3);
    expect(counted.at(-1)).toBe(false);
    expect(counted).toContain(true);
  });
});
