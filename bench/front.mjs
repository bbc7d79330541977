/**
 * How many requests an application answers behind `lucchetto front`, against the same application with the hasp inside.
 *
 *     node bench/front.mjs [--sessions 10000] [--connections 64,16] [--seconds 1.5] [--rounds 9]
 *
 * Each side is a process of its own, the front a second one before its application; one service answers both. They are driven by short turns
 * from one process, and the medians of the turns are compared.
 */
import { fork, spawn } from "node:child_process";
import { fileURLToPath } from "node:url";
import { parseArgs } from "node:util";
import { freePort } from "../scripts/process.mjs";
import { say } from "../scripts/say.mjs";
import { costsInWords, drive, middleOf } from "./drive.mjs";
import { startBenchService } from "./service.mjs";
import { fillSessions, tokenOf } from "./sessions.mjs";

const { values } = parseArgs({
  options: {
    sessions: { type: "string", default: "10000" },
    connections: { type: "string", default: "64,16" },
    seconds: { type: "string", default: "1.5" },
    rounds: { type: "string", default: "9" },
  },
});
const SESSIONS = Number(values.sessions);
const COMMAND = fileURLToPath(new URL("../cli/bin/lucchetto.js", import.meta.url));

const service = await startBenchService({}, { production: true });
const key = await fillSessions(service, { sessions: SESSIONS });
const any = () => 1 + Math.floor(Math.random() * SESSIONS);
const children = [];

async function startApp(side) {
  const port = await freePort();
  const returnAddress = `http://localhost:${port}/signed-in`;
  const options = { service: service.url, clientId: "bench", appKey: key, returnAddress };
  const child = fork(
    new URL("./hasp-app.mjs", import.meta.url),
    [JSON.stringify({ side, framework: "fastify", port, options, database: service.database })],
    { env: { ...process.env, NODE_ENV: "production" } },
  );
  await new Promise((resolve, reject) => {
    child.once("message", resolve);
    child.once("exit", () => reject(new Error(`the side ${side} did not start`)));
  });
  children.push(child);
  return { port, pid: child.pid };
}

async function startFront(appPort) {
  const port = await freePort();
  const args = [
    "front",
    "--url",
    service.url,
    "--app",
    `http://127.0.0.1:${appPort}`,
    "--listen",
    String(port),
  ];
  const child = spawn(process.execPath, [COMMAND, ...args, "--closed", "/members", "--client-id", "bench"], {
    env: { ...process.env, NODE_ENV: "production", LUCCHETTO_APP_KEY: key },
    stdio: ["ignore", "pipe", "inherit"],
  });
  await new Promise((resolve) =>
    child.stdout.on("data", (chunk) => `${chunk}`.includes("Ctrl-C") && resolve()),
  );
  children.push(child);
  return { port, pid: child.pid };
}

const inside = await startApp("hasp");
const behind = await startApp("header");
const front = await startFront(behind.port);
const requestTo = (port) => () =>
  `GET /members HTTP/1.1\r\nHost: localhost:${port}\r\nCookie: lucchetto-check-${port}=${tokenOf(any())}\r\n\r\n`;
const sides = {
  hasp: { port: inside.port, processes: { application: inside.pid, ...service.pids } },
  front: { port: front.port, processes: { front: front.pid, application: behind.pid, ...service.pids } },
};
for (const side of Object.values(sides)) {
  side.request = requestTo(side.port);
  side.holds = '"hello":"';
  await drive({ ...side, connections: 64, seconds: 3 });
}
for (const connections of values.connections.split(",").map(Number)) {
  const turns = { hasp: [], front: [] };
  for (let round = 1; round <= Number(values.rounds); round += 1)
    for (const [name, side] of Object.entries(sides))
      turns[name].push(await drive({ ...side, connections, seconds: Number(values.seconds) }));
  const [hasp, through] = ["hasp", "front"].map((name) => middleOf(turns[name]));
  say(
    `${SESSIONS} sessions, ${connections} connections, medians of ${values.rounds} turns: hasp inside ${hasp.rate.toFixed(0)}/s (p99 ${hasp.p99.toFixed(1)} ms), through the front ${through.rate.toFixed(0)}/s (p99 ${through.p99.toFixed(1)} ms): ${(through.rate / hasp.rate).toFixed(2)} of it`,
  );
  for (const [name, costs] of Object.entries({ hasp, front: through }))
    say(`  ${name}: ${costsInWords(costs)}`);
}
for (const child of children) child.kill("SIGINT");
await service.stop();
