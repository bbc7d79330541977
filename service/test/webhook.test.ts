import { createHmac, randomBytes } from "node:crypto";
import type { IncomingHttpHeaders, Server, ServerResponse } from "node:http";
import { createServer } from "node:http";
import type { AddressInfo } from "node:net";
import { afterEach, describe, expect, test } from "@jest/globals";
import type { ConsultQuestion, Notice } from "@lucchetto/contract";
import { consultQuestion, notice, ProblemError, routes } from "@lucchetto/contract";
import { createDataSource } from "@lucchetto/service";
import { aWhile, eventually } from "../../testing/eventually.ts";
import type { TestService } from "../../testing/service.ts";
import { json, PASSWORD, send, startService } from "../../testing/service.ts";
import { ReceiverFault } from "../src/base/http/post.ts";
import { post } from "../src/base/http/post.ts";
import { addOperator } from "../src/flows/registration/add-operator.ts";

const SECRET = `whsec_${randomBytes(32).toString("base64")}`;

interface Received {
  readonly path: string;
  readonly headers: IncomingHttpHeaders;
  readonly body: string;
}

/** The application's side: a real receiver on loopback, whose answer the test decides. */
interface Receiver {
  readonly url: string;
  readonly received: Received[];
  answer: (received: Received, response: ServerResponse) => void;
  close(): Promise<void>;
}

async function startReceiver(): Promise<Receiver> {
  const received: Received[] = [];
  const receiver = {
    received,
    answer: (_received: Received, response: ServerResponse) => response.end('{"decision":"allow"}'),
  };
  const server: Server = createServer((request, response) => {
    let body = "";
    request.on("data", (chunk) => (body += chunk));
    request.on("end", () => {
      const one = { path: request.url ?? "", headers: request.headers, body };
      received.push(one);
      receiver.answer(one, response);
    });
  });
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
  const { port } = server.address() as AddressInfo;
  return Object.assign(receiver, {
    url: `http://127.0.0.1:${port}`,
    close: () =>
      new Promise<void>((resolve) => {
        server.closeAllConnections();
        server.close(() => resolve());
      }),
  });
}

const stops: Array<() => Promise<unknown>> = [];
afterEach(async () => {
  for (const stop of stops.splice(0).reverse()) await stop();
});

async function start(settings: (url: string) => Record<string, string>) {
  const receiver = await startReceiver();
  stops.push(receiver.close);
  const service = await startService({
    settings: { LUCCHETTO_WEBHOOKS_SECRET: SECRET, ...settings(receiver.url) },
  });
  stops.push(service.stop);
  return { receiver, service };
}
/** Answers are waited for as long as may be configured, for a slow machine's sake. */
const startConsulting = (more: Record<string, string> = {}) =>
  start((url) => ({
    LUCCHETTO_WEBHOOKS_CONSULT_URL: `${url}/ask`,
    LUCCHETTO_WEBHOOKS_CONSULT_TIMEOUT: "10s",
    ...more,
  }));
const startNotifying = (more: Record<string, string> = {}) =>
  start((url) => ({
    LUCCHETTO_WEBHOOKS_NOTIFY_URL: `${url}/told`,
    LUCCHETTO_WEBHOOKS_NOTIFY_TIMEOUT: "60s",
    ...more,
  }));

function register(service: TestService, body: object) {
  return send(service, "POST", "/v1/accounts", json({ password: PASSWORD, deliver: "token", ...body }));
}
const questionsOf = (receiver: Receiver): ConsultQuestion[] =>
  receiver.received.map(({ body }) => consultQuestion.parse(JSON.parse(body)));

/** Checks a signature as a receiver would, from the description of Standard Webhooks alone. */
function isSigned({ headers, body }: Received): boolean {
  const key = Buffer.from(SECRET.slice("whsec_".length), "base64");
  const signed = `${headers["webhook-id"]}.${headers["webhook-timestamp"]}.${body}`;
  const expected = createHmac("sha256", key).update(signed).digest("base64");
  return headers["webhook-signature"] === `v1,${expected}`;
}

