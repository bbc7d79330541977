/**
 * One side of behind-the-hasp.mjs: an application with one closed page, which knows its visitor by the hasp (`hasp`), by one prepared
 * primary-key join of its own (`join`), or not at all
 * (`none`); or what a front before it says (`header`).
 */
import { expressHasp } from "@lucchetto/hasp/express";
import { fastifyHasp } from "@lucchetto/hasp/fastify";
import express from "express";
import Fastify from "fastify";
import { createPool } from "mysql2/promise";

const { side, framework, port, options, database } = JSON.parse(process.argv[2]);

const pool = side === "join" ? createPool({ ...database, timezone: "Z" }) : null;
const JOIN = `SELECT s.id AS sid, s.kind, s.aal, s.amr, s.authTime, s.createdAt, s.lastSeenAt, s.idleEndsAt, s.endsAt, s.endedAt,
    a.id, a.reference, a.email, a.emailVerifiedAt, a.username, a.displayName, a.state, a.labels
  FROM session s JOIN account a ON a.id = s.accountId WHERE s.id = ?`;
const COOKIE = /(?:^|; )session=([0-9a-f-]{36})/;

/** Who has this session, if it is alive. */
async function join(cookies = "") {
  const id = COOKIE.exec(cookies)?.[1];
  if (id === undefined) return null;
  const [[row]] = await pool.execute(JOIN, [id]);
  const now = new Date();
  const isAlive = row?.endedAt === null && row.endsAt > now && row.idleEndsAt > now && row.state === "active";
  return isAlive ? row : null;
}

const hello = (account) => ({ hello: account?.email ?? "everybody" });

async function startFastify() {
  const app = Fastify();
  if (side === "hasp") await app.register(fastifyHasp, options);
  const preHandler = {
    hasp: () => app.hasp.closed(),
    join: () => async (request, reply) => {
      request.account = await join(request.headers.cookie);
      if (request.account === null) return reply.status(401).send();
    },
    none: () => async () => undefined,
    header: () => async (request) => {
      request.account = { email: request.headers["lucchetto-username"] };
    },
  }[side]();
  app.get("/members", { preHandler }, async (request) => hello(request.account));
  await app.listen({ port, host: "127.0.0.1" });
}

async function startExpress() {
  const app = express();
  app.disable("x-powered-by");
  app.disable("etag");
  const hasp = side === "hasp" ? expressHasp(options) : null;
  if (hasp !== null) app.use(hasp.own());
  const middleware = {
    hasp: () => hasp.closed(),
    join: () => async (request, response, next) => {
      request.account = await join(request.headers.cookie);
      return request.account === null ? response.status(401).end() : next();
    },
    none: () => (_request, _response, next) => next(),
  }[side]();
  app.get("/members", middleware, (request, response) => response.json(hello(request.account)));
  await new Promise((resolve) => app.listen(port, "127.0.0.1", resolve));
}

process.once("SIGINT", () => process.exit(0));
await { fastify: startFastify, express: startExpress }[framework]();
process.send("ready");
