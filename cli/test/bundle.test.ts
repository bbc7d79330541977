/** How the command and the service's process are loaded: with code that was compiled when they were built. */
import { execFile } from "node:child_process";
import { readdirSync } from "node:fs";
import { copyFile, mkdtemp, utimes, writeFile } from "node:fs/promises";
import { createRequire } from "node:module";
import { tmpdir } from "node:os";
import { dirname, join } from "node:path";
import { fileURLToPath, pathToFileURL } from "node:url";
import { promisify } from "node:util";
import { expect, test } from "@jest/globals";

const ROOT = fileURLToPath(new URL("../..", import.meta.url));
const BUNDLES = [
  ["the command", join(ROOT, "cli/dist")],
  ["the service's process", dirname(createRequire(import.meta.url).resolve("@lucchetto/service/main"))],
] as const;
const run = promisify(execFile);
const node = async (...args: string[]): Promise<string> => (await run(process.execPath, args)).stdout;

test.each(BUNDLES)(
  "this Node takes the code that was compiled for every file of %s",
  async (_name, folder) => {
    const files = readdirSync(folder).filter((name) => name.endsWith(".cjs") && name !== "start.cjs");
    const said = await node(
      "-e",
      `const { load, scripts } = require(${JSON.stringify(join(folder, "start.cjs"))});
     process.stderr.write = () => true;
     process.on("exit", () => {
       process.exitCode = 0;
       console.log("\\n" + JSON.stringify([...scripts.values()].map((script) => script.cachedDataRejected)));
     });
     for (const path of ${JSON.stringify(files.map((name) => join(folder, name)))}) load(path);`,
    );
    expect(JSON.parse(said.trimEnd().split("\n").at(-1) as string)).toEqual(files.map(() => false));
  },
);

test("code is left alone that is older than its file, or not code at all", async () => {
  const folder = await mkdtemp(join(tmpdir(), "bundle-"));
  const start = join(folder, "start.cjs");
  const main = join(folder, "main.cjs");
  await copyFile(join(ROOT, "scripts/start-bundle.cjs"), start);
  await writeFile(join(folder, "word.cjs"), 'exports.word = "one";');
  await writeFile(main, 'console.log(require("./word.cjs").word, require.resolve("./word.cjs"));');
  const asCompiled = `one ${join(folder, "word.cjs")}\n`;
  await node(join(ROOT, "scripts/compile-bundle.cjs"), folder);
  expect(await node(start)).toBe(asCompiled);

  // As long as before: V8 itself looks at the length alone.
  await writeFile(join(folder, "word.cjs"), 'exports.word = "two";');
  const later = new Date(Date.now() + 60_000);
  await utimes(join(folder, "word.cjs"), later, later);
  expect(await node(start)).toBe(asCompiled.replace("one", "two"));

  await writeFile(`${main}.code`, "no code");
  await utimes(`${main}.code`, later, later);
  expect(await node(start)).toBe(asCompiled.replace("one", "two"));
});

test("what is outside a bundle is still found by its code", async () => {
  const folder = await mkdtemp(join(tmpdir(), "bundle-"));
  await copyFile(join(ROOT, "scripts/start-bundle.cjs"), join(folder, "start.cjs"));
  await writeFile(join(folder, "beside.mjs"), "export default import.meta.url;");
  await writeFile(
    join(folder, "main.cjs"),
    'importModule("./beside.mjs").then(({ default: url }) => console.log(url));',
  );
  const beside = `${pathToFileURL(join(folder, "beside.mjs")).href}\n`;
  expect(await node(join(ROOT, "scripts/compile-bundle.cjs"), folder)).toBe(beside);
  expect(await node(join(folder, "start.cjs"))).toBe(beside);
});
