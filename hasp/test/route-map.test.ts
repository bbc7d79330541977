import { expect, test } from "@jest/globals";
/** The map: every route, and what was said of it, wherever it was said. */
import type { MappedRoute } from "@lucchetto/contract/apps";
import express from "express";
import Fastify from "fastify";
import { expressHasp } from "../src/express.ts";
import { fastifyHasp } from "../src/fastify.ts";
import type { HaspOptions } from "../src/options.ts";
import { sampleOf } from "../src/route-map.ts";
import { testAccounts } from "../src/testing.ts";

/** As `GET /members closed keeper or cook`. */
const lines = (routes: readonly MappedRoute[]): string[] =>
  routes
    .filter(({ access }) => access !== "own")
    .map((one) => {
      const wanted = one.wanted.map((wish) => JSON.stringify(wish)).join();
      return `${one.method} ${one.isWhole ? "" : "…"}${one.path} ${one.access} ${wanted}`.trimEnd();
    })
    .toSorted();

async function fastify(more: Partial<HaspOptions> = {}) {
  const app = Fastify();
  await app.register(fastifyHasp, { ...testAccounts().options, ...more });
  const { hasp } = app;
  const nothing = async () => "";
  app.get("/", { preHandler: hasp.open() }, nothing);
  app.get("/style.css", { preHandler: hasp.open({ asks: false }) }, nothing);
  app.get("/forgotten", nothing);
  app.get("/members/*", { onRequest: [hasp.closed()] }, nothing);
  app.post(
    "/huts/:id",
    { preHandler: hasp.closed({ label: { any: ["keeper", "cook"] }, level: 2 }) },
    nothing,
  );
  await app.register(async (inner) => {
    inner.get("/inside", nothing);
    inner.addHook("onRequest", inner.hasp.closed({ freshWithin: 300 }));
    await inner.register(async (deeper) => {
      deeper.get("/deeper", { preHandler: hasp.closed({ label: "keeper" }) }, nothing);
    });
  });
  await app.register(async (beside) => {
    beside.get("/beside", nothing);
  });
  await app.ready();
  return app;
}

test("Fastify: by handlers of the route, by hooks of what it stands in, and by a guard", async () => {
  const app = await fastify();
  expect(lines(app.hasp.map())).toEqual([
    "GET / open",
    "GET /beside undeclared",
    'GET /deeper closed {"freshWithin":300},{"label":"keeper"}',
    "GET /forgotten undeclared",
    'GET /inside closed {"freshWithin":300}',
    "GET /members/* closed {}",
    "GET /style.css open",
    'POST /huts/:id closed {"label":{"any":["keeper","cook"]},"level":2}',
  ]);
  const guarded = await fastify({ guard: { closed: [{ path: "/beside", label: "keeper" }, "/huts/*"] } });
  expect(lines(guarded.hasp.map())).toEqual(
    expect.arrayContaining([
      'GET /beside closed {"label":"keeper"}',
      "GET /forgotten undeclared",
      'POST /huts/:id closed {"label":{"any":["keeper","cook"]},"level":2},{}',
    ]),
  );
  const inverse = await fastify({ guard: { open: ["/beside"] } });
  expect(lines(inverse.hasp.map())).toEqual(
    expect.arrayContaining(["GET /beside open", "GET /forgotten closed {}", "GET / closed {}"]),
  );
  // The hook still does its work.
  expect((await app.inject("/inside")).statusCode).toBe(401);
});

test("Express: by handlers of the route and by what stands before it; of a nested router where it stands is not known", async () => {
  const app = express();
  const hasp = expressHasp({ ...testAccounts().options, guard: { closed: ["/guarded"] } });
  const end = (_asked: unknown, reply: { end(): void }) => reply.end();
  app.use(hasp.own());
  app.get("/", hasp.open(), end);
  app.get("/forgotten", end);
  app.get("/guarded", end);
  app.use("/members", hasp.closed());
  app.get("/members/nights", end);
  app.post("/members/nights", hasp.closed({ label: "keeper" }), end);
  const router = express.Router();
  router.get("/ledger", hasp.closed({ level: 2 }), end);
  router.get("/lost", end);
  app.use("/keepers", router);
  app.use(hasp.closed({ accessKeys: false }));
  app.all("/last", end);
  expect(lines(hasp.map(app))).toEqual([
    'ALL /last closed {"accessKeys":false}',
    "GET / open",
    "GET /forgotten undeclared",
    "GET /guarded closed {}",
    "GET /members/nights closed {}",
    'GET …/ledger closed {"level":2}',
    "GET …/lost undeclared",
    'POST /members/nights closed {},{"label":"keeper"}',
  ]);
});

test("it is shown in development alone, and under a name of this machine alone", async () => {
  const shown = await fastify({ development: true });
  const json = await shown.inject("/hasp-map");
  expect(lines(json.json<{ routes: MappedRoute[] }>().routes)).toEqual(lines(shown.hasp.map()));
  const page = await shown.inject({ url: "/hasp-map", headers: { accept: "text/html" } });
  expect(page.body).toContain("<strong>2 undeclared</strong>");
  expect(page.headers["content-security-policy"]).toMatch(/^default-src 'none'/);
  for (const more of [
    { development: false },
    { development: true, returnAddress: "https://huts.example/in" },
  ])
    expect((await (await fastify(more)).inject("/hasp-map")).statusCode).toBe(404);
});

test("a sample of a path", () => {
  const of = {
    "/huts/:id": "/huts/x",
    "/members/*": "/members/x",
    "/a/:b(\\d+)/c": "/a/x/c",
    "/{*rest}": "/x",
    "/:a-:b?": "/x-x",
  };
  for (const [path, sample] of Object.entries(of)) expect([path, sampleOf(path)]).toEqual([path, sample]);
});
