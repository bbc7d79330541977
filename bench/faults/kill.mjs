/**
 * kill -9 of an instance in a burst of asks for links.
 *
 *     node bench/faults/kill.mjs [--asks 80]
 */
import { performance } from "node:perf_hooks";
import { setTimeout as pause } from "node:timers/promises";
import { parseArgs } from "node:util";
import { judge, PASSWORD, setStage } from "./stage.mjs";

const { values } = parseArgs({ options: { asks: { type: "string", default: "80" } } });
const COUNT = Number(values.asks);
const stage = await setStage();
const [first, second] = stage.urls;
const post = (url, path, body) =>
  fetch(url + path, {
    method: "POST",
    headers: { "content-type": "application/json" },
    body: JSON.stringify(body),
  }).then(
    ({ status }) => status,
    () => 0,
  );
const people = Array.from({ length: COUNT }, (_, index) => `guest${index}@brina.example`);
for (const email of people) await post(second, "/v1/accounts", { email, password: PASSWORD });
const resets = async () => (await stage.mails()).filter(({ subject }) => /password/i.test(subject));

let isKilled = false;
const asked = people.map(async (identifier) => {
  const status = await post(first, "/v1/mail-links", { purpose: "reset", identifier });
  return { identifier, status };
});
// In the middle of it: as soon as a third was answered.
let answered = 0;
for (const one of asked)
  void one.then(({ status }) => {
    answered += status === 202 ? 1 : 0;
    if (answered >= COUNT / 3 && !isKilled) {
      isKilled = true;
      stage.running[0].child.kill("SIGKILL");
    }
  });
const outcomes = await Promise.all(asked);
const killedAt = performance.now();
const taken = outcomes.filter(({ status }) => status === 202).map(({ identifier }) => identifier);
let missing = taken;
while (missing.length > 0 && performance.now() - killedAt < 30_000) {
  await pause(250);
  const got = new Set((await resets()).map(({ to }) => to));
  missing = taken.filter((identifier) => !got.has(identifier));
}
const allAfter = (performance.now() - killedAt) / 1_000;
await pause(2_000);
const all = await resets();
const ids = new Map();
for (const { to, id } of all) ids.set(to, (ids.get(to) ?? new Set()).add(id));
const doubled = [...ids.values()].filter((of) => of.size > 1).length;
await stage.strike();

judge(`kill -9 in a burst of ${COUNT} asks for a link`, [
  {
    wanted: "what was answered 202 is sent",
    came: `${taken.length} answered, ${taken.length - missing.length} sent`,
    holds: taken.length > 0 && missing.length === 0,
  },
  { wanted: "within 12 s", came: `${allAfter.toFixed(1)} s`, holds: allAfter <= 12 },
  {
    wanted: "nobody gets two links",
    came: `${doubled} did; ${all.length} mails in all`,
    holds: doubled === 0,
  },
]);
