#!/usr/bin/env node
/**
 * Packs what applications install (core, contract, hasp) into archives, with types and licence:
 *
 *     node scripts/archives.mjs [FOLDER]      (archives/ unless said otherwise)
 */
import { copyFileSync, mkdirSync, readdirSync, rmSync } from "node:fs";
import { join, resolve } from "node:path";
import { buildRooms } from "./build.mjs";
import { ROOT } from "./prerequisites.mjs";
import { runCommand } from "./process.mjs";
import { run, say } from "./say.mjs";

const PACKAGES = ["contract", "core", "hasp"];

await run(async () => {
  const folder = resolve(process.argv[2] ?? join(ROOT, "archives"));
  mkdirSync(folder, { recursive: true });
  await buildRooms();
  for (const name of PACKAGES) forgetTypes(join(ROOT, name, "dist"));
  const compiler = join(ROOT, "node_modules/@typescript/native/bin/tsc");
  // With threads it takes far more processor time.
  await runCommand(process.execPath, [compiler, "-b", "--singleThreaded", ...PACKAGES], { cwd: ROOT });
  const licences = PACKAGES.map((name) => join(ROOT, name, "LICENSE"));
  let told;
  try {
    for (const licence of licences) copyFileSync(join(ROOT, "LICENSE"), licence);
    const rooms = PACKAGES.flatMap((name) => ["--workspace", name]);
    told = await runCommand("npm", ["pack", "--json", "--pack-destination", folder, ...rooms], { cwd: ROOT });
  } finally {
    for (const licence of licences) rmSync(licence, { force: true });
  }
  const names = Object.values(JSON.parse(told)).map(({ filename }) => join(folder, filename));
  say(names.join("\n"));
  say(
    `\nIn an application's folder: npm install ${names.filter((name) => !name.includes("core")).join(" ")}`,
  );
});

/** What has no source any more would be packed too. */
function forgetTypes(folder) {
  for (const entry of readdirSync(folder, { withFileTypes: true, recursive: true }))
    if (entry.isFile() && /\.d\.ts(\.map)?$|^\.tsbuildinfo$/.test(entry.name))
      rmSync(join(entry.parentPath, entry.name));
}
