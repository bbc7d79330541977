/** What each way in opens: the table of docs/applications.md, cell by cell. */
import { readFileSync } from "node:fs";
import type { AddressInfo } from "node:net";
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import { fastifyHasp } from "@lucchetto/hasp/fastify";
import Fastify from "fastify";
import { registerApp } from "../../testing/sample-app.ts";
import type { TestAuthenticator } from "../../testing/second-factor.ts";
import { enrolAuthenticator } from "../../testing/second-factor.ts";
import type { TestService } from "../../testing/service.ts";
import { freePort, PASSWORD, send } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";
import { cookiesOf, enter, LANGUAGES, startHuts } from "../../testing/way-in.ts";
import { createFront } from "../src/front/front.ts";

interface Person {
  readonly email: string;
  token: string;
  readonly key: string;
  readonly authenticator?: TestAuthenticator;
}

interface WayIn {
  readonly url: string;
  signIn(person: Person): Promise<string>;
  stop(): unknown;
}

const COLUMNS = [
  "closed route",
  "label",
  "level",
  "freshness",
  "live page",
  "sign-out",
  "access key",
] as const;
type Outcome = Record<(typeof COLUMNS)[number], boolean>;

const CLOSED = [
  "/members/*",
  { path: "/keepers/*", label: { any: ["keeper", "cook"] as [string, string] } },
  { path: "/key-box", level: 2 as const },
  { path: "/ledger", freshWithin: 300 },
];
const ways = new Map<string, WayIn>();
const outcomes = new Map<string, Outcome>();
let service: TestService;
let anna: Person;
let bruno: Person;

beforeAll(async () => {
  service = await startShipped();
  const member = await service.register("anna@brina.example");
  anna = { email: "anna@brina.example", token: member.token, key: await keyOf(member.token) };
  const keeper = await service.register("bruno@brina.example");
  const operator = service.as(await service.operator());
  await operator(routes.changeAccount, { params: { id: keeper.id }, body: { labels: ["keeper"] } });
  const authenticator = await enrolAuthenticator(service, keeper.token);
  bruno = {
    email: "bruno@brina.example",
    token: authenticator.token,
    key: await keyOf(authenticator.token),
    authenticator,
  };
  ways.set("our pages", await nodeApp());
  ways.set("forms of your own", await nodeAppWithForms());
  ways.set("`lucchetto front`", await front());
  for (const one of LANGUAGES) {
    const { url, child } = await startHuts(service, one);
    ways.set(one.language, { url, signIn: throughOurPages(url), stop: () => child.kill() });
  }
});
afterAll(async () => {
  for (const { stop } of ways.values()) await stop();
  await service.stop();
});

async function keyOf(token: string): Promise<string> {
  return (await service.as(token)(routes.makeAccessKey, { body: { name: "script" } })).body.key;
}

const throughOurPages =
  (url: string) =>
  ({ token }: Person) =>
    enter(service, { url, token, path: "/members" });

async function nodeApp(forms?: { page: string }): Promise<WayIn> {
  const port = await freePort();
  const { forms: _of, ...options } = await registerApp(service, port, `Brina Huts at ${port}`);
  const app = Fastify();
  const guard = { closed: CLOSED };
  await app.register(fastifyHasp, { ...options, guard, ...(forms === undefined ? {} : { forms }) });
  app.all("/*", async () => "passed");
  app.post<{ Body: { email: string; code?: string } }>("/desk", async ({ body }, reply) => {
    const { call } = app.hasp.forms.before(reply.request, reply);
    await call(routes.signIn, {
      body: { proof: { type: "password", identifier: body.email, password: PASSWORD } },
    });
    const { code } = body;
    if (code !== undefined) await call(routes.addProof, { body: { proof: { type: "totp", code } } });
    return "";
  });
  await app.listen({ host: "127.0.0.1", port });
  const url = `http://localhost:${port}`;
  return { url, signIn: throughOurPages(url), stop: () => app.close() };
}

async function nodeAppWithForms(): Promise<WayIn> {
  const way = await nodeApp({ page: "/desk" });
  return {
    ...way,
    async signIn({ email, authenticator }) {
      const code = await authenticator?.nextCode();
      const { headers, status, text } = await send(way, "POST", "/desk", {
        body: JSON.stringify({ email, ...(code === undefined ? {} : { code }) }),
        headers: { "content-type": "application/json", origin: way.url },
      });
      expect([status, text]).toEqual([200, ""]);
      return cookiesOf(headers);
    },
  };
}

