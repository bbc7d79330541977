/**
 * The database falls silent: connections stay open, new ones are taken, and nothing is answered.
 *
 *     node bench/faults/silent-database.mjs [--seconds 20] [--rate 20]
 */
import { performance } from "node:perf_hooks";
import { setTimeout as pause } from "node:timers/promises";
import { parseArgs } from "node:util";
import { beginLoad, inWords, longestOf } from "./load.mjs";
import { judge, setStage } from "./stage.mjs";

const { values } = parseArgs({
  options: { seconds: { type: "string", default: "20" }, rate: { type: "string", default: "20" } },
});
const stage = await setStage();
const [url] = stage.urls;
const load = beginLoad(stage.urls, { rate: Number(values.rate), authorization: await stage.addApp() });
const ready = () => fetch(`${url}/readyz`).then(({ status }) => status);
/** Seconds until it is so. */
async function until(isSo, limit = 30) {
  const began = performance.now();
  while (!(await isSo()) && performance.now() - began < limit * 1_000) await pause(50);
  return (performance.now() - began) / 1_000;
}

await pause(6_000);
const silentFrom = performance.now();
stage.proxy.silence(true);
const notReadyAfter = await until(async () => (await ready()) === 503);
await pause(Number(values.seconds) * 1_000 - (performance.now() - silentFrom));
const backAt = performance.now();
stage.proxy.silence(false);
const readyAfter = await until(async () => (await ready()) === 200);
await until(
  async () =>
    load.answers.filter(({ began, status }) => began > backAt && status < 300 && status > 0).length > 20,
);
await pause(5_000);
const answers = await load.end();
await stage.strike();

const isDatabaseless = ({ what }) => what === "page" || what === "healthz";
const during = answers.filter(({ began }) => began >= silentFrom && began < backAt);
const after = answers.filter(({ began }) => began > backAt + 5_000);
const untouched = during.filter(isDatabaseless);
judge(
  `A database that is silent for ${values.seconds} s, two instances, ${values.rate} requests begun a second`,
  [
    {
      wanted: "/readyz says 503 within 2 s",
      came: `${notReadyAfter.toFixed(1)} s`,
      holds: notReadyAfter <= 2,
    },
    {
      wanted: "no request is longer than 10 s",
      came: `${(longestOf(answers) / 1_000).toFixed(1)} s`,
      holds: longestOf(answers) <= 10_500,
    },
    { wanted: "the slowest kinds", came: slowest(during), holds: true },
    {
      wanted: "every request is answered",
      came: inWords(during),
      holds: during.every(({ status }) => status !== 0),
    },
    {
      wanted: "pages and /healthz are untouched",
      came: `${untouched.length} asked: ${inWords(untouched)}, the longest ${longestOf(untouched).toFixed(0)} ms`,
      holds: untouched.every(({ status, took }) => status === 200 && took < 1_000),
    },
    {
      wanted: "ready within 5 s of the database",
      came: `${readyAfter.toFixed(1)} s`,
      holds: readyAfter <= 5,
    },
    {
      wanted: "5 s after it all is well",
      came: inWords(after),
      holds: after.every(({ status }) => status > 0 && status < 500),
    },
  ],
);

/** The longest time of each kind, in words. */
function slowest(some) {
  const kinds = [...new Set(some.map(({ what }) => what))];
  const of = (kind) => longestOf(some.filter(({ what }) => what === kind)) / 1_000;
  return kinds
    .map((kind) => [kind, of(kind)])
    .sort(([, left], [, right]) => right - left)
    .map(([kind, seconds]) => `${kind} ${seconds.toFixed(1)} s`)
    .join(", ");
}
