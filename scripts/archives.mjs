#!/usr/bin/env node
/**
 * Packs what applications install (core, contract, hasp) into archives, with types and licence:
 *
 *     node scripts/archives.mjs [FOLDER]      (archives/ unless said otherwise)
 */
import { mkdirSync } from "node:fs";
import { join, resolve } from "node:path";
import { buildRooms, declareTypes, PACKAGES } from "./build.mjs";
import { ROOT } from "./prerequisites.mjs";
import { runCommand } from "./process.mjs";
import { run, say } from "./say.mjs";

await run(async () => {
  const folder = resolve(process.argv[2] ?? join(ROOT, "archives"));
  mkdirSync(folder, { recursive: true });
  await buildRooms();
  await declareTypes();
  const rooms = PACKAGES.flatMap((name) => ["--workspace", name]);
  const told = await runCommand("npm", ["pack", "--json", "--pack-destination", folder, ...rooms], {
    cwd: ROOT,
  });
  const names = Object.values(JSON.parse(told)).map(({ filename }) => join(folder, filename));
  say(names.join("\n"));
  say(
    `\nIn an application's folder: npm install ${names.filter((name) => !name.includes("core")).join(" ")}`,
  );
});