/** Before an application that answers everything. */
async function front(): Promise<WayIn> {
  const behind = Fastify();
  behind.all("/*", async () => "passed");
  await behind.listen({ host: "127.0.0.1", port: 0 });
  const port = await freePort();
  const options = await registerApp(service, port, `Brina Huts at ${port}`);
  const { server, stop } = await createFront({
    ...options,
    app: `http://127.0.0.1:${(behind.server.address() as AddressInfo).port}`,
    guard: { closed: CLOSED },
  });
  await new Promise<void>((resolve) => server.listen(port, "127.0.0.1", resolve));
  const url = `http://localhost:${port}`;
  return {
    url,
    signIn: throughOurPages(url),
    async stop() {
      stop();
      await behind.close();
    },
  };
}

/** The table as the docs have it: what begins with `yes`. */
function documented(): Map<string, Outcome> {
  const text = readFileSync(new URL("../../docs/applications.md", import.meta.url), "utf8");
  const rows = text
    .split("\n")
    .filter((line) => line.startsWith("|"))
    .map((line) =>
      line
        .split("|")
        .slice(1, -1)
        .map((cell) => cell.trim()),
    );
  const head = rows.findIndex((cells) => cells.join() === ["way in", ...COLUMNS].join());
  return new Map(
    rows
      .slice(head + 2, head + 2 + ways.size)
      .map(([name = "", ...cells]) => [
        name,
        Object.fromEntries(COLUMNS.map((column, at) => [column, cells[at]?.startsWith("yes")])) as Outcome,
      ]),
  );
}

async function probe({ url, signIn }: WayIn): Promise<Outcome> {
  const ask = (path: string, headers: Record<string, string> = {}, method = "GET") =>
    send({ url }, method, path, { headers });
  const statuses = async (path: string, all: ReadonlyArray<Record<string, string>>) => {
    const answers: number[] = [];
    for (const headers of all) answers.push((await ask(path, headers)).status);
    return answers.join();
  };
  const member = { cookie: await signIn(anna) };
  const keeper = { cookie: await signIn(bruno) };
  const guest = {};
  const key = { authorization: `Bearer ${anna.key}` };
  const noKey = { authorization: `Bearer lca_${"x".repeat(43)}` };
  const stream = await fetch(`${url}/hasp-live`, { headers: member });
  await stream.body?.cancel();
  const outcome = {
    "closed route": (await statuses("/members/nights", [guest, member])) === "401,200",
    label: (await statuses("/keepers", [guest, member, keeper])) === "401,403,200",
    level: (await statuses("/key-box", [guest, member, keeper])) === "401,401,200",
    "live page": stream.headers.get("content-type") === "text/event-stream",
    "access key":
      (await statuses("/members", [key, noKey])) === "200,401" &&
      (await statuses("/keepers", [key])) === "403" &&
      (await statuses("/key-box", [key])) === "401",
    // After everybody has entered: the clock is moved for all of them.
    freshness: (await statuses("/ledger", [guest, member, keeper])) === "401,200,200",
    "sign-out": false,
  };
  return outcome;
}

test("WH-4 what each way in opens is what the docs say", async () => {
  const expected = documented();
  expect([...expected.keys()]).toEqual([...ways.keys()]);
  for (const [name, way] of ways) outcomes.set(name, await probe(way));
  const later = new Map<string, string>();
  for (const [name, way] of ways) {
    // A fresh session: the one before is some minutes old by now.
    anna.token = await service.signIn(anna.email);
    later.set(name, await way.signIn(anna));
  }
  await service.clock.advance(6 * 60_000);
  for (const [name, way] of ways) {
    const outcome = outcomes.get(name);
    if (outcome === undefined) throw new Error(name);
    const headers = { cookie: later.get(name) ?? "" };
    const ask = async (path: string) => (await send(way, "GET", path, { headers })).status;
    outcome.freshness &&= (await ask("/ledger")) === 401 && (await ask("/members")) === 200;
    const foreign = await send(way, "POST", "/sign-out", {
      headers: { ...headers, origin: "https://evil.test" },
    });
    const wasOpen = (await ask("/members")) === 200;
    const left = await send(way, "POST", "/sign-out", { headers: { ...headers, origin: way.url } });
    outcome["sign-out"] =
      foreign.status === 403 && wasOpen && left.status === 303 && (await ask("/members")) === 401;
  }
  expect(outcomes).toEqual(expected);
});
