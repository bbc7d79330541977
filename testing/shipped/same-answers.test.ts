/**
 * What differs between the sources and what is made of them: both are asked the same, and answer alike to the last header.
 * Packages that come in two forms, files beside the code, parts that are loaded late and threads are where a bundle goes wrong.
 */
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import { OAUTH_PATHS, PLAIN_PAGES, routes, VISITED_PAGES } from "@lucchetto/contract";
import type { TestService } from "../service.ts";
import { PASSWORD, startService } from "../service.ts";
import { startShipped } from "../shipped-service.ts";
import { mailTo } from "../visitor.ts";
import type { Asked } from "./exchange.ts";
import { exchange } from "./exchange.ts";

const ID = "0190b6a2-0000-7000-8000-000000000000";
/** Its hash is computed in a thread, by a package of its own. */
const SETTINGS = { LUCCHETTO_PASSWORDS_HASHING_SCHEME: "$argon2id$v=19$m=64,t=1,p=1" };

let fromSources: TestService;
let shipped: TestService;
beforeAll(async () => {
  [fromSources, shipped] = await Promise.all([
    startService({ settings: SETTINGS, looksInside: true, timePasses: true }),
    startShipped({ byCommand: true, settings: SETTINGS, looksInside: true }),
  ]);
});
afterAll(() => Promise.all([fromSources.stop(), shipped.stop()]));

interface Answer {
  readonly what: string;
  readonly status: number;
  readonly headers: Readonly<Record<string, string>>;
  readonly body: string;
}

/** What is made anew each time, by its form. */
const MADE_ANEW: ReadonlyArray<readonly [RegExp, string]> = [
  [/[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}/g, "(id)"],
  [/\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(\.\d+)?Z/g, "(time)"],
  [/\b(lc[a-z]_|whsec_)[A-Za-z0-9_-]{20,}/g, "$1(secret)"],
  [/\$argon2id\$v=19\$m=64,t=1,p=1\$[A-Za-z0-9+/]+\$[A-Za-z0-9+/]+/g, "(record)"],
  [/"(salt|digest|challenge|head|secret|sid)":"[^"]*"/g, '"$1":"(made)"'],
  [/"(digits|movedBy|millisecondsPerHash|seconds|milliseconds|ms|at|iat|exp|auth_time)":-?[\d.]+/g, '"$1":0'],
  [/secret=[A-Z2-7]+/g, "secret=(made)"],
  [/"qrSvg":"(?:[^"\\]|\\.)*"/g, '"qrSvg":"(drawn)"'],
  [/"id":"[A-Za-z0-9_-]{43}"/g, '"id":"(user handle)"'],
  [/\b\d{4}-\d\d-\d\d \d\d:\d\d:\d\d UTC/g, "(time)"],
  // In mails; one may be written in the next minute.
  [/\b\d{1,2} [A-Za-z]+ \d{4}, \d\d:\d\d UTC/g, "(time)"],
  [/\d+ bytes, [0-9a-f]{8}…/g, "(bytes)"],
  // Done beside the replies, at its own pace.
  [/"(after|last)":\d+|"head":null/g, '"head":"(made)"'],
  [/"waiting":\d+/g, '"waiting":0'],
  [/"chained":\d+/g, '"chained":0'],
];

const plain = (text: string, { url }: TestService): string =>
  MADE_ANEW.reduce(
    (left, [form, as]) => left.replaceAll(form, as),
    // Not where an id happens to hold its digits.
    text.replaceAll(new RegExp(`(?<!\\w)${new URL(url).port}(?!\\w)`, "g"), "(port)"),
  );

async function ask(service: TestService, asked: Asked): Promise<Answer & { raw: string }> {
  const { status, headers, body } = await exchange(service.url, asked);
  const { date: _date, "content-length": _length, ...kept } = headers;
  const written = Object.entries(kept).map(([name, value]) => [name, plain(value, service)]);
  const what = `${asked.method ?? "GET"} ${asked.path}`;
  return { what, status, headers: Object.fromEntries(written), body: plain(body, service), raw: body };
}

const asJson = { "content-type": "application/json" };
const post = (path: string, body: unknown, headers: Record<string, string> = {}): Asked => ({
  method: "POST",
  path,
  headers: { ...asJson, ...headers },
  body: JSON.stringify(body),
});

/** Everything that is asked, in this order. */
async function everything(service: TestService): Promise<Answer[]> {
  const answers: Answer[] = [];
  const say = async (asked: Asked) => {
    const { raw, ...answer } = await ask(service, asked);
    answers.push(answer);
    return raw;
  };
  // Nobody: every call, and every page.
  for (const { method, path } of Object.values(routes))
    await say({
      method,
      path: path.replace(/:\w+/g, ID),
      ...(method === "GET" ? {} : { headers: asJson, body: "{}" }),
    });
  for (const path of [...PLAIN_PAGES, ...VISITED_PAGES, "/console", "/mailbox", "/no-such-page", "/"])
    await say({ path, headers: { accept: "text/html", "accept-language": "it" } });
  for (const path of ["/healthz", "/readyz", "/openapi.json", OAUTH_PATHS.metadata, "/.well-known/webauthn"])
    await say({ path });

  // Passwords: common ones, those of context, long and odd ones.
  for (const password of [
    "password1234567",
    "annaannaannaanna",
    "x".repeat(300),
    "short",
    "caf\u00e9 con panna e neve",
  ])
    await say(post(routes.register.path, { email: "anna@brina.example", password }));
  const registration = { email: "bruno@brina.example", password: PASSWORD, deliver: "token" };
  const { token } = JSON.parse(await say(post(routes.register.path, registration))) as { token: string };
  const own = { authorization: `Bearer ${token}` };
  for (const path of [routes.showSession.path, routes.showAccount.path, "/v1/sessions", "/v1/account/data"])
    await say({ path, headers: own });
  await say(post("/v1/account/totp", { name: "My phone" }, own));
  await say(post(routes.beginPasskey.path, { purpose: "enrol" }, own));
  await say(post(routes.beginPasskey.path, { purpose: "sign-in" }));
  await say(post("/v1/mail-links", { purpose: "reset", identifier: "bruno@brina.example" }));
  // It is written beside the reply; the next mails come after it.
  await mailTo(service, "bruno@brina.example", "reset");
  for (const password of ["a wrong long password", PASSWORD])
    await say(
      post(routes.signIn.path, { proof: { type: "password", identifier: "bruno@brina.example", password } }),
    );

  // An operator.
  const operator = { authorization: `Bearer ${await service.operator()}` };
  for (const { method, path } of Object.values(routes))
    if (method === "GET" && path.startsWith("/v1/operator/"))
      await say({ path: path.replace(/:\w+/g, ID), headers: operator });
  await say(
    post(routes.addApp.path, { name: "Hut book", redirectUris: ["http://localhost:9/in"] }, operator),
  );
  await say(post("/v1/operator/accounts", { email: "guest@brina.example", invite: true }, operator));
  await say({ path: "/v1/development/traces?of=all&limit=1" });
  return answers;
}

test("RY-5 the sources and what is shipped answer more than a hundred requests alike", async () => {
  const [one, other] = [await everything(fromSources), await everything(shipped)];
  expect(one.length).toBeGreaterThan(150);
  expect(new Set(one.map(({ status }) => status)).size).toBeGreaterThan(6);
  const differences = one.flatMap((answer, place) => {
    const said = other[place];
    return JSON.stringify(answer) === JSON.stringify(said) ? [] : [{ fromSources: answer, shipped: said }];
  });
  expect(differences).toEqual([]);
});
