/** Nothing that Lucchetto answers or fails to answer ends or hangs the application's process. */
import type { Server, ServerResponse } from "node:http";
import { createServer, get } from "node:http";
import type { AddressInfo } from "node:net";
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import express from "express";
import { eventually } from "../../testing/eventually.ts";
import { haspCookies } from "../src/cookies.ts";
import { expressHasp } from "../src/express.ts";
import { createHasp } from "../src/hasp.ts";
import type { IncomingRequest } from "../src/incoming-request.ts";
import { LucchettoNotSetUp, LucchettoRefused, LucchettoUnreachable } from "../src/service.ts";
import { testAccounts } from "../src/testing.ts";
import { readWebhook } from "../src/webhook.ts";

let server: Server;
let answer: (response: ServerResponse) => void;
const rejections: unknown[] = [];
const note = (reason: unknown) => rejections.push(reason);
beforeAll(async () => {
  process.on("unhandledRejection", note);
  server = createServer((_request, response) => answer(response));
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", () => resolve()));
});
afterAll(async () => {
  process.off("unhandledRejection", note);
  server.closeAllConnections();
  await new Promise((resolve) => server.close(resolve));
});

const CHECK_TOKEN = haspCookies(new URL("http://localhost/signed-in")).writeCheckToken(
  `lck_${"x".repeat(43)}`,
);
const visit: IncomingRequest = {
  method: "GET",
  url: "/members",
  headers: { host: "localhost", cookie: CHECK_TOKEN.split(";", 1)[0] ?? "" },
};

/** @param timeout short where no answer comes that is worth waiting for. */
function hasp(timeout = 300, warn: (text: string) => void = () => undefined) {
  const { port } = server.address() as AddressInfo;
  return createHasp({
    service: `http://127.0.0.1:${port}`,
    clientId: "unwell",
    appKey: `lcp_${"k".repeat(43)}`,
    returnAddress: "http://localhost/signed-in",
    timeout,
    warn,
  });
}

const json = (status: number, body: unknown) => (response: ServerResponse) => {
  response.writeHead(status, { "content-type": "application/json" }).end(JSON.stringify(body));
};
const ANSWERS: Readonly<Record<string, (response: ServerResponse) => void>> = {
  ...Object.fromEntries(
    [201, 204, 302, 400, 401, 403, 404, 408, 418, 421, 429, 500, 502, 503, 504].map((status) => [
      `an empty ${status}`,
      (response: ServerResponse) => response.writeHead(status, { location: "/elsewhere" }).end(),
    ]),
  ),
  "a page of HTML": (response) =>
    response.writeHead(200, { "content-type": "text/html" }).end("<h1>It works</h1>"),
  "a cut body": (response) => {
    response.writeHead(200, { "content-type": "application/json", "content-length": "500" });
    response.write('{"active":');
    setTimeout(() => response.destroy(), 20);
  },
  "a cut connection": (response) => response.destroy(),
  silence: () => undefined,
  "a list": json(200, []),
  null: json(200, null),
  "a problem of a kind not known yet": json(408, {
    type: "x",
    code: "new-kind",
    title: "New",
    status: 408,
    detail: "New.",
    requestId: "1",
  }),
};

test.each(Object.keys(ANSWERS))(
  "HA-3 %s closes what is closed, opens nothing, and throws what is documented",
  async (what) => {
    answer = ANSWERS[what] ?? (() => undefined);
    const one = hasp();
    const passage = await one.closed(visit);
    // The service is at fault, not the person: nobody is sent to sign in again.
    expect(passage).toMatchObject({ answer: { status: 503 } });
    expect(await one.open(visit)).toBeNull();
    await expect(one.lookUp({ ids: [] })).rejects.toBeInstanceOf(
      what === "an empty 400" ? Error : LucchettoUnreachable,
    );
    const refused = what.includes("not known yet") ? LucchettoRefused : LucchettoUnreachable;
    await expect(one.accounts.find()).rejects.toBeInstanceOf(refused);
    await expect(one.accounts.setLabels("1", [])).rejects.toBeInstanceOf(refused);
    await expect(one.accounts.invite({ email: "a@b" })).rejects.toBeInstanceOf(refused);
    expect(rejections).toEqual([]);
  },
);

