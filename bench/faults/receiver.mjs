/**
 * The receiver of notices hangs, refuses everything, and dies in the middle of answers, under load: who asks for something waits
 * for none of it, and every notice arrives when the receiver is well again.
 *
 *     node bench/faults/receiver.mjs [--seconds 12] [--rate 10]
 */
import { randomBytes } from "node:crypto";
import { createServer } from "node:http";
import { performance } from "node:perf_hooks";
import { setTimeout as pause } from "node:timers/promises";
import { parseArgs } from "node:util";
import { beginLoad, inWords, longestOf } from "./load.mjs";
import { judge, setStage } from "./stage.mjs";

const { values } = parseArgs({
  options: { seconds: { type: "string", default: "12" }, rate: { type: "string", default: "10" } },
});
let mode = "well";
const received = new Set();
const receiver = createServer((request, response) => {
  if (mode === "cut") return void request.once("data", () => request.socket.destroy());
  request.resume().on("end", () => {
    if (mode === "hang") return;
    if (mode === "refuse") return response.writeHead(503).end();
    received.add(request.headers["webhook-id"]);
    response.writeHead(204).end();
  });
});
await new Promise((resolve) => receiver.listen(0, "127.0.0.1", resolve));
const stage = await setStage({
  instances: 1,
  settings: {
    // Production speaks https alone, which is not the matter here.
    mode: "development",
    publicUrl: "http://localhost",
    webhooks: {
      notify: { url: `http://127.0.0.1:${receiver.address().port}/` },
      privateReceivers: ["127.0.0.1"],
    },
  },
  secrets: { LUCCHETTO_WEBHOOKS_SECRET: `whsec_${randomBytes(32).toString("base64")}` },
});
const load = beginLoad(stage.urls, { rate: Number(values.rate), authorization: await stage.addApp() });
await pause(5_000);
const falls = [];
for (const fall of ["hang", "refuse", "cut"]) {
  mode = fall;
  const began = performance.now();
  await pause(Number(values.seconds) * 1_000);
  mode = "well";
  falls.push({ fall, answers: load.answers.filter((one) => one.began >= began) });
  await pause(3_000);
}
await load.end();
const wellAt = performance.now();
const count = async (where) =>
  Number((await stage.database.query(`SELECT COUNT(*) AS n FROM delivery WHERE ${where}`))[0][0].n);
while ((await count("state = 'waiting'")) > 0 && performance.now() - wellAt < 300_000) await pause(500);
const allAfter = (performance.now() - wellAt) / 1_000;
const [all, waiting, givenUp] = [
  await count("TRUE"),
  await count("state = 'waiting'"),
  await count("state = 'given-up'"),
];
await stage.strike();
receiver.closeAllConnections();
receiver.close();

judge(
  `A receiver that falls in three ways for ${values.seconds} s each, one instance, ${values.rate} requests a second`,
  [
    ...falls.map(({ fall, answers }) => ({
      wanted: `${fall}: nobody waits`,
      came: `${inWords(answers)}, the longest ${longestOf(answers).toFixed(0)} ms`,
      holds: answers.every(({ status }) => status > 0 && status < 500) && longestOf(answers) < 3_000,
    })),
    {
      wanted: "every notice arrives, and none is given up",
      came: `${all} noted, ${received.size} arrived, ${waiting} waiting, ${givenUp} given up`,
      holds: all > 0 && received.size === all && waiting === 0 && givenUp === 0,
    },
    {
      wanted: "soon after it is well (the next try is at most 2 min away)",
      came: `${allAfter.toFixed(0)} s`,
      holds: allAfter <= 150,
    },
  ],
);
