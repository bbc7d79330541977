/** Questions of many requests travel together, and no answer is older than its question. */
import type { Server, ServerResponse } from "node:http";
import { createServer } from "node:http";
import type { AddressInfo } from "node:net";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { activeIntrospection, introspection, routes } from "@lucchetto/contract";
import { hashToken } from "@lucchetto/core";
import fc from "fast-check";
import { eventually } from "../../testing/eventually.ts";
import { registerApp } from "../../testing/sample-app.ts";
import type { TestService } from "../../testing/service.ts";
import { json, send } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";
import { joinChecks, readChecks } from "../src/checks.ts";
import { createLucchetto } from "../src/lucchetto.ts";
import { readOptions } from "../src/options.ts";
import { LucchettoUnreachable } from "../src/service.ts";

const ACTIVE = {
  active: true,
  sub: "0190b6a2-0000-7000-8000-000000000001",
  reference: null,
  username: "anna",
  email: null,
  email_verified: false,
  name: "Anna",
  labels: ["keeper"],
  sid: "0190b6a2-0000-7000-8000-000000000002",
  iat: 1_700_000_000,
  auth_time: 1_700_000_000,
  exp: 1_700_003_600,
  checked_at: 1_700_000_001,
  acr: "aal1",
  amr: ["pwd"],
  client_id: "huts",
  token_type: "Bearer",
  iss: "http://localhost:8420",
} as const;

const tokenOf = (name: string | number) => `lck_${String(name).padStart(43, "A")}`;
/** After everything that waits for this turn of the event loop. */
const nextTurn = () => new Promise((resolve) => setImmediate(() => setImmediate(resolve)));

describe("questions that wait", () => {
  /** Asks that are answered by hand. */
  function byHand() {
    const asked: Array<{ tokens: readonly string[]; timeout: number; answer: () => void; fail: () => void }> =
      [];
    const check = joinChecks(
      (tokens, timeout) =>
        new Promise((resolve, reject) => {
          const answer = () => resolve(tokens.map((token) => ({ ...ACTIVE, name: token }) as never));
          asked.push({ tokens, timeout, answer, fail: () => reject(new Error("gone")) });
        }),
      5_000,
    );
    return { asked, check };
  }

  test("those of one turn travel together, two at most are under way, and identical ones are asked once", async () => {
    const { asked, check } = byHand();
    const first = [check("a"), check("b"), check("a")];
    await nextTurn();
    expect(asked.map(({ tokens }) => tokens)).toEqual([["a", "b"]]);
    const second = check("a");
    await nextTurn();
    expect(asked.map(({ tokens }) => tokens)).toEqual([["a", "b"], ["a"]]);
    const third = Promise.all([..."cdcecd"].map(check));
    await nextTurn();
    expect(asked).toHaveLength(2);
    // One that is late keeps nobody waiting but those that travel with it.
    asked[1]?.answer();
    expect(await second).toMatchObject({ name: "a" });
    await nextTurn();
    expect(asked[2]?.tokens).toEqual(["c", "d", "e"]);
    asked[2]?.answer();
    expect((await third).map((who) => who?.name)).toEqual([..."cdcecd"]);
    asked[0]?.fail();
    expect((await Promise.allSettled(first)).map(({ status }) => status)).toEqual(Array(3).fill("rejected"));
  });

  test("more than a hundred are asked in turns, and nobody waits past the time of whoever waited longest", async () => {
    const { asked, check } = byHand();
    const all = Promise.all(Array.from({ length: 250 }, (_, index) => check(String(index))));
    await nextTurn();
    await nextTurn();
    expect(asked.map(({ tokens }) => tokens.length)).toEqual([100, 100]);
    asked[0]?.answer();
    await nextTurn();
    expect(asked[2]?.tokens).toHaveLength(50);
    for (const { timeout } of asked) expect(timeout).toBeLessThanOrEqual(5_000);
    asked[1]?.answer();
    asked[2]?.answer();
    expect((await all).map((who) => who?.name)).toEqual(
      Array.from({ length: 250 }, (_, index) => String(index)),
    );
  });
});

