/** Forms of an application's own, by plain HTTP: what its server keeps, and what a browser is worth that somebody touched before. */
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import { ProblemError, routes } from "@lucchetto/contract";
import Fastify from "fastify";
import { registerApp } from "../../testing/sample-app.ts";
import { enrolAuthenticator } from "../../testing/second-factor.ts";
import type { TestService } from "../../testing/service.ts";
import { freePort, PASSWORD, send, startService } from "../../testing/service.ts";
import { cookiesOf } from "../../testing/way-in.ts";
import { fastifyHasp } from "../src/fastify.ts";
import { HaspOptionsError, readOptions } from "../src/options.ts";

let service: TestService;
let app: Awaited<ReturnType<typeof start>>;
/** A store that several instances might share. */
const kept = new Map<string, string>();
beforeAll(async () => {
  service = await startService();
  app = await start();
});
afterAll(async () => {
  await app.close();
  await service.stop();
});

async function start() {
  const port = await freePort();
  const options = await registerApp(service, port);
  const made = Fastify();
  await made.register(fastifyHasp, {
    ...options,
    forms: {
      page: "/desk",
      keep: {
        read: (key) => kept.get(key) ?? null,
        write: (key, value) => void kept.set(key, value),
        remove: (key) => void kept.delete(key),
      },
    },
  });
  made.get("/members", { preHandler: made.hasp.closed() }, async () => "members");
  made.post<{ Body: { email?: string; code?: string } }>("/desk", async ({ body }, reply) => {
    const { call } = made.hasp.forms.before(reply.request, reply);
    const { email, code = "" } = body;
    try {
      const proof =
        email === undefined
          ? { type: "totp" as const, code }
          : { type: "password" as const, identifier: email, password: PASSWORD };
      const { body: came } =
        proof.type === "totp"
          ? await call(routes.addProof, { body: { proof } })
          : await call(routes.signIn, { body: { proof } });
      return came.outcome;
    } catch (error) {
      if (error instanceof ProblemError) return error.problem.code;
      throw error;
    }
  });
  await made.listen({ host: "127.0.0.1", port });
  return { url: `http://localhost:${port}`, close: () => made.close() };
}

const nameOf = (what: string) => `lucchetto-${what}-${new URL(app.url).port}`;
const post = (path: string, body: object, cookie = "") =>
  send(app, "POST", path, {
    body: JSON.stringify(body),
    headers: { "content-type": "application/json", origin: app.url, cookie },
  });
const cookie = (all: string, what: string) =>
  all.split("; ").find((one) => one.startsWith(nameOf(what))) ?? "";
const isOpen = async (cookies: string) =>
  (await send(app, "GET", "/members", { headers: { cookie: cookies } })).status === 200;

test("WH-4 a handle that somebody put into the browser leads to no sign-in that is begun under it", async () => {
  const { token } = await service.register("anna@brina.example");
  const { code } = await enrolAuthenticator(service, token);
  await service.clock.advance(60_000);
  const planted = `${nameOf("form")}=${"p".repeat(43)}`;
  const begun = await post("/desk", { email: "anna@brina.example" }, planted);
  expect(begun.text).toBe("proof-wanted");
  // Whoever knows the planted handle shows the code that they watched: there is nothing to go on with.
  const thief = await post("/desk", { code: code() }, planted);
  expect(thief.text).not.toBe("signed-in");
  const own = await post("/desk", { code: code() }, cookiesOf(begun.headers));
  expect([own.text, await isOpen(cookiesOf(own.headers))]).toEqual(["signed-in", true]);
});

test("WH-4 a shared store holds no token, and nothing of it opens without the browser's handle", async () => {
  await service.register("bruno@brina.example");
  kept.clear();
  const { headers } = await post("/desk", { email: "bruno@brina.example" });
  const cookies = cookiesOf(headers);
  const handle = cookie(cookies, "form").split("=")[1] ?? "";
  const all = JSON.stringify([...kept]);
  expect(kept.size).toBe(1);
  expect(all).not.toMatch(/lc[sikp]_/);
  expect(all).not.toContain(handle);
  // Keys of the store are no handles.
  const [key = ""] = kept.keys();
  expect((await post("/sign-out", {}, `${nameOf("form")}=${key}`)).status).toBe(303);
  expect(await isOpen(cookies)).toBe(true);
});

test("WH-4 signing out ends the session, also where the browser lost the check token", async () => {
  const { id } = await service.register("carla@brina.example");
  const cookies = cookiesOf((await post("/desk", { email: "carla@brina.example" })).headers);
  expect(await isOpen(cookies)).toBe(true);
  expect((await post("/sign-out", {}, cookie(cookies, "form"))).status).toBe(303);
  expect(await isOpen(cookies)).toBe(false);
  const operator = service.as(await service.operator());
  const { items } = (await operator(routes.listSessions, { query: { accountId: id } })).body;
  expect(items.find(({ appName }) => appName !== null)?.endReason).toBe("signed-out");
});

test("pages for mailed links are an app's with own forms alone; a form's page is a path", async () => {
  const operator = service.as(await service.operator());
  const linkAddresses = { reset: "https://huts.example/reset" };
  const body = { name: "No forms", redirectUris: ["https://huts.example/in"], linkAddresses };
  await expect(operator(routes.addApp, { body })).rejects.toMatchObject({
    problem: { errors: [expect.objectContaining({ code: "own-forms-first" })] },
  });
  for (const page of ["/desk?x=1", "/desk#x", "https://evil.test/", "//evil.test", ""])
    expect(() =>
      readOptions({
        service: service.url,
        clientId: "x",
        appKey: "lcp_x",
        returnAddress: "http://localhost/in",
        forms: { page },
      }),
    ).toThrow(HaspOptionsError);
});
