/**
 * A long steady load: memory stays flat, and the last minutes are as quick as the first.
 *
 *     node bench/faults/hour.mjs [--minutes 60] [--rate 20]
 */
import { setTimeout as pause } from "node:timers/promises";
import { parseArgs } from "node:util";
import { say } from "../../scripts/say.mjs";
import { beginLoad, inWords } from "./load.mjs";
import { judge, resourcesOf, setStage } from "./stage.mjs";

const { values } = parseArgs({
  options: { minutes: { type: "string", default: "60" }, rate: { type: "string", default: "20" } },
});
const MINUTES = Number(values.minutes);
const stage = await setStage({ instances: 1 });
const [{ child, url }] = stage.running;
const load = beginLoad(stage.urls, { rate: Number(values.rate), authorization: await stage.addApp() });
const middle = (numbers) => numbers.toSorted((left, right) => left - right)[Math.floor(numbers.length / 2)];

async function look() {
  const metrics = await (await fetch(`${url}/metrics`)).text();
  const heap = Number(/^nodejs_heap_size_used_bytes ([\d.e+]+)/m.exec(metrics)?.[1]) / 2 ** 20;
  const { megabytes: resident, descriptors } = resourcesOf(child);
  return { heap, resident, descriptors };
}

const minutes = [];
let from = 0;
for (let minute = 1; minute <= MINUTES; minute += 1) {
  const looks = [];
  for (let turn = 0; turn < 12; turn += 1) {
    await pause(5_000);
    looks.push(await look());
  }
  // The least of a minute is what garbage collection leaves.
  const heap = Math.min(...looks.map((one) => one.heap));
  const answers = load.answers.slice(from);
  from = load.answers.length;
  const took = middle(answers.filter(({ what }) => what === "session").map((one) => one.took));
  const last = looks.at(-1);
  minutes.push({ heap, took, resident: last.resident, descriptors: last.descriptors });
  say(
    `minute ${minute}: heap ${heap.toFixed(1)} MiB, resident ${last.resident.toFixed(0)} MiB, ${last.descriptors} descriptors, ${answers.length} answers, a session asked for ${took.toFixed(1)} ms`,
  );
}
const answers = await load.end();
await stage.strike();

const third = Math.ceil(MINUTES / 3);
const of = (some, what) => middle(some.map((one) => one[what]));
// The first minutes fill what is kept on purpose.
const early = minutes.slice(Math.min(5, Math.floor(MINUTES / 6)), third);
const late = minutes.slice(-third);
const wanted = (what, unit, most) => ({
  wanted: `${what}: the last third is like the first`,
  came: `${of(early, what).toFixed(1)} ${unit}, then ${of(late, what).toFixed(1)} ${unit}`,
  holds: of(late, what) <= of(early, what) * most + 1,
});
judge(`${MINUTES} minutes of ${values.rate} requests a second, one instance`, [
  wanted("heap", "MiB", 1.1),
  wanted("resident", "MiB", 1.2),
  wanted("descriptors", "", 1.2),
  wanted("took", "ms", 1.5),
  {
    wanted: "no fault",
    came: inWords(answers),
    holds: answers.every(({ status }) => status > 0 && status < 500),
  },
]);
