/** Every call of the contract, answered by something that is not Lucchetto or breaks off on the way. */
import { readFileSync } from "node:fs";
import type { Server, ServerResponse } from "node:http";
import { createServer } from "node:http";
import type { AddressInfo } from "node:net";
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import { ProblemError, UnreachableError } from "./call.ts";
import { createClient } from "./client.ts";
import { saidOf } from "./read-reply.ts";
import type { Route } from "./route.ts";
import { routes } from "./routes/index.ts";
import type { DeliveryState } from "./shapes/operators.ts";
import { VERSION, VERSION_HEADER } from "./version.ts";

let server: Server;
let answer: (response: ServerResponse) => void;
beforeAll(async () => {
  server = createServer((_request, response) => answer(response));
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", () => resolve()));
});
afterAll(async () => {
  server.closeAllConnections();
  await new Promise((resolve) => server.close(resolve));
});

const html = (status: number) => (response: ServerResponse) =>
  response.writeHead(status, { "content-type": "text/html" }).end("<h1>Under construction</h1>");
const json = (text: string) => (response: ServerResponse) =>
  response.writeHead(200, { "content-type": "application/json" }).end(text);

test.each<[string, (response: ServerResponse) => void]>([
  ["a page of HTML", html(200)],
  ["a gateway's page", html(502)],
  ["a sign-in page of somebody else", html(401)],
  ["a redirect", (response) => response.writeHead(302, { location: "/elsewhere" }).end()],
  ["nothing", json("")],
  ["half of it", json('{"items":[{"id":"01')],
  ["a list", json("[]")],
  ["null", json("null")],
  [
    "a cut body",
    (response) => {
      response.writeHead(200, { "content-type": "application/json", "content-length": "5000" });
      response.write('{"items":[');
      setTimeout(() => response.destroy(), 5);
    },
  ],
  ["a cut connection", (response) => response.destroy()],
  ["silence", () => undefined],
])("%s is said to be no answer of Lucchetto's, whatever was called", async (_what, given) => {
  answer = given;
  const { port } = server.address() as AddressInfo;
  const call = createClient({ baseUrl: `http://127.0.0.1:${port}`, timeout: 1_000 });
  const all = Object.values(routes) as Route[];
  const failed = await Promise.all(
    all.map(async (route) => {
      const parts = {
        params: Object.fromEntries(Object.keys(route.params?.shape ?? {}).map((name) => [name, "1"])),
        ...(route.body === undefined ? {} : { body: {} }),
      };
      return call(route as never, parts as never).then(
        () => `${route.name} took it`,
        (error: unknown) => (error instanceof UnreachableError ? null : `${route.name}: ${String(error)}`),
      );
    }),
  );
  expect(failed.filter((fault) => fault !== null)).toEqual([]);
});

test("an older service that does not know a member is named with its version; one of our own is not", async () => {
  const { port } = server.address() as AddressInfo;
  const call = createClient({ baseUrl: `http://127.0.0.1:${port}` });
  const refuse = (headers: Record<string, string>) => (response: ServerResponse) =>
    response.writeHead(422, { "content-type": "application/problem+json", ...headers }).end(
      JSON.stringify({
        ...{ type: "about:blank", code: "invalid-fields", title: "Some fields are invalid", status: 422 },
        ...{ detail: "One field is invalid.", requestId: "r1" },
        errors: [{ path: "shoeSize", code: "unknown-field", parameters: {}, message: "Unknown." }],
      }),
    );
  const body = { proof: { type: "password", identifier: "anna", password: "x" } } as const;
  const said = async (headers: Record<string, string>) => {
    answer = refuse(headers);
    const failed: unknown = await call(routes.signIn, { body }).catch((error: unknown) => error);
    return failed instanceof ProblemError ? failed.message : failed;
  };
  const unknownTo = (service: string) =>
    `One field is invalid. The service ${service} and does not know shoeSize, which this program of version ${VERSION} sends. Upgrade the service, or leave that out.`;
  expect(await said({ [VERSION_HEADER]: "0.0.9" })).toBe(unknownTo("is version 0.0.9"));
  expect(await said({})).toBe(unknownTo("does not name its version"));
  expect(await said({ [VERSION_HEADER]: VERSION })).toBe("One field is invalid.");
});

test("the release is that of every package", () => {
  for (const room of ["core", "contract", "hasp", "service", "cli", "console"]) {
    const file = new URL(`../../${room}/package.json`, import.meta.url);
    expect(JSON.parse(readFileSync(file, "utf8"))).toMatchObject({ version: VERSION });
  }
});

test("a choice that came after this release is received as it is, and the compiler knows that there may be one", async () => {
  answer = json(
    JSON.stringify({ items: [{ ...DELIVERY, state: "returned" }, DELIVERY], next: null, total: 2, extra: 1 }),
  );
  const { port } = server.address() as AddressInfo;
  const { body } = await createClient({ baseUrl: `http://127.0.0.1:${port}` })(routes.listDeliveries, {
    query: {},
  });
  const [first] = body.items;
  // @ts-expect-error: one of the known ones, or a newer one.
  const known: DeliveryState | undefined = first?.state;
  expect(known).toBe("returned");
  expect(body.items.map(({ state }) => saidOf({ delivered: "arrived" }, state, `(${state})`))).toEqual([
    "(returned)",
    "arrived",
  ]);
});

const DELIVERY = {
  ...{ id: "01980000-0000-7000-8000-000000000000", type: "account.created", accountId: null, tries: 1 },
  ...{ createdAt: "2026-07-01T08:00:00.000Z", nextTryAt: null, lastTryAt: null, lastAnswer: "204" },
  ...{ body: "{}", state: "delivered" },
};
