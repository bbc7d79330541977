#!/usr/bin/env node
/**
 * Password hashing under load, both sides in one run, by turns:
 *
 * - sign-ins a second through the whole service, against the bare scheme at the same parallelism (wanted: at least 0.95);
 * - the session check's p99 during a flood of sign-ins, against its p99 without (wanted: at most 3).
 *
 *     node bench/hashing-under-load.mjs [--scheme '$scrypt$ln=15,r=8,p=3'] [--parallel 1] [--rounds 3]
 */
import { spawnSync } from "node:child_process";
import { availableParallelism } from "node:os";
import { parseArgs } from "node:util";
import { run, say } from "../scripts/say.mjs";
import { keepGoing, PASSWORD, quantile, send, startBenchService } from "./service.mjs";

const SECONDS = 8;
const PEOPLE = 40;
/** Sign-ins asked for at once in the flood. */
const FLOOD = 16;
/** Sign-ins beyond the parallelism, so that the queue is never empty. */
const AHEAD = 3;
/** The session check is asked by so many at once, each waiting between its questions as people do. */
const CHECKERS = 4;
const PAUSE = 5;

/** Runs in a process of its own, as the service does. */
const BARE = `
  import { checkRecord, makeRecord, readRecord, readScheme } from "@lucchetto/core";
  import { randomBytes } from "node:crypto";
  const [scheme, parallel, milliseconds] = [process.argv[1], Number(process.argv[2]), Number(process.argv[3])];
  const record = readRecord(await makeRecord("${PASSWORD}", readScheme(scheme), randomBytes(16)));
  const began = performance.now();
  let done = 0;
  await Promise.all(Array.from({ length: parallel }, async () => {
    while (performance.now() - began < milliseconds) { await checkRecord("${PASSWORD}", record); done += 1; }
  }));
  console.log(done / ((performance.now() - began) / 1000));
`;

await run(async () => {
  const { values } = parseArgs({
    options: {
      scheme: { type: "string", default: "$scrypt$ln=15,r=8,p=3" },
      parallel: { type: "string", default: String(Math.max(1, availableParallelism() - 1)) },
      rounds: { type: "string", default: "3" },
    },
  });
  const { scheme } = values;
  const parallel = Number(values.parallel);
  const service = await startBenchService({ passwords: { hashing: { scheme, parallel } } });
  try {
    const people = Array.from({ length: PEOPLE }, (_, index) => `person${index}@brina.example`);
    for (const email of people)
      await send(`${service.url}/v1/accounts`, {
        method: "POST",
        body: { email, password: PASSWORD, deliver: "token" },
      });
    const token = JSON.parse((await signIn(service.url, people[0])).text).token;

    const rates = { service: [], bare: [] };
    const p99 = { quiet: [], flood: [] };
    const memory = { quiet: await residentBytes(service.url), flood: 0 };
    for (let round = 0; round < Number(values.rounds); round += 1) {
      let next = 0;
      const signedIn = await keepGoing(parallel + AHEAD, SECONDS * 1_000, async () => {
        const { status, text } = await signIn(service.url, people[next++ % PEOPLE]);
        if (status !== 201) throw new Error(`a sign-in answered ${status}: ${text}`);
      });
      rates.service.push(signedIn.done / signedIn.seconds);
      rates.bare.push(bareRate(scheme, parallel));
      p99.quiet.push(await checkFor(service.url, token));
      let flooding = true;
      const flood = keepGoing(FLOOD, SECONDS * 1_000, async () => {
        if (flooding) await signIn(service.url, people[next++ % PEOPLE]);
      });
      p99.flood.push(await checkFor(service.url, token));
      memory.flood = Math.max(memory.flood, await residentBytes(service.url));
      flooding = false;
      await flood;
    }
    const middle = (values) => quantile(values, 0.5);
    say(`${scheme}, ${parallel} at once, ${values.rounds} rounds of ${SECONDS} s; medians of the rounds`);
    say(`sign-ins a second      ${middle(rates.service).toFixed(2)}`);
    say(`bare scheme a second   ${middle(rates.bare).toFixed(2)}`);
    say(
      `ratio                  ${(middle(rates.service) / middle(rates.bare)).toFixed(3)}   (wanted: at least 0.95)`,
    );
    say(
      `session check p99      ${middle(p99.quiet).toFixed(2)} ms quiet, ${middle(p99.flood).toFixed(2)} ms in a flood of ${FLOOD}`,
    );
    say(`ratio                  ${(middle(p99.flood) / middle(p99.quiet)).toFixed(2)}   (wanted: at most 3)`);
    const mebibytes = (bytes) => `${Math.round(bytes / 2 ** 20)} MiB`;
    say(`memory                 ${mebibytes(memory.quiet)} before, ${mebibytes(memory.flood)} in the flood`);
  } finally {
    await service.stop();
  }
});

function signIn(url, identifier) {
  return send(`${url}/v1/sign-in`, {
    method: "POST",
    body: { proof: { type: "password", identifier, password: PASSWORD }, deliver: "token" },
  });
}

function bareRate(scheme, parallel) {
  const args = ["--input-type=module", "-e", BARE, scheme, String(parallel), String(SECONDS * 1_000)];
  return Number(spawnSync(process.execPath, args, { encoding: "utf8" }).stdout);
}

async function residentBytes(url) {
  const { text } = await send(`${url}/metrics`);
  return Number(/^process_resident_memory_bytes (\S+)/m.exec(text)?.[1]);
}

/** p99 of the session check over some seconds. */
async function checkFor(url, token) {
  const times = [];
  await keepGoing(CHECKERS, (SECONDS - 1) * 1_000, async () => {
    const { status, took } = await send(`${url}/v1/session`, { token });
    if (status !== 200) throw new Error(`the session check answered ${status}`);
    times.push(took);
    await new Promise((resolve) => setTimeout(resolve, PAUSE));
  });
  return quantile(times, 0.99);
}