test("HA-3 what is read by hand is exactly what the contract's schema takes", () => {
  const wrong = fc.oneof(
    fc.constant(undefined),
    fc.constant(null),
    fc.integer(),
    fc.double(),
    fc.string(),
    fc.boolean(),
    fc.array(fc.oneof(fc.string(), fc.integer())),
    fc.constant({}),
  );
  const changed = fc
    .array(fc.tuple(fc.constantFrom(...Object.keys(activeIntrospection.shape), "key_id", "more"), wrong), {
      maxLength: 3,
    })
    .map((changes) => ({ ...ACTIVE, ...Object.fromEntries(changes) }));
  fc.assert(
    fc.property(fc.oneof(changed, fc.jsonValue()), (item) => {
      const text = JSON.stringify({ items: [item] });
      const parsed = introspection.safeParse((JSON.parse(text) as { items: unknown[] }).items[0]);
      const read = readChecks(text, 1);
      expect(read === null ? null : read.map((who) => who !== null)).toEqual(
        parsed.success ? [parsed.data.active] : null,
      );
    }),
    { numRuns: 2_000 },
  );
  for (const text of ["", "[]", "null", '{"items":{}}', '{"items":[]}', '{"items":[{"active":false}'])
    expect(readChecks(text, 1)).toBeNull();
});

describe("a service that lacks the call", () => {
  let server: Server;
  const asked: string[] = [];
  let answer: (path: string, response: ServerResponse) => void;
  beforeAll(async () => {
    server = createServer((request, response) => {
      asked.push(request.url ?? "");
      request.resume().on("end", () => answer(request.url ?? "", response));
    });
    await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", () => resolve()));
  });
  afterAll(async () => {
    server.closeAllConnections();
    await new Promise((resolve) => server.close(resolve));
  });
  const lucchettoAt = (path = "") =>
    createLucchetto(
      readOptions({
        service: `http://127.0.0.1:${(server.address() as AddressInfo).port}${path}`,
        clientId: "huts",
        appKey: `lcp_${"k".repeat(43)}`,
        returnAddress: "http://localhost/signed-in",
      }),
    );

  test("is asked by plain introspection, without trying again each time", async () => {
    answer = (path, response) => {
      if (!path.endsWith("/oauth/introspect")) return response.writeHead(404).end("{}");
      response.writeHead(200, { "content-type": "application/json" }).end(JSON.stringify(ACTIVE));
    };
    const lucchetto = lucchettoAt("/below");
    expect(await lucchetto.introspect(tokenOf(1))).toMatchObject({ sub: ACTIVE.sub });
    expect(
      await Promise.all([lucchetto.introspect(tokenOf(2)), lucchetto.introspect(tokenOf(3))]),
    ).toHaveLength(2);
    expect(asked).toEqual(["/below/v1/checks", ...Array(3).fill("/below/oauth/introspect")]);
  });

  test("a kept connection that the other side closed as it was used is no reason to refuse anybody", async () => {
    let closes = true;
    answer = (_path, response) => {
      if (closes && asked.length > 1) {
        closes = false;
        return response.destroy();
      }
      response
        .writeHead(200, { "content-type": "application/json" })
        .end(JSON.stringify({ items: [{ active: false }] }));
    };
    asked.length = 0;
    const lucchetto = lucchettoAt();
    expect(await lucchetto.introspect(tokenOf(1))).toBeNull();
    expect(await lucchetto.introspect(tokenOf(1))).toBeNull();
    expect(asked).toHaveLength(3);
    // On a fresh connection that is an answer that never came.
    closes = true;
    await expect(lucchettoAt().introspect(tokenOf(1))).rejects.toBeInstanceOf(LucchettoUnreachable);
  });
});

