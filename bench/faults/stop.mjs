/**
 * SIGTERM: a rolling restart of two instances under load, and a stop while the database is silent.
 *
 *     node bench/faults/stop.mjs [--rate 40]
 */
import { performance } from "node:perf_hooks";
import { setTimeout as pause } from "node:timers/promises";
import { parseArgs } from "node:util";
import { beginLoad, inWords, longestOf } from "./load.mjs";
import { judge, setStage } from "./stage.mjs";

const { values } = parseArgs({ options: { rate: { type: "string", default: "40" } } });
const stage = await setStage();
const load = beginLoad(stage.urls, { rate: Number(values.rate), authorization: await stage.addApp() });
await pause(5_000);
const stops = [];
for (const number of [0, 1]) {
  const { child, url, ended } = stage.running[number];
  const began = performance.now();
  child.kill("SIGTERM");
  // The signal and the first question may pass each other.
  while ((await fetch(`${url}/readyz`)).status !== 503) await pause(5);
  const notReadyAfter = performance.now() - began;
  const status = await ended;
  stops.push({ notReadyAfter, status, took: (performance.now() - began) / 1_000 });
  await stage.start(number);
  await pause(2_000);
}
const answers = await load.end();
const lost = answers.filter(({ status }) => status === 0);
const refused = answers.filter(({ status }) => status >= 500);

stage.proxy.silence(true);
await pause(500);
const waiting = Array.from({ length: 4 }, () =>
  fetch(`${stage.urls[0]}/v1/session`, { headers: { authorization: `Bearer lcs_${"A".repeat(43)}` } }).then(
    ({ status }) => status,
    () => 0,
  ),
);
await pause(200);
const began = performance.now();
stage.running[0].child.kill("SIGTERM");
const hung = await stage.running[0].ended;
const hungFor = (performance.now() - began) / 1_000;
const hungAnswers = await Promise.all(waiting);
await stage.strike();

judge(`A rolling restart of two instances, ${values.rate} requests begun a second`, [
  {
    wanted: "/readyz says 503 within 100 ms",
    came: stops.map(({ notReadyAfter }) => `${notReadyAfter.toFixed(0)} ms`).join(", "),
    holds: stops.every(({ notReadyAfter }) => notReadyAfter <= 100),
  },
  {
    wanted: "both end by themselves",
    came: stops.map(({ status, took }) => `status ${status} after ${took.toFixed(1)} s`).join(", "),
    holds: stops.every(({ status, took }) => status === 0 && took < 13),
  },
  {
    wanted: "no request is lost",
    came: `${answers.length} sent, ${lost.length} lost ${lost
      .slice(0, 3)
      .map(({ what, error }) => `${what} ${error}`)
      .join("; ")}`,
    holds: lost.length === 0,
  },
  { wanted: "none is refused", came: inWords(answers), holds: refused.length === 0 },
  { wanted: "the longest", came: `${longestOf(answers).toFixed(0)} ms`, holds: true },
]);
judge("A stop while the database is silent", [
  {
    wanted: "the process ends within 13 s",
    came: `${hungFor.toFixed(1)} s, status ${hung}`,
    holds: hungFor <= 13,
  },
  {
    wanted: "what was under way is answered",
    came: hungAnswers.join(", "),
    holds: hungAnswers.every((status) => status === 503),
  },
]);