describe("consult", () => {
  test("the application is asked, signed, before anything is looked up, and alike for free and taken addresses", async () => {
    const { receiver, service } = await startConsulting();
    await register(service, { email: "anna@brina.example", displayName: "Anna" });
    await register(service, { email: "anna@brina.example", displayName: "Anna" });
    expect(receiver.received.every(isSigned)).toBe(true);
    const [free, taken] = questionsOf(receiver);
    expect(free).toMatchObject({
      type: "account.create",
      by: "person",
      account: { id: null, email: "anna@brina.example", displayName: "Anna", labels: [], reference: null },
    });
    expect({ ...taken, at: "" }).toEqual({ ...free, at: "" });
    expect(receiver.received.map(({ body }) => body).join("")).not.toContain(PASSWORD);
  });

  test("it may fill in display name, labels and reference, and refuse with a sentence for the person", async () => {
    const { receiver, service } = await startConsulting();
    receiver.answer = (_received, response) =>
      response.end(
        JSON.stringify({
          decision: "allow",
          displayName: "Anna Larice",
          labels: ["keeper"],
          reference: "m-17",
        }),
      );
    const reply = await register(service, { email: "anna@brina.example" });
    expect(reply.json()).toMatchObject({
      account: { displayName: "Anna Larice", labels: ["keeper"], reference: "m-17" },
    });
    receiver.answer = (_received, response) =>
      response.end(JSON.stringify({ decision: "refuse", message: "Membership begins in May." }));
    const refused = await register(service, { email: "bruno@brina.example" });
    expect(refused.status).toBe(403);
    expect(refused.json()).toMatchObject({
      code: "refused-by-application",
      detail: "Membership begins in May.",
    });
    const rows = await service.dataSource.query("SELECT emailKey FROM account");
    expect(rows).toEqual([{ emailKey: "anna@brina.example" }]);
    const [entry] = await service.dataSource.query("SELECT kind, reason FROM journal_entry ORDER BY id DESC");
    expect(entry).toEqual({ kind: "account.registration-refused", reason: "refused-by-application" });
  });

  test.each([
    ["the label operator", 200, { decision: "allow", labels: ["operator"] }],
    ["a status of 500", 500, { decision: "allow" }],
    ["no decision", 200, {}],
    ["no JSON", 200, "welcome"],
    ["a megabyte", 200, { decision: "allow", filler: "x".repeat(2 ** 20) }],
    ["a redirect", 302, { decision: "allow" }],
  ])("an answer with %s is none: nothing is done, and the log says why", async (_what, status, answer) => {
    const { receiver, service } = await startConsulting();
    receiver.answer = (_received, response) =>
      response
        .writeHead(status, status === 302 ? { location: "/elsewhere" } : {})
        .end(typeof answer === "string" ? answer : JSON.stringify(answer));
    const reply = await register(service, { email: "anna@brina.example" });
    expect(reply.status).toBe(503);
    expect(reply.json()).toMatchObject({ code: "application-unresponsive" });
    expect(reply.headers.get("retry-after")).toBe("10");
    expect(await service.dataSource.query("SELECT id FROM account")).toEqual([]);
    expect(service.log()).toMatch(/the application gave no answer/);
    expect(receiver.received.some(({ path }) => path === "/elsewhere")).toBe(false);
  });

  test("a receiver that hangs holds nobody longer than the time it has; then the configured default counts", async () => {
    const { receiver, service } = await startConsulting({
      LUCCHETTO_WEBHOOKS_CONSULT_TIMEOUT: "4s",
      LUCCHETTO_WEBHOOKS_CONSULT_PARALLEL: "2",
    });
    receiver.answer = () => undefined;
    const replies = await Promise.all(
      ["a", "b", "c", "d"].map((name) => register(service, { email: `${name}@brina.example` })),
    );
    expect(replies.map(({ status }) => status)).toEqual([503, 503, 503, 503]);
    expect(receiver.received).toHaveLength(2);
    const lenient = await startService({
      beside: service,
      settings: {
        LUCCHETTO_WEBHOOKS_SECRET: SECRET,
        LUCCHETTO_WEBHOOKS_CONSULT_URL: "http://127.0.0.1:1/",
        LUCCHETTO_WEBHOOKS_CONSULT_WHEN_SILENT: "allow",
      },
    });
    stops.push(lenient.stop);
    expect((await register(lenient, { email: "elio@brina.example" })).status).toBe(201);
  });

  test("S7 a veto is not flooded away: who finds no place for a question is refused, whatever silence means", async () => {
    const { receiver, service } = await startConsulting({
      LUCCHETTO_WEBHOOKS_CONSULT_TIMEOUT: "2s",
      LUCCHETTO_WEBHOOKS_CONSULT_PARALLEL: "1",
      LUCCHETTO_WEBHOOKS_CONSULT_WHEN_SILENT: "allow",
    });
    receiver.answer = () => undefined;
    const replies = await Promise.all(
      ["a", "b", "c", "d"].map((name) => register(service, { email: `${name}@brina.example` })),
    );
    expect(replies.map(({ status }) => status).sort()).toEqual([201, 503, 503, 503]);
    expect(replies.filter(({ json }) => json<{ code?: string }>().code === "too-busy")).toHaveLength(3);
  });

  test("changes by a person and by operators, additions and erasing are asked too; a refusal changes nothing", async () => {
    const { receiver, service } = await startConsulting();
    const operator = service.as(await service.operator());
    const { id, token } = await service.register("anna@brina.example");
    receiver.received.length = 0;
    receiver.answer = (_received, response) =>
      response.end('{"decision":"refuse","message":"Not in season."}');
    const refused = expect.objectContaining({ code: "refused-by-application" });
    const codeOf = (call: Promise<unknown>) =>
      call.then(
        () => null,
        (error: unknown) => (error instanceof ProblemError ? error.problem : error),
      );
    const params = { id };
    expect(await codeOf(service.as(token)(routes.changeOwnAccount, { body: { displayName: "A" } }))).toEqual(
      refused,
    );
    expect(await codeOf(operator(routes.changeAccount, { params, body: { labels: ["keeper"] } }))).toEqual(
      refused,
    );
    expect(await codeOf(operator(routes.addAccount, { body: { email: "x@brina.example" } }))).toEqual(
      refused,
    );
    expect(await codeOf(operator(routes.eraseAccount, { params }))).toEqual(refused);
    // What keeps people safe is no question.
    expect(
      await codeOf(operator(routes.changeAccount, { params, body: { mustChangePassword: true } })),
    ).toBeNull();
    expect(await codeOf(operator(routes.changeAccount, { params, body: { state: "suspended" } }))).toBeNull();
    expect(await codeOf(operator(routes.changeAccount, { params, body: { state: "active" } }))).toEqual(
      refused,
    );
    expect(questionsOf(receiver).map(({ type, by }) => `${type} by ${by}`)).toEqual([
      "account.change by person",
      "account.change by operator",
      "account.create by operator",
      "account.erase by operator",
      "account.change by operator",
    ]);
    expect(questionsOf(receiver)[1]).toMatchObject({ account: { id }, change: { labels: ["keeper"] } });
    const { body } = await operator(routes.showAccountDetail, { params });
    expect(body.account).toMatchObject({ displayName: null, labels: [] });
    const noted = await service.dataSource.query(
      "SELECT kind, reason FROM journal_entry WHERE outcome = 'refused' ORDER BY id",
    );
    const change = { kind: "account.change-refused", reason: "refused-by-application" };
    const addition = { kind: "account.registration-refused", reason: "refused-by-application" };
    expect(noted).toEqual([change, change, addition, change, change]);
  });
});

