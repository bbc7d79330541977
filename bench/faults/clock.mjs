/**
 * The clock of the services' machine is stepped under load, an hour back and then, past where it was, a quarter of an hour ahead: nothing stops, nobody is signed
 * out, and mails go on.
 *
 *     node bench/faults/clock.mjs [--seconds 15] [--rate 10]
 *
 * It wants Debian's package `faketime`.
 */
import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { performance } from "node:perf_hooks";
import { setTimeout as pause } from "node:timers/promises";
import { parseArgs } from "node:util";
import { beginLoad, inWords, longestOf } from "./load.mjs";
import { judge, PASSWORD, setStage } from "./stage.mjs";

const { values } = parseArgs({
  options: { seconds: { type: "string", default: "15" }, rate: { type: "string", default: "10" } },
});
const directory = mkdtempSync(join(tmpdir(), "lucchetto-clock-"));
const file = join(directory, "step");
const step = (by) => writeFileSync(file, by);
step("+0");
const stage = await setStage({
  instances: 1,
  environment: {
    LD_PRELOAD: "/usr/lib/x86_64-linux-gnu/faketime/libfaketimeMT.so.1",
    FAKETIME_TIMESTAMP_FILE: file,
    FAKETIME_CACHE_DURATION: "1",
    FAKETIME_DONT_FAKE_MONOTONIC: "1",
  },
});
const [url] = stage.urls;
const post = (path, body) =>
  fetch(url + path, {
    method: "POST",
    headers: { "content-type": "application/json" },
    body: JSON.stringify(body),
  });
const email = "anna@brina.example";
await post("/v1/accounts", { email, password: PASSWORD });
const proof = { type: "password", identifier: email, password: PASSWORD };
const { token } = await (await post("/v1/sign-in", { proof, deliver: "token" })).json();
const isSignedIn = async () =>
  (await fetch(`${url}/v1/session`, { headers: { authorization: `Bearer ${token}` } })).status;
const clockOf = async () => Date.parse((await fetch(`${url}/healthz`)).headers.get("date"));

const load = beginLoad(stage.urls, { rate: Number(values.rate), authorization: await stage.addApp() });
await pause(5_000);
const steps = [];
for (const by of ["-3600", "+900"]) {
  step(by);
  await pause(2_000);
  const began = performance.now();
  const off = Math.round((await clockOf()) - Date.now()) / 1_000;
  const mailsBefore = (await stage.mails()).length;
  const asked = await post("/v1/mail-links", { purpose: "reset", identifier: email });
  await pause(Number(values.seconds) * 1_000);
  steps.push({
    by,
    off,
    asked: asked.status,
    session: await isSignedIn(),
    again: (await post("/v1/sign-in", { proof, deliver: "token" })).status,
    ready: (await fetch(`${url}/readyz`)).status,
    mails: (await stage.mails()).slice(mailsBefore).filter(({ to }) => to === email).length,
    answers: load.answers.filter((one) => one.began >= began),
  });
}
await load.end();
await stage.strike();
rmSync(directory, { recursive: true, force: true });

for (const { by, off, asked, session, again, ready, mails, answers } of steps)
  judge(`The clock is stepped to ${by} s, one instance, ${values.rate} requests a second`, [
    { wanted: "the service's clock is off", came: `${off} s`, holds: Math.abs(off - Number(by)) < 10 },
    {
      wanted: "no fault, nobody waits",
      came: `${inWords(answers)}, the longest ${longestOf(answers).toFixed(0)} ms`,
      holds: answers.every(({ status }) => status > 0 && status < 500) && longestOf(answers) < 5_000,
    },
    { wanted: "ready", came: `${ready}`, holds: ready === 200 },
    { wanted: "who was signed in still is", came: `${session}`, holds: session === 200 },
    { wanted: "signing in works", came: `${again}`, holds: again === 201 },
    {
      wanted: "a link asked for arrives",
      came: `${asked}, ${mails} mails`,
      holds: asked === 202 && mails === 1,
    },
  ]);
