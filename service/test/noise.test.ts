/** Noise costs whoever makes it: whatever hashes is counted first, places are given in turn, and one's own calls have limits. */
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import type { TestService } from "../../testing/service.ts";
import { json, PASSWORD, send, startService } from "../../testing/service.ts";
import { mailTo, secretOf, Visitor } from "../../testing/visitor.ts";

const QUEUE = 40;
/** What a flood may have hashed in ten minutes, for one account or one link. */
const MOST = 30;
const NEW = "another good long password";

let service: TestService;
beforeAll(async () => {
  service = await startService({
    settings: {
      LUCCHETTO_TRUSTED_PROXIES: "[127.0.0.1]",
      LUCCHETTO_PASSWORDS_HASHING_SCHEME: "$scrypt$ln=13,r=8,p=1",
      LUCCHETTO_PASSWORDS_HASHING_PARALLEL: "1",
      LUCCHETTO_PASSWORDS_HASHING_QUEUE: String(QUEUE),
    },
  });
});
afterAll(() => service.stop());

const many = <Made>(count: number, make: (index: number) => Promise<Made>): Promise<Made[]> =>
  Promise.all(Array.from({ length: count }, (_, index) => make(index)));
const statusesOf = (replies: ReadonlyArray<{ status: number }>) => replies.map(({ status }) => status);
/** How many hashes have been computed, or are. */
async function hashed(): Promise<number> {
  const { text } = await send(service, "GET", "/metrics");
  return Number(/^lucchetto_password_hash_wait_seconds_count (\d+)/m.exec(text)?.[1]);
}
function signIn(identifier: string, from: string, password = PASSWORD) {
  const { body, headers } = json({ proof: { type: "password", identifier, password }, deliver: "token" });
  return send(service, "POST", "/v1/sign-in", { body, headers: { ...headers, "x-forwarded-for": from } });
}

describe("RY-6 hashing is bounded by whoever causes it", () => {
  test("S2 new passwords of one account, all at once: thirty are computed, and others sign in beside them", async () => {
    const { token } = await service.register("flood@brina.example");
    await service.register("anna@brina.example");
    const { body, headers } = json({ password: NEW });
    const authorization = `Bearer ${token}`;
    const before = await hashed();
    const flood = many(60, () =>
      send(service, "POST", "/v1/account/password", { body, headers: { ...headers, authorization } }),
    );
    const others = await many(3, (index) => signIn("anna@brina.example", `198.51.100.${index}`));
    expect(statusesOf(others)).toEqual([201, 201, 201]);
    const statuses = statusesOf(await flood);
    // The first one replaces the token.
    expect(statuses.filter((status) => status === 200)).toHaveLength(1);
    expect(statuses.every((status) => [200, 401, 429].includes(status))).toBe(true);
    expect((await hashed()) - before).toBeLessThanOrEqual(MOST + others.length);
    expect(statuses.filter((status) => status >= 500)).toEqual([]);
  });

  test("S2 invented names from one network fill no line but their own, and what is sent away stays counted", async () => {
    await service.register("bice@brina.example");
    const flooder = "203.0.113.9";
    const flood = many(60, (index) => signIn(`nobody${index}`, flooder));
    const others = await many(5, (index) => signIn("bice@brina.example", `198.51.101.${index}`));
    expect(statusesOf(others)).toEqual([201, 201, 201, 201, 201]);
    const told = statusesOf(await flood);
    expect(new Set(told).size).toBeGreaterThan(1);
    expect([401, 429, 503]).toEqual(expect.arrayContaining([...new Set(told)]));
    const counted = "SELECT failures FROM throttle_count WHERE kind = 'network' AND subject = ?";
    expect(await service.dataSource.query(counted, [flooder])).toEqual([{ failures: 60 }]);
  });

  test("S2 one link, many new passwords at once: thirty are computed, one counts", async () => {
    const email = "carla@brina.example";
    await service.register(email);
    const browser = new Visitor(service);
    await browser.post("/v1/mail-links", { purpose: "reset", identifier: email });
    const secret = secretOf(await mailTo(service, email, "reset"));
    const replies = await many(40, () => browser.post("/v1/mail-links/redeem", { secret, password: NEW }));
    const statuses = statusesOf(replies);
    expect(statuses.filter((status) => status === 200)).toHaveLength(1);
    expect(statuses.filter((status) => status === 429).length).toBeGreaterThanOrEqual(40 - MOST);
    expect(statuses.filter((status) => status >= 500)).toEqual([]);
  });

  test("S2 wanted new passwords at once are tries of the sign-in: five are computed", async () => {
    const email = "dora@brina.example";
    const { id } = await service.register(email);
    await service.dataSource.query(
      "UPDATE account SET mustChangePassword = 1, firstPasswordUntil = ? WHERE id = ?",
      [new Date(service.clock.now().getTime() + 86_400_000), id],
    );
    const browser = new Visitor(service);
    const begun = await browser.post("/v1/sign-in", {
      proof: { type: "password", identifier: email, password: PASSWORD },
    });
    expect(begun.json()).toMatchObject({ wanted: ["new-password"] });
    const proof = { type: "new-password", password: NEW };
    const replies = await many(30, () => browser.post("/v1/sign-in/proof", { proof }));
    const statuses = statusesOf(replies);
    expect(statuses.filter((status) => status === 201)).toHaveLength(1);
    expect(statuses.filter((status) => status >= 500)).toEqual([]);
    const lapsed = replies.filter((reply) => reply.json<{ code?: string }>().code === "sign-in-lapsed");
    expect(lapsed.length).toBeGreaterThanOrEqual(25);
  });
});

describe("one's own calls have limits", () => {
  test.each([
    ["S7 details", 60, { method: "PATCH", path: "/v1/account", body: { displayName: "Somebody" } }],
    ["S12 copies of one's data", 20, { method: "GET", path: "/v1/account/data", body: undefined }],
    ["access keys", 60, { method: "POST", path: "/v1/account/access-keys", body: { name: "Key" } }],
  ])("%s: %i an hour, then 429 with Retry-After", async (what, most, { method, path, body }) => {
    const { token } = await service.register(`limits${what.length}@brina.example`);
    const call = () =>
      send(service, method, path, {
        ...(body === undefined ? {} : json(body)),
        headers: {
          authorization: `Bearer ${token}`,
          ...(body === undefined ? {} : { "content-type": "application/json" }),
        },
      });
    const replies = await many(most + 5, call);
    const refused = replies.filter(({ status }) => status === 429);
    expect(refused.length).toBe(5);
    expect(Number(refused[0]?.headers.get("retry-after"))).toBeGreaterThan(3_000);
    await service.clock.advance(3_600_000);
    const { status } = await call();
    // A proof that fresh is an hour old by now.
    expect(status === 429).toBe(false);
    await service.clock.reset();
  });
});
