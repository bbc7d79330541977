/**
 * A client made of nothing but the description of the calls: `api.d.ts` beside it is written by a generator. It registers,
 * signs in with a second factor, signs out, and lists as an operator. Compiled strictly, then run as a process:
 * `journey.js ADDRESS OPERATOR_EMAIL PASSWORD`, codes come on standard input.
 */
import { createInterface } from "node:readline";
import createClient from "openapi-fetch";
import type { components, paths } from "./api.d.ts";

const [baseUrl = "", operatorEmail = "", password = ""] = process.argv.slice(2);
const lines = createInterface({ input: process.stdin })[Symbol.asyncIterator]();

const as = (token?: string) =>
  createClient<paths>({
    baseUrl,
    ...(token === undefined ? {} : { headers: { authorization: `Bearer ${token}` } }),
  });

/** The code of an authenticator with this key URI, as whoever runs this answers. */
async function codeFor(uri: string): Promise<string> {
  process.stdout.write(`code ${uri}\n`);
  return String((await lines.next()).value);
}

function known<Data, Failed>(reply: { data?: Data; error?: Failed }): NonNullable<Data> {
  if (reply.data === undefined || reply.data === null) throw new Error(JSON.stringify(reply.error));
  return reply.data;
}

const email = "generated@brina.example";
const registered = known(
  await as().POST("/v1/accounts", { body: { email, displayName: "Gina", password, deliver: "token" } }),
);
if (registered.outcome !== "signed-in") throw new Error(registered.outcome);
const account: components["schemas"]["Account"] = registered.account;

const first = as(registered.token);
const enrolled = known(await first.POST("/v1/account/totp", { body: { name: "Phone" } }));
const activated = known(
  await first.POST("/v1/account/totp/{id}/activate", {
    params: { path: { id: enrolled.id } },
    body: { code: await codeFor(enrolled.uri) },
  }),
);

const proof = { type: "password", identifier: email, password } as const;
const begun = known(await as().POST("/v1/sign-in", { body: { proof, deliver: "token" } }));
if (begun.outcome !== "proof-wanted") throw new Error(begun.outcome);
const wanted: string[] = begun.wanted;
const signedIn = known(
  await as(begun.token).POST("/v1/sign-in/proof", {
    body: { proof: { type: "totp", code: await codeFor(enrolled.uri) } },
  }),
);
if (signedIn.outcome !== "signed-in") throw new Error(signedIn.outcome);
const level: 1 | 2 = signedIn.session.aal;
const second = as(signedIn.token);
await second.DELETE("/v1/session");
const after = await second.GET("/v1/session");

const office = known(
  await as().POST("/v1/sign-in", {
    body: { proof: { type: "password", identifier: operatorEmail, password }, deliver: "token" },
  }),
);
if (office.outcome !== "signed-in") throw new Error(office.outcome);
const listed = known(
  await as(office.token).GET("/v1/operator/accounts", { params: { query: { search: email } } }),
);

process.stdout.write(
  `done ${JSON.stringify({
    name: account.displayName,
    recoveryCodes: activated.recoveryCodes?.length,
    wanted,
    level,
    afterwards: after.error?.code,
    listed: listed.items.map((one) => one.email),
  })}\n`,
);
process.exit(0);
