/**
 * How many requests an application answers that is behind the hasp, against the same application with one prepared
 * primary-key join of its own, and without any check.
 *
 *     node bench/behind-the-hasp.mjs [--frameworks fastify,express] [--sessions 1000000] [--connections 64,16] [--seconds 1.5]
 *         [--rounds 15] [--pool 1G] [--profile FOLDER]
 *
 * Each side is a process of its own before one MariaDB and, for the hasp, one service; they are driven by short turns from one
 * process, as tokens drawn at random from all sessions come. The medians of the turns are compared. With --profile each process leaves
 * a CPU profile there, for `profile-picture.mjs`.
 */
import { fork } from "node:child_process";
import { parseArgs } from "node:util";
import { freePort } from "../scripts/process.mjs";
import { say } from "../scripts/say.mjs";
import { costsInWords, drive, middleOf } from "./drive.mjs";
import { profiling, startBenchService } from "./service.mjs";
import { fillSessions, idOf, tokenOf } from "./sessions.mjs";

const { values } = parseArgs({
  options: {
    frameworks: { type: "string", default: "fastify,express" },
    sessions: { type: "string", default: "1000000" },
    connections: { type: "string", default: "64,16" },
    seconds: { type: "string", default: "1.5" },
    rounds: { type: "string", default: "15" },
    pool: { type: "string", default: "1G" },
    profile: { type: "string" },
  },
});
const SESSIONS = Number(values.sessions);
/** Connections that an application has to the database, as the service has. */
const POOL = 10;

const service = await startBenchService({}, { production: true, pool: values.pool, profile: values.profile });
const key = await fillSessions(service, { sessions: SESSIONS });
const database = { ...service.database, connectionLimit: POOL };

const any = () => 1 + Math.floor(Math.random() * SESSIONS);
for (const framework of values.frameworks.split(",")) {
  const sides = {};
  const children = [];
  for (const side of ["hasp", "join", "none"]) {
    const port = await freePort();
    const returnAddress = `http://localhost:${port}/signed-in`;
    const options = { service: service.url, clientId: "bench", appKey: key, returnAddress };
    const child = fork(
      new URL("./hasp-app.mjs", import.meta.url),
      [JSON.stringify({ side, framework, port, options, database })],
      {
        env: { ...process.env, NODE_ENV: "production" },
        execArgv: profiling(values.profile, `${framework}-${side}`),
      },
    );
    await new Promise((resolve, reject) => {
      child.once("message", resolve);
      child.once("exit", () => reject(new Error(`the side ${side} did not start`)));
    });
    children.push(child);
    const cookie = {
      hasp: () => `lucchetto-check-${port}=${tokenOf(any())}`,
      join: () => `session=${idOf(any(), "5")}`,
      none: () => `session=${idOf(any(), "5")}`,
    }[side];
    const request = () => `GET /members HTTP/1.1\r\nHost: localhost:${port}\r\nCookie: ${cookie()}\r\n\r\n`;
    const processes = { application: child.pid, ...service.pids };
    sides[side] = {
      port,
      request,
      holds: side === "none" ? '"hello":"everybody"' : '"hello":"guest',
      processes,
    };
  }
  for (const side of Object.values(sides)) await drive({ ...side, connections: 64, seconds: 3 });
  for (const connections of values.connections.split(",").map(Number)) {
    const turns = { hasp: [], join: [], none: [] };
    for (let round = 1; round <= Number(values.rounds); round += 1)
      for (const [name, side] of Object.entries(sides))
        turns[name].push(await drive({ ...side, connections, seconds: Number(values.seconds) }));
    const [hasp, join, none] = ["hasp", "join", "none"].map((name) => middleOf(turns[name]));
    say(
      `${framework}, ${SESSIONS} sessions, buffer pool ${values.pool}, ${connections} connections, medians of ${values.rounds} turns: hasp ${inWords(hasp)}, own join ${inWords(join)}, no check ${inWords(none)}: the hasp ${(hasp.rate / join.rate).toFixed(2)} times the join, its p99 ${(hasp.p99 / join.p99).toFixed(2)} of the join's`,
    );
    for (const [name, costs] of Object.entries({ hasp, join, none }))
      say(`  ${name}: ${costsInWords(costs)}`);
  }
  for (const child of children) child.kill("SIGINT");
}
await service.stop();

function inWords({ rate, p99 }) {
  return `${rate.toFixed(0)}/s (p99 ${p99.toFixed(1)} ms)`;
}