describe("the service's own answers", () => {
  let service: TestService;
  let other: TestService;
  let app: Awaited<ReturnType<typeof registerApp>>;
  beforeAll(async () => {
    service = await startShipped();
    other = await startShipped({ beside: service });
    app = await registerApp(service, 8421);
  });
  afterAll(async () => {
    await other.stop();
    await service.stop();
  });

  const lucchettoAt = (one: TestService) =>
    createLucchetto(
      readOptions({ ...app, service: one.url, returnAddress: "http://localhost:8421/signed-in" }),
    );
  let made = 0;
  /** A session of somebody with a check token of the app. */
  async function visitor(name: string) {
    const email = `${name}@brina.example`;
    const { id, token } = await service.register(email);
    const { body } = await service.as(token)(routes.showSession);
    const checkToken = tokenOf((made += 1));
    await service.dataSource.query(
      `INSERT INTO check_token (tokenHash, codeHash, appId, sessionId, createdAt)
       SELECT ?, ?, app.id, ?, UTC_TIMESTAMP(3) FROM app WHERE clientId = ?`,
      [hashToken("check-token", checkToken), Buffer.alloc(32, made), body.session.id, app.clientId],
    );
    return { id, token, checkToken };
  }
  const authorization = () => `Basic ${Buffer.from(`${app.clientId}:${app.appKey}`).toString("base64")}`;
  const ask = (tokens: unknown, headers: Record<string, string> = { authorization: authorization() }) =>
    send(service, "POST", "/v1/checks", {
      ...json({ tokens }),
      headers: { "content-type": "application/json", ...headers },
    });

  test("OA-5 are the same by the quick way and by the usual one, in the order asked", async () => {
    const anna = await visitor("anna");
    const bruno = await visitor("bruno");
    const { body: key } = await service.as(anna.token)(routes.makeAccessKey, { body: { name: "backup" } });
    await service.as(bruno.token)(routes.signOut);
    const tokens = [bruno.checkToken, anna.checkToken, tokenOf("nobodys"), anna.checkToken];
    const quick = (await ask(tokens)).json<{ items: object[] }>().items;
    const usual = (await ask([...tokens, "lck_short", key.key, anna.token])).json<{ items: object[] }>()
      .items;
    expect(usual.slice(0, 4)).toEqual(
      quick.map((one) => ("checked_at" in one ? { ...one, checked_at: expect.any(Number) } : one)),
    );
    expect(quick).toMatchObject([{ active: false }, { sub: anna.id }, { active: false }, { sub: anna.id }]);
    expect(quick[1]).toEqual({
      ...(await send(service, "POST", "/oauth/introspect", {
        body: `token=${anna.checkToken}`,
        headers: { authorization: authorization(), "content-type": "application/x-www-form-urlencoded" },
      }).then((reply) => reply.json<object>())),
      checked_at: expect.any(Number),
    });
    // An own token is nothing to an app; an access key is what it is at introspection.
    expect(usual.slice(4)).toMatchObject([
      { active: false },
      { sub: anna.id, amr: ["key"] },
      { active: false },
    ]);
  });

  test("OA-4 need the app's key; another app learns nothing, and a retired key ends it", async () => {
    const carla = await visitor("carla");
    expect(await ask([carla.checkToken], {})).toMatchObject({ status: 401 });
    expect(await ask([carla.checkToken], { authorization: "Basic eDp5" })).toMatchObject({ status: 401 });
    expect(await ask([carla.checkToken], { authorization: `Bearer ${carla.token}` })).toMatchObject({
      status: 401,
    });
    const office = service.as(await service.operator());
    const { body } = await office(routes.addApp, {
      body: { name: "Other", clientId: "other", redirectUris: ["http://localhost:9/signed-in"] },
    });
    const foreign = `Basic ${Buffer.from(`other:${body.key}`).toString("base64")}`;
    const tokens = [carla.checkToken, carla.checkToken];
    expect((await ask(tokens, { authorization: foreign })).json()).toEqual({
      items: [{ active: false }, { active: false }],
    });
    await service.dataSource.query("DELETE FROM app_key WHERE appId = ?", [body.app.id]);
    expect(await ask(tokens, { authorization: foreign })).toMatchObject({ status: 401 });
    expect((await ask(tokens)).json<{ items: object[] }>().items).toMatchObject([
      { sub: carla.id },
      { sub: carla.id },
    ]);
  });

  test.each([
    ["none", []],
    ["101", Array(101).fill(tokenOf(1))],
    ["a text", tokenOf(1)],
    ["a number among them", [tokenOf(1), 7]],
    ["an empty one", [""]],
    ["one that is far too long", ["x".repeat(201)]],
  ])("%s is refused with the field", async (_what, tokens) => {
    const reply = await ask(tokens);
    expect([reply.status, reply.json()]).toMatchObject([400, { code: "invalid-fields" }]);
  });

  test("what looks like the question and is not gets the usual answer", async () => {
    const bodies = [
      '{"tokens":["lck_"]}',
      `{"tokens":["${tokenOf(1)}"],"tokens":["${tokenOf(2)}"]}`,
      `{"tokens":["${tokenOf(1)}","]}`,
      '{"tokens":[""]}',
      `{"tokens":["${tokenOf(1)}\\u0000"]}`,
    ];
    const statuses = await Promise.all(
      bodies.map(
        async (body) =>
          (
            await send(service, "POST", "/v1/checks", {
              body,
              headers: { authorization: authorization(), "content-type": "application/json" },
            })
          ).status,
      ),
    );
    expect(statuses).toEqual([200, 200, 400, 400, 200]);
  });

  test("OA-6 after an end, a suspension or a change of labels was answered, no check of either instance knows better", async () => {
    const hasps = [lucchettoAt(service), lucchettoAt(other)];
    const people = await Promise.all(Array.from({ length: 24 }, (_, index) => visitor(`guest${index}`)));
    const office = service.as(await service.operator());
    const wrong: string[] = [];
    let isOver = false;
    /** What was answered about somebody, before this moment. */
    const answered = new Map<string, string>();
    const asking = hasps.flatMap((lucchetto) =>
      Array.from({ length: 8 }, async (_, lane) => {
        for (let turn = lane; !isOver; turn += 5) {
          const person = people[turn % people.length];
          if (person === undefined) continue;
          const known = answered.get(person.id);
          const who = await lucchetto.introspect(person.checkToken);
          if (known === "over" && who !== null) wrong.push(`${person.id} is over, and was active`);
          if (
            known?.startsWith("label") === true &&
            who !== null &&
            who.labels[0] !== known &&
            answered.get(person.id) === known
          )
            wrong.push(`${person.id} carries ${known}, and was ${String(who.labels)}`);
        }
      }),
    );
    for (const [index, person] of people.entries()) {
      const label = `label${index}`;
      const params = { id: person.id };
      await office(routes.changeAccount, { params, body: { labels: [label] } });
      answered.set(person.id, label);
      await nextTurn();
      if (index % 3 === 0) await other.as(person.token)(routes.signOut);
      else if (index % 3 === 1) await office(routes.changeAccount, { params, body: { state: "suspended" } });
      else await service.as(person.token)(routes.signOut);
      answered.set(person.id, "over");
    }
    // Every one is asked about once more by both.
    for (const lucchetto of hasps)
      expect(await Promise.all(people.map(({ checkToken }) => lucchetto.introspect(checkToken)))).toEqual(
        people.map(() => null),
      );
    isOver = true;
    await Promise.all(asking);
    expect(wrong).toEqual([]);
    const counted = await eventually(async () => {
      const [row] = await service.dataSource.query<Array<{ sum: string | null }>>(
        "SELECT SUM(count) AS sum FROM app_question WHERE kind = 'introspect'",
      );
      return Number(row?.sum) > 100;
    });
    expect(counted).toBe(true);
  });
});
