/**
 * How fast an application is told who is there, against a bare Fastify route that makes one prepared primary-key join
 * with the same driver for each request.
 *
 *     node bench/session-check.mjs [--sessions 1000000] [--connections 64,16] [--seconds 1.5] [--rounds 15] [--runs 1] [--pool 1G] [--unseen] [--profile FOLDER]
 *
 * Both sides are processes of their own before one MariaDB, whose buffer pool holds a million of each (1 GiB unless said otherwise), asked by short turns for
 * tokens drawn at random from all sessions; the medians of the turns are compared, so that a neighbour's noise weighs little. All sessions count as seen within the last minute, as those in use are;
 * with --unseen each is used for the first time, so that every request also has a last use to be written.
 */
import { fork } from "node:child_process";
import { parseArgs } from "node:util";
import { freePort } from "../scripts/process.mjs";
import { say } from "../scripts/say.mjs";
import { costsInWords, drive, middle, middleOf } from "./drive.mjs";
import { startBenchService } from "./service.mjs";
import { fillSessions, idOf, tokenOf } from "./sessions.mjs";

const { values } = parseArgs({
  options: {
    sessions: { type: "string", default: "1000000" },
    connections: { type: "string", default: "64,16" },
    seconds: { type: "string", default: "1.5" },
    rounds: { type: "string", default: "15" },
    runs: { type: "string", default: "1" },
    pool: { type: "string", default: "1G" },
    unseen: { type: "boolean", default: false },
    profile: { type: "string" },
  },
});
const SESSIONS = Number(values.sessions);
const SECONDS = Number(values.seconds);
const POOL = 10;

const service = await startBenchService({}, { production: true, pool: values.pool, profile: values.profile });
const key = await fillSessions(service, { sessions: SESSIONS, unseen: values.unseen });

const barePort = await freePort();
const bare = fork(new URL("./bare-check.mjs", import.meta.url), [
  String(barePort),
  JSON.stringify({ ...service.database, connectionLimit: POOL }),
]);
await new Promise((resolve) => bare.once("message", resolve));

const authorization = `Basic ${Buffer.from(`bench:${key}`).toString("base64")}`;
const introspect = () => {
  const body = `token=${tokenOf(1 + Math.floor(Math.random() * SESSIONS))}`;
  return `POST /oauth/introspect HTTP/1.1\r\nHost: bench\r\nAuthorization: ${authorization}\r\nContent-Type: application/x-www-form-urlencoded\r\nContent-Length: ${body.length}\r\n\r\n${body}`;
};
const join = () =>
  `GET /check/${idOf(1 + Math.floor(Math.random() * SESSIONS), "5")} HTTP/1.1\r\nHost: bench\r\n\r\n`;

const { database, service: serviceId } = service.pids;
const sides = {
  check: {
    port: Number(new URL(service.url).port),
    request: introspect,
    holds: '"active":true',
    processes: { service: serviceId, database },
  },
  bare: {
    port: barePort,
    request: join,
    holds: '"email":"guest',
    processes: { application: bare.pid, database },
  },
};
for (const side of Object.values(sides)) await drive({ ...side, connections: 64, seconds: 3 });
for (const connections of values.connections.split(",").map(Number)) {
  const ratios = [];
  for (let run = 1; run <= Number(values.runs); run += 1) ratios.push(await compare(connections));
  if (ratios.length > 1)
    say(`${connections} connections, median of ${ratios.length} runs: ${middle(ratios).toFixed(2)}`);
}
bare.kill();
await service.stop();

/** One run: turns of both sides, and what their medians say. @returns how many times as many checks as joins. */
async function compare(connections) {
  const turns = { check: [], bare: [] };
  for (let round = 1; round <= Number(values.rounds); round += 1) {
    for (const [name, side] of Object.entries(sides))
      turns[name].push(await drive({ ...side, connections, seconds: SECONDS }));
  }
  const check = middleOf(turns.check);
  const other = middleOf(turns.bare);
  say(
    `${SESSIONS} sessions, buffer pool ${values.pool}, ${connections} connections, medians of ${values.rounds} turns: check ${rate(check)} (p99 ${ms(check.p99)}), bare join ${rate(other)} (p99 ${ms(other.p99)}): ${(check.rate / other.rate).toFixed(2)} times as many; the check's p99 is ${(check.p99 / other.p99).toFixed(2)} of the bare one's`,
  );
  for (const [name, costs] of Object.entries({ check, bare: other }))
    say(`  ${name}: ${costsInWords(costs)}`);
  return check.rate / other.rate;
}

function rate({ rate }) {
  return `${rate.toFixed(0)}/s`;
}
function ms(milliseconds) {
  return `${milliseconds.toFixed(1)} ms`;
}
