#!/usr/bin/env node
/**
 * Writes the last column of docs/assurance.md anew: the test files whose titles name each requirement's id.
 * `--check` only says whether it is current, and whether the state of each row fits its tests.
 */
import { readdirSync, readFileSync, statSync, writeFileSync } from "node:fs";
import { join, relative } from "node:path";
import { ROOT } from "./prerequisites.mjs";
import { run, say, UserError } from "./say.mjs";

const TABLE = join(ROOT, "docs", "assurance.md");
const ROOMS = ["core", "contract", "hasp", "service", "console", "rehearsal", "cli", "demo", "testing"];
const ROW = /^\| ([A-Z]{2}-\d+) \| (.*?) \| (.*?) \| (.*?) \|$/;
const ID = /\b[A-Z]{2}-\d+\b/g;
/** A title begins with the ids that it holds. */
const TITLE = /["'`]((?:[A-Z]{2}-\d+ )+)/g;

await run(() => {
  const tests = testsById();
  const faults = [];
  const listed = new Set();
  const lines = readFileSync(TABLE, "utf8")
    .split("\n")
    .map((line) => {
      const match = ROW.exec(line);
      if (match === null) return line;
      const [, id, requirement, state] = match;
      listed.add(id);
      const files = [...(tests.get(id) ?? [])].sort();
      if (state === "holds" && files.length === 0) faults.push(`${id} is said to hold, but no test names it`);
      if (state.startsWith("open") && files.length > 0)
        faults.push(`${id} is said to be open, but ${files[0]} names it`);
      return `| ${id} | ${requirement} | ${state} | ${files.map((file) => `\`${file}\``).join(", ")} |`;
    });
  for (const id of tests.keys())
    if (!listed.has(id)) faults.push(`a test names ${id}, which the table does not know`);
  if (faults.length > 0) throw new UserError(faults.join("\n"));
  const text = lines.join("\n");
  if (text === readFileSync(TABLE, "utf8")) return say("docs/assurance.md is current.");
  if (process.argv.includes("--check"))
    throw new UserError("docs/assurance.md is old; run: node scripts/assurance.mjs");
  writeFileSync(TABLE, text);
  say("wrote docs/assurance.md");
});

function testsById() {
  const byId = new Map();
  for (const file of ROOMS.flatMap((room) => testFiles(join(ROOT, room)))) {
    for (const [, ids] of readFileSync(file, "utf8").matchAll(TITLE)) {
      for (const id of ids.match(ID) ?? []) {
        byId.set(id, (byId.get(id) ?? new Set()).add(relative(ROOT, file)));
      }
    }
  }
  return byId;
}

function testFiles(folder) {
  return readdirSync(folder).flatMap((name) => {
    const path = join(folder, name);
    if (name === "node_modules" || name === "dist") return [];
    if (statSync(path).isDirectory()) return testFiles(path);
    return /\.(test|long)\.ts$/.test(name) ? [path] : [];
  });
}
