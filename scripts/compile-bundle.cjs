/**
 * Loads all files of a bundle, and keeps beside each the code that V8 has made of it by then: of what runs while it is
 * loaded. Its main file does what it does when nothing is asked of it, which is to say how it is called.
 *
 *     node scripts/compile-bundle.cjs FOLDER
 */
const { readdirSync, writeFileSync } = require("node:fs");
const { join, resolve } = require("node:path");
const { load, scripts } = require("./start-bundle.cjs");

const folder = resolve(process.argv[2]);

process.argv.length = 2;
process.once("beforeExit", () => {
  for (const [path, script] of scripts) writeFileSync(`${path}.code`, script.createCachedData());
  process.exitCode = 0;
});
for (const file of readdirSync(folder))
  if (/\.cjs$/.test(file) && file !== "start.cjs") load(join(folder, file));
