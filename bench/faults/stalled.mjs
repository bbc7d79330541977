/**
 * Clients that send many requests at once, read nothing and go away, or stay: descriptors and memory are back afterwards.
 *
 *     node bench/faults/stalled.mjs [--clients 200] [--rounds 5]
 */
import { connect } from "node:net";
import { setTimeout as pause } from "node:timers/promises";
import { parseArgs } from "node:util";
import { judge, resourcesOf, setStage } from "./stage.mjs";

const { values } = parseArgs({
  options: { clients: { type: "string", default: "200" }, rounds: { type: "string", default: "5" } },
});
const CLIENTS = Number(values.clients);
const stage = await setStage({ instances: 1 });
const [{ child, url }] = stage.running;
const port = Number(new URL(url).port);
const look = () => resourcesOf(child);
const page = await (await fetch(`${url}/sign-in`)).text();
const asset = /\/assets\/[\w.-]+\.js/.exec(page)[0];
const requests = (path) => `GET ${path} HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n`.repeat(30);

/** So many clients that read nothing. */
function stall(path) {
  return Promise.all(
    Array.from(
      { length: CLIENTS },
      () =>
        new Promise((resolve) => {
          const socket = connect(port, "127.0.0.1", () => {
            socket.pause();
            socket.write(requests(path), () => resolve(socket));
          });
          socket.on("error", () => resolve(socket));
        }),
    ),
  );
}

const isServed = async () => (await fetch(`${url}/healthz`)).status === 200;
const before = look();
let most = before.megabytes;
let served = true;
for (let round = 0; round < Number(values.rounds); round += 1) {
  const sockets = await stall(asset);
  await pause(200);
  most = Math.max(most, look().megabytes);
  served &&= await isServed();
  for (const socket of sockets) socket.destroy();
}
const staying = await stall("/openapi.json");
await pause(1_000);
most = Math.max(most, look().megabytes);
served &&= await isServed();
const during = look().descriptors;
// Who takes nothing is cut off, and need not go by itself.
await pause(65_000);
const after = look();
for (const socket of staying) socket.destroy();
await stage.strike();

judge(
  `${CLIENTS} clients that send thirty requests and read nothing, ${values.rounds} rounds, and once more without going away`,
  [
    { wanted: "others are served meanwhile", came: served ? "yes" : "no", holds: served },
    {
      wanted: "descriptors are back",
      came: `${before.descriptors} before, ${during} meanwhile, ${after.descriptors} after`,
      holds: after.descriptors <= before.descriptors + 5,
    },
    {
      wanted: "memory stays bounded",
      came: `${before.megabytes.toFixed(0)} MiB before, ${most.toFixed(0)} at most, ${after.megabytes.toFixed(0)} after`,
      holds: most < before.megabytes + 250,
    },
  ],
);