describe("notify", () => {
  test("accounts, sessions and passwords are told, signed, once; with the reference, without a secret", async () => {
    const { receiver, service } = await startNotifying();
    const { token } = await service.register("anna@brina.example");
    await service.as(token)(routes.signOut);
    await send(
      service,
      "POST",
      "/v1/sign-in",
      json({ proof: { type: "password", identifier: "anna@brina.example", password: "wrong" } }),
    );
    await eventually(() => receiver.received.length >= 2);
    await aWhile();
    expect(receiver.received.every(isSigned)).toBe(true);
    const notices = receiver.received.map(({ body }): Notice => notice.parse(JSON.parse(body)));
    expect(notices.map(({ type }) => type).sort()).toEqual(["account.registered", "session.signed-out"]);
    const all = receiver.received.map(({ body, headers }) => body + JSON.stringify(headers)).join("");
    expect(all).not.toMatch(/lcs_|brina\.example|good long/);
  });

  test("a receiver that answers 500, hangs or is down loses nothing and delays nobody; tries grow apart and end", async () => {
    const { receiver, service } = await startNotifying({ LUCCHETTO_WEBHOOKS_NOTIFY_TIMEOUT: "4s" });
    receiver.answer = (_received, response) => response.writeHead(500).end();
    await service.register("anna@brina.example");
    const state = async () => (await service.dataSource.query("SELECT * FROM delivery"))[0];
    await eventually(async () => (await state()).lastAnswer === "it answered 500");
    expect(await state()).toMatchObject({ state: "waiting", tries: 1 });
    receiver.answer = () => undefined;
    await service.clock.advance(6_000);
    await eventually(async () => (await state()).lastAnswer === "no answer within 4 s");
    expect((await register(service, { email: "bruno@brina.example" })).status).toBe(201);
    receiver.answer = (_received, response) => response.destroy();
    for (let day = 0; day < 12; day += 1) {
      const { tries } = await state();
      await service.clock.advance(49 * 3_600_000);
      await eventually(async () => {
        const now = await state();
        return now.claimedUntil === null && (now.tries > tries || now.state === "given-up");
      });
      if ((await state()).state === "given-up") break;
    }
    expect(await state()).toMatchObject({ state: "given-up", tries: 9 });

    // An operator looks and sends it again; now it arrives, under the id that it always had.
    receiver.answer = (_received, response) => response.writeHead(204).end();
    const operator = service.as(await service.operator());
    const { body } = await operator(routes.listDeliveries, { query: { state: "given-up" } });
    const lost = body.items.at(-1);
    expect(lost).toMatchObject({
      type: "account.registered",
      lastAnswer: expect.stringContaining("no connection"),
    });
    const before = receiver.received.length;
    await operator(routes.repeatDelivery, { params: { id: lost?.id ?? "" } });
    await eventually(async () => (await state()).state === "delivered");
    const again = receiver.received.slice(before).find(({ headers }) => headers["webhook-id"] === lost?.id);
    expect(again === undefined ? null : isSigned(again)).toBe(true);
  });

  test("two instances send each notice once", async () => {
    const { receiver, service } = await startNotifying();
    const other = await startService({
      beside: service,
      settings: {
        LUCCHETTO_WEBHOOKS_SECRET: SECRET,
        LUCCHETTO_WEBHOOKS_NOTIFY_URL: `${receiver.url}/told`,
      },
    });
    stops.push(other.stop);
    await Promise.all(
      Array.from({ length: 20 }, (_, index) =>
        register(index % 2 === 0 ? service : other, { email: `member${index}@brina.example` }),
      ),
    );
    await eventually(() => receiver.received.length >= 20);
    await aWhile();
    const ids = receiver.received.map(({ headers }) => headers["webhook-id"]);
    expect(ids).toHaveLength(20);
    expect(new Set(ids).size).toBe(20);
  });

  test("what a command does beside the service is told as well", async () => {
    const { receiver, service } = await startNotifying();
    const { configuration, clock } = service;
    const dataSource = await createDataSource(configuration).initialize();
    try {
      const { id } = await addOperator(
        { configuration, dataSource, clock },
        { email: "hut@brina.example", displayName: null, password: PASSWORD },
      );
      await eventually(() => receiver.received.length >= 1);
      expect(notice.parse(JSON.parse(receiver.received[0]?.body ?? ""))).toMatchObject({
        type: "account.registered",
        data: { accountId: id, appId: null },
      });
    } finally {
      await dataSource.destroy();
    }
  });

  test("what was rolled back is told to nobody", async () => {
    const { receiver, service } = await startNotifying();
    await register(service, { email: "anna@brina.example" });
    await register(service, { email: "anna@brina.example" });
    await eventually(() => receiver.received.length >= 1);
    await aWhile();
    expect(receiver.received).toHaveLength(1);
  });
});

describe("where a public service may send to", () => {
  const closed = { everywhere: false, listed: [] };
  const message = { body: "{}", headers: {} };

  test.each([
    "http://127.0.0.1:1/",
    "http://[::1]:1/",
    "http://10.1.2.3/",
    "http://192.168.1.1/",
    "http://169.254.169.254/latest",
    "http://[::ffff:127.0.0.1]:1/",
    "http://0.0.0.0:1/",
    "http://[fd00::1]/",
    "http://localhost:1/",
    "http://2130706433:1/",
  ])("not to %s", async (address) => {
    await expect(post(address, message, { timeout: 1_000, reach: closed })).rejects.toThrow(
      /private address/,
    );
  });

  test("unless it is listed", async () => {
    const receiver = await startReceiver();
    stops.push(receiver.close);
    const reach = { everywhere: false, listed: ["127.0.0.0/8"] };
    expect(await post(receiver.url, message, { timeout: 60_000, reach })).toMatchObject({ status: 200 });
    await expect(post("http://[::1]:1/", message, { timeout: 1_000, reach })).rejects.toThrow(ReceiverFault);
  });
});