test("a wrong app key is told as what it is: on the page, to programs, and once in the log", async () => {
  answer = json(401, {
    ...{ type: "x", code: "app-unknown", title: "Unknown application", status: 401 },
    ...{ detail: "Unknown.", requestId: "1" },
  });
  const warned: string[] = [];
  const one = hasp(60_000, (text) => void warned.push(text));
  for (const accept of ["text/html", "application/json"]) {
    const passage = await one.closed({ ...visit, headers: { ...visit.headers, accept } });
    if (!("answer" in passage)) throw new Error("it was let in");
    const { status, headers, body } = passage.answer;
    expect([status, headers["retry-after"]]).toEqual([503, undefined]);
    expect(body).toContain("does not know the client id");
    expect(body).not.toMatch(/database|in a moment/);
    if (accept.endsWith("json")) expect(JSON.parse(body)).toMatchObject({ code: "application-not-set-up" });
  }
  // An open page has its guest, and the log says why.
  expect(await one.open(visit)).toBeNull();
  await expect(one.lookUp({ ids: [] })).rejects.toBeInstanceOf(LucchettoNotSetUp);
  expect(warned).toEqual([expect.stringContaining('does not know the client id "unwell" with this app key')]);
});

test("S12 an access key in the page's cookie is nobody, and is not asked about", async () => {
  let asked = 0;
  answer = (response) => {
    asked += 1;
    json(200, { active: false })(response);
  };
  const [name = ""] = CHECK_TOKEN.split("=", 1);
  const cookie = `${name}=lca_${"x".repeat(43)}`;
  const passage = await hasp(60_000).closed({
    ...visit,
    headers: { ...visit.headers, cookie, accept: "text/html" },
  });
  expect(passage).toMatchObject({ answer: { status: 303 } });
  expect(asked).toBe(0);
});

test("HA-3 a value of a list of choices that is not known yet is let through, a missing or a wrong one is not", async () => {
  const account = {
    id: "01234567-89ab-7def-8123-456789abcdef",
    reference: null,
    email: null,
    emailVerified: false,
    username: "anna",
    displayName: null,
    state: "asleep",
    labels: [],
    language: null,
    createdAt: new Date().toISOString(),
    more: "members come too",
  };
  answer = json(200, { items: [account] });
  expect(await hasp(60_000).lookUp({ ids: [account.id] })).toMatchObject([
    { username: "anna", state: "asleep" },
  ]);
  for (const state of [undefined, null, 7, ["active"]]) {
    answer = json(200, { items: [{ ...account, state }] });
    await expect(hasp().lookUp({ ids: [account.id] })).rejects.toBeInstanceOf(LucchettoUnreachable);
  }
});

test("HA-4 streams that are gone before, during and after the first answer are not asked for any more", async () => {
  const accounts = testAccounts();
  let asked = 0;
  const { lucchetto } = accounts;
  const counting = {
    ...lucchetto,
    introspect: async (token: string) => {
      await new Promise((resolve) => setTimeout(resolve, 30));
      return lucchetto.introspect(token, undefined);
    },
    findLiving: (ids: readonly string[]) => {
      asked += 1;
      return lucchetto.findLiving(ids);
    },
  };
  const app = express();
  app.use(expressHasp({ ...accounts.options, testing: { lucchetto: counting } }).own());
  const listening: Server = await new Promise((resolve) => {
    const started = app.listen(0, "127.0.0.1", () => resolve(started));
  });
  const { port } = listening.address() as AddressInfo;
  const { cookie } = accounts.as({ displayName: "Anna" });
  await Promise.all(
    Array.from(
      { length: 200 },
      (_, index) =>
        new Promise<void>((resolve) => {
          const stream = get(
            { host: "127.0.0.1", port, path: "/hasp-live", headers: { cookie } },
            (reply) => {
              reply.resume();
              reply.on("close", () => resolve());
              if (index % 3 === 2) setTimeout(() => reply.destroy(), 20);
            },
          );
          stream.on("error", () => resolve());
          stream.on("close", () => resolve());
          if (index % 3 < 2) setTimeout(() => stream.destroy(), index % 3 === 0 ? 1 : 30);
        }),
    ),
  );
  await eventually(
    () =>
      new Promise<boolean>((resolve) => listening.getConnections((_error, count) => resolve(count === 0))),
  );
  // A question may be under way; after it there is none, however long one waits.
  await new Promise((resolve) => setTimeout(resolve, 1_200));
  const before = asked;
  await new Promise((resolve) => setTimeout(resolve, 2_500));
  expect(asked).toBe(before);
  await new Promise((resolve) => listening.close(resolve));
});

test.each(["", "whsec_", "whsec_c2hvcnQ=", "secret", " "])("HA-3 the webhook secret %j is none", (secret) => {
  expect(() => readWebhook({ secret, headers: {}, body: "{}", now: new Date() })).toThrow(RangeError);
});
