#!/usr/bin/env node
/**
 * `npm run dev`: the demo, with everything reloading on change. Sources are compiled as they are saved; the service
 * and the sample application start again on their own; the pages reload in the browser at http://localhost:8425.
 */
import { spawn } from "node:child_process";
import { join } from "node:path";
import { buildRooms } from "./build.mjs";
import { ensureNodePackages, ROOT } from "./prerequisites.mjs";
import { endProcess } from "./process.mjs";
import { run, say } from "./say.mjs";

await run(async () => {
  const given = process.argv.slice(2);
  const port = given[given.indexOf("--port") + 1];
  // Vite takes calls and the page's state from the running service.
  const env = { ...process.env, LUCCHETTO_URL: `http://localhost:${given.includes("--port") ? port : 8420}` };
  await ensureNodePackages();
  // Once, before the demo and the compiler that watches both see to it.
  await buildRooms();
  const start = (args) =>
    spawn(process.execPath, args, {
      cwd: ROOT,
      stdio: ["ignore", "inherit", "inherit"],
      detached: true,
      env,
    });
  const demo = start([join(ROOT, "demo/run.mjs"), "--watch", ...given]);
  const compiler = start([join(ROOT, "scripts/build.mjs"), "--only", "rooms", "--watch"]);
  const pages = start([join(ROOT, "node_modules/vite/bin/vite.js"), "console"]);
  const all = [pages, compiler, demo];

  const stop = async () => {
    for (const child of all) await endProcess(child, 60);
    process.exit(0);
  };
  process.once("SIGINT", () => void stop());
  process.once("SIGTERM", () => void stop());
  demo.once("exit", (code) => {
    if (code !== 0) say("The demo has ended; see above.");
    void stop();
  });
});
