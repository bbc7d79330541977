/**
 * Ten thousand connections that say nothing, or half a request: others are served meanwhile, and nothing is left of them.
 *
 *     node bench/faults/idle.mjs [--connections 10000]
 *
 * It wants `ulimit -n` well above the number of connections, for itself and for the service.
 */
import { connect } from "node:net";
import { performance } from "node:perf_hooks";
import { setTimeout as pause } from "node:timers/promises";
import { parseArgs } from "node:util";
import { beginLoad, inWords, longestOf } from "./load.mjs";
import { judge, resourcesOf, setStage } from "./stage.mjs";

const { values } = parseArgs({ options: { connections: { type: "string", default: "10000" } } });
const COUNT = Number(values.connections);
/** Requests a second meanwhile. */
const RATE = 8;
const stage = await setStage({ instances: 1 });
const [{ child, url }] = stage.running;
const port = Number(new URL(url).port);
const look = () => resourcesOf(child);

/** Says one thing and nothing more. */
function open(said) {
  return new Promise((resolve) => {
    const socket = connect(port, "127.0.0.1", () => {
      if (said !== "") socket.write(said);
      resolve(socket);
    });
    socket.on("error", () => resolve(null));
    socket.resume();
  });
}

const load = beginLoad(stage.urls, { rate: RATE, authorization: await stage.addApp() });
await pause(4_000);
const before = look();
const sockets = [];
const SAID = [
  "",
  "GET /healthz HTTP/1.1\r\nHost: 127.0.0.1\r\n",
  "GET /healthz HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n",
];
while (sockets.length < COUNT)
  sockets.push(
    ...(await Promise.all(Array.from({ length: 200 }, (_, one) => open(SAID[one % SAID.length])))),
  );
const opened = performance.now();
await pause(3_000);
const during = look();
const limit = before.descriptors + 50;
while (look().descriptors > limit && performance.now() - opened < 150_000) await pause(500);
const goneAfter = (performance.now() - opened) / 1_000;
await pause(2_000);
const after = look();
const answers = await load.end();
for (const socket of sockets) socket?.destroy();
await stage.strike();

judge(
  `${COUNT} connections that say nothing, half a request, or one request and no more; one instance, ${RATE} requests a second`,
  [
    {
      wanted: "all of them are taken",
      came: `${sockets.filter(Boolean).length}; ${during.descriptors} descriptors, ${during.megabytes.toFixed(0)} MiB`,
      holds: sockets.every(Boolean),
    },
    {
      wanted: "others are served meanwhile",
      came: `${inWords(answers)}, the longest ${longestOf(answers).toFixed(0)} ms`,
      holds: answers.every(({ status }) => status > 0 && status < 500),
    },
    {
      wanted: "who says nothing is cut off within 2 min",
      came: `${after.descriptors} descriptors after ${goneAfter.toFixed(0)} s, ${before.descriptors} before`,
      holds: after.descriptors <= limit,
    },
    {
      wanted: "memory stays bounded",
      came: `${before.megabytes.toFixed(0)} MiB before, ${during.megabytes.toFixed(0)} meanwhile, ${after.megabytes.toFixed(0)} after`,
      holds: during.megabytes < before.megabytes + 300,
    },
  ],
);
