#!/usr/bin/env node
/**
 * What a start of the service takes with the code that V8 made when it was built, and without, by turns: until it says that it
 * is ready, and of the processor.
 *
 *     node bench/start-with-code.mjs [--rounds 9]
 */
import { spawn } from "node:child_process";
import { cpSync, readdirSync, readFileSync, rmSync } from "node:fs";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { endProcess, freePort, waitUntil } from "../scripts/process.mjs";
import { startBenchService } from "./service.mjs";

const BUILT = fileURLToPath(new URL("../service/dist/process", import.meta.url));
/** As deep as the other, for the sake of what it finds by its place. */
const PLAIN = `${BUILT}-without-code`;
/** The unit of times in `/proc`, in milliseconds. */
const TICK = 10;

const at = process.argv.indexOf("--rounds");
const rounds = at < 0 ? 9 : Number(process.argv[at + 1]);
// One that has nothing to do, with a database for the others.
const service = await startBenchService();
try {
  cpSync(BUILT, PLAIN, { recursive: true });
  for (const name of readdirSync(PLAIN)) if (name.endsWith(".code")) rmSync(join(PLAIN, name));
  const port = await freePort();
  const env = { ...service.env, LUCCHETTO_LISTEN_PORT: String(port) };

  const once = async (folder) => {
    const began = performance.now();
    const child = spawn(process.execPath, [join(folder, "start.cjs"), "serve", "--config", service.config], {
      env,
      stdio: "ignore",
    });
    await waitUntil(async () => (await fetch(`http://127.0.0.1:${port}/readyz`)).ok, {
      what: "the service",
      seconds: 60,
      ended: () => child.exitCode !== null,
    });
    const took = performance.now() - began;
    const [user, system] = readFileSync(`/proc/${child.pid}/stat`, "latin1")
      .split(") ")[1]
      .split(" ")
      .slice(11, 13);
    await endProcess(child);
    return { took, processor: (Number(user) + Number(system)) * TICK };
  };
  const sides = { with: [], without: [] };
  // The first of each only warms the disk.
  for (let round = 0; round <= rounds; round += 1)
    for (const [name, folder] of [
      ["with", BUILT],
      ["without", PLAIN],
    ]) {
      const one = await once(folder);
      if (round > 0) sides[name].push(one);
    }
  const median = (name, of) =>
    sides[name].map((one) => one[of]).sort((a, b) => a - b)[Math.floor(rounds / 2)];
  for (const [of, words] of [
    ["took", "until ready"],
    ["processor", "processor time"],
  ]) {
    const [has, lacks] = [median("with", of), median("without", of)];
    process.stdout.write(
      `${words.padEnd(16)} with code ${has.toFixed(0)} ms, without ${lacks.toFixed(0)} ms: ${(has / lacks).toFixed(2)} of it\n`,
    );
  }
} finally {
  rmSync(PLAIN, { recursive: true, force: true });
  await service.stop();
}
