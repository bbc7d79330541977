#!/usr/bin/env node
/**
 * How soon the command answers, against a bare `node -e 0`, by turns. With a service at --url also `whoami`, against the same
 * call made by a bare node process.
 *
 *     node bench/command-start.mjs [--url http://localhost:8420]      (somebody must be signed in there)
 */
import { spawnSync } from "node:child_process";
import { fileURLToPath } from "node:url";

const COMMAND = fileURLToPath(new URL("../cli/bin/lucchetto.js", import.meta.url));
const ROUNDS = 15;
const at = process.argv.indexOf("--url");
const url = at < 0 ? null : process.argv[at + 1];

const SIDES = {
  "node -e 0": ["-e", "0"],
  "lucchetto --version": [COMMAND, "--version"],
  "lucchetto --help": [COMMAND, "--help"],
  ...(url === null
    ? {}
    : {
        "a bare call": ["-e", `fetch("${url}/v1/session").then((reply) => reply.text())`],
        "lucchetto whoami": [COMMAND, "whoami", "--url", url],
      }),
};

const times = Object.fromEntries(Object.keys(SIDES).map((name) => [name, []]));
for (let round = 0; round <= ROUNDS; round += 1) {
  for (const [name, args] of Object.entries(SIDES)) {
    const began = performance.now();
    const { status, stderr } = spawnSync(process.execPath, args, { encoding: "utf8" });
    if (status !== 0) throw new Error(`${name}: ${stderr}`);
    // The first round only warms the disk.
    if (round > 0) times[name].push(performance.now() - began);
  }
}
const median = (name) => times[name].sort((left, right) => left - right)[Math.floor(ROUNDS / 2)];
const say = (text) => process.stdout.write(`${text}\n`);
const bare = median("node -e 0");
say(`node -e 0             ${bare.toFixed(0)} ms`);
for (const name of ["lucchetto --version", "lucchetto --help"]) {
  const limit = 1.5 * bare + 100;
  say(
    `${name.padEnd(20)}  ${median(name).toFixed(0)} ms, ${(median(name) / bare).toFixed(2)} times (wanted: at most ${limit.toFixed(0)} ms)`,
  );
}
if (url !== null)
  say(
    `lucchetto whoami      ${median("lucchetto whoami").toFixed(0)} ms, ${(median("lucchetto whoami") - median("a bare call")).toFixed(0)} ms on top of a bare call (wanted: at most 300)`,
  );
