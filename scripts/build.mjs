#!/usr/bin/env node
/**
 * Compiles what runs: the rooms; the command and the service's process, each in a few files with its packages so that it
 * starts quickly; and the pages. Up-to-date outputs are skipped. Types are not looked at here; `npm run typecheck`
 * and the tests do that.
 *
 *     node scripts/build.mjs [--only rooms|pages] [--watch]
 */
import { createHash } from "node:crypto";
import { existsSync, mkdirSync, readdirSync, readFileSync, renameSync, rmSync, writeFileSync } from "node:fs";
import { copyFile, mkdir, writeFile } from "node:fs/promises";
import { createRequire } from "node:module";
import { dirname, join, relative } from "node:path";
import { pathToFileURL } from "node:url";
import { ROOT } from "./prerequisites.mjs";
import { runCommand } from "./process.mjs";
import { say } from "./say.mjs";

/** Rooms compiled file by file. */
const ROOMS = ["core", "contract", "hasp", "service", "rehearsal", "demo"];
/** What the pages are made of; the estimate of a password's strength comes from core. */
const PAGE_SOURCES = [
  "console/src",
  "console/index.html",
  "console/public",
  "console/vite.config.ts",
  "console/vite.inside.config.ts",
  "console/routes-plugin.ts",
  "console/svelte.config.js",
  "contract/src",
  "core/src/password",
];
/** Where the service's process lies, as deep as the files of the room, for the sake of what lies beside it. */
const SERVICE_PROCESS = "service/dist/process";
/** A change of any of these makes everything again. */
const COMMON_SOURCES = [
  "package-lock.json",
  "scripts/build.mjs",
  "scripts/start-bundle.cjs",
  "scripts/compile-bundle.cjs",
];
/** A package by its name; ours are found by their sources. */
const PACKAGE = /^(?!@lucchetto\/)[a-z@]/;
const OUTSIDE_NAMES = "@lucchetto/service|@lucchetto/rehearsal|@lucchetto/hasp|pino|pino-pretty|nodemailer";
const OUTSIDE = new RegExp(`^(?:${OUTSIDE_NAMES})(?:/|$)`);
const IMPORT_OUTSIDE = new RegExp(`\\bimport(?=\\("(?:${OUTSIDE_NAMES})[/"])`, "g");
/** What `import.meta` is to modules, for those of a bundle. */
const META = `const metaUrl = require("node:url").pathToFileURL(__filename).href;
const metaResolve = (name) => require("node:url").pathToFileURL(require.resolve(name)).href;`;
/** Milliseconds in which changes that come together are built together. */
const SETTLED = 80;

const SWC = {
  jsc: { target: "es2022", parser: { syntax: "typescript" }, rewriteRelativeImportExtensions: true },
  module: { type: "es6" },
  sourceMaps: true,
};

/** Compiles the rooms file by file. */
export async function compileRooms() {
  for (const room of ROOMS) await unlessBuilt(`${room}/dist`, [`${room}/src`], () => compileRoom(room));
}

/** Compiles the rooms and the command. */
export async function buildRooms() {
  await compileRooms();
  await unlessBuilt(SERVICE_PROCESS, ["service/src", "core/src", "contract/src"], () =>
    bundle({ main: "service/src/main.ts" }, SERVICE_PROCESS),
  );
  await unlessBuilt("cli/dist", ["cli/src", "core/src", "contract/src"], () =>
    bundle({ main: "cli/src/main.ts", run: "cli/src/run.ts" }, "cli/dist"),
  );
}

/** In a declaration: what it imports, by the name of its source. */
const SOURCE_NAMED = /((?:from|import\() ?"\.{1,2}\/[^"]*)\.ts(")/g;

/** Packages that others install, with declarations for both forms of modules. */
export const PACKAGES = ["core", "contract", "hasp"];

/**
 * Writes the declarations of the packages, types looked at. `require` loads the same files as `import` does; what a compiler reads for it lies in
 * a folder that says so.
 */
export async function declareTypes() {
  const sources = PACKAGES.flatMap((room) => [`${room}/src`, `${room}/package.json`]);
  await unlessBuilt("hasp/dist/commonjs", sources, async () => {
    for (const room of PACKAGES) forgetTypes(join(ROOT, room, "dist"));
    const tsc = join(ROOT, "node_modules/@typescript/native/bin/tsc");
    // With threads it takes far more processor time.
    await runCommand(process.execPath, [tsc, "-b", "--singleThreaded", "core", "hasp"], { cwd: ROOT });
    for (const room of PACKAGES) {
      const dist = join(ROOT, room, "dist");
      rmSync(join(dist, "commonjs"), { recursive: true, force: true });
      for (const file of filesIn(dist).filter((one) => one.endsWith(".d.ts"))) {
        const to = join(dist, "commonjs", relative(dist, file));
        await mkdir(dirname(to), { recursive: true });
        // Compilers that are some years old know no name of a source in there.
        await writeFile(to, readFileSync(file, "utf8").replaceAll(SOURCE_NAMED, "$1.js$2"));
      }
      await writeFile(join(dist, "commonjs/package.json"), '{ "type": "commonjs" }\n');
    }
  });
}

/** What has no source any more would be installed too. */
function forgetTypes(folder) {
  for (const entry of readdirSync(folder, { withFileTypes: true, recursive: true }))
    if (entry.isFile() && /\.d\.ts(\.map)?$|^\.tsbuildinfo$/.test(entry.name))
      rmSync(join(entry.parentPath, entry.name));
}

/** Builds the pages. */
export async function buildPages() {
  await unlessBuilt("console/dist", PAGE_SOURCES, async () => {
    await viteBuild("vite.config.ts");
    // Inside the folder of the pages, which the first one empties.
    await viteBuild("vite.inside.config.ts");
  });
}

function viteBuild(config) {
  const vite = join(ROOT, "node_modules/vite/bin/vite.js");
  const options = ["--config", `console/${config}`, "--logLevel", "warn"];
  // Whoever builds, what is built is the same: Jest says `test`, of which the compiler of pages makes more.
  const env = { ...process.env, NODE_ENV: "production" };
  return runCommand(process.execPath, [vite, "build", "console", ...options], { cwd: ROOT, env });
}

/** Does the work unless the folder was made of exactly these sources. */
async function unlessBuilt(folder, sources, work) {
  const stamp = join(ROOT, folder, ".made-of");
  const wanted = digestOf([...sources, ...COMMON_SOURCES]);
  if (existsSync(stamp) && readFileSync(stamp, "utf8") === wanted) return;
  rmSync(stamp, { force: true });
  await work();
  mkdirSync(dirname(stamp), { recursive: true });
  writeFileSync(stamp, wanted);
}

function digestOf(sources) {
  const hash = createHash("sha256");
  for (const file of sources.flatMap((source) => filesIn(join(ROOT, source))))
    hash
      .update(`${relative(ROOT, file)}\0`)
      .update(readFileSync(file))
      .update("\0");
  return hash.digest("hex");
}

/** All files at a path, in a fixed order; tests are no part of what runs. */
function filesIn(path) {
  if (!existsSync(path)) return [];
  try {
    return readdirSync(path, { withFileTypes: true })
      .sort((left, right) => (left.name < right.name ? -1 : 1))
      .flatMap((entry) => (entry.isDirectory() ? filesIn(join(path, entry.name)) : [join(path, entry.name)]))
      .filter((file) => !file.endsWith(".test.ts"));
  } catch (error) {
    if (error.code === "ENOTDIR") return [path];
    throw error;
  }
}

async function compileRoom(room) {
  const { transformFile } = await import("@swc/core");
  const source = join(ROOT, room, "src");
  const target = join(ROOT, room, "dist");
  emptyOfCode(target);
  await Promise.all(
    filesIn(source).map(async (file) => {
      const to = join(target, relative(source, file));
      await mkdir(dirname(to), { recursive: true });
      if (!file.endsWith(".ts")) return copyFile(file, to);
      const compiled = to.replace(/\.ts$/, ".js");
      const { code, map } = await transformFile(file, {
        ...SWC,
        filename: file,
        sourceFileName: relative(dirname(compiled), file),
      });
      await writeFile(compiled, `${code}//# sourceMappingURL=${relative(dirname(compiled), compiled)}.map\n`);
      return writeFile(`${compiled}.map`, map);
    }),
  );
}

/** Nothing that has no source any more stays; declarations are `tsc`'s. */
function emptyOfCode(folder) {
  if (!existsSync(folder)) return;
  for (const entry of readdirSync(folder, { withFileTypes: true, recursive: true })) {
    if (entry.isFile() && /\.(js|mjs|map)$/.test(entry.name) && !entry.name.endsWith(".d.ts.map"))
      rmSync(join(entry.parentPath, entry.name));
  }
}

/**
 * A process with its packages, split by what is loaded together, and started by `start.cjs` with code that is compiled
 * already: V8 keeps that of CommonJS alone. Outside stay packages that look for their own files, and those that a package
 * could use but which are not installed.
 */
async function bundle(entries, folder) {
  const { build } = await import("rolldown");
  const target = join(ROOT, folder);
  const next = `${target}.next`;
  rmSync(next, { recursive: true, force: true });
  const isMissing = (id, importer) => {
    try {
      createRequire(importer).resolve(id);
      return false;
    } catch (error) {
      return error.code === "MODULE_NOT_FOUND";
    }
  };
  await build({
    input: Object.fromEntries(Object.entries(entries).map(([name, file]) => [name, join(ROOT, file)])),
    platform: "node",
    external: (id, importer = join(ROOT, entries.main)) =>
      OUTSIDE.test(id) || (PACKAGE.test(id) && isMissing(id, importer)),
    // Neither "import" nor "require": each call finds the form that it can use.
    resolve: { conditionNames: ["source", "node"] },
    logLevel: "warn",
    plugins: [{ name: "import-module", renderChunk: importOutside }],
    transform: { define: { "import.meta.url": "metaUrl", "import.meta.resolve": "metaResolve" } },
    output: {
      dir: next,
      format: "cjs",
      intro: META,
      entryFileNames: "[name].cjs",
      chunkFileNames: "[name]-[hash].cjs",
      minify: "dce-only",
      sourcemap: true,
    },
  });
  mkdirSync(target, { recursive: true });
  const made = new Set([...readdirSync(next), "start.cjs"]);
  for (const name of readdirSync(target))
    if (!made.has(name)) rmSync(join(target, name), { recursive: true });
  for (const name of readdirSync(next)) renameSync(join(next, name), join(target, name));
  rmSync(next, { recursive: true });
  await runCommand(process.execPath, [join(ROOT, "scripts/compile-bundle.cjs"), target]);
  // The last, and written over: a process that watches it starts again, with what is all there now.
  await copyFile(join(ROOT, "scripts/start-bundle.cjs"), join(target, "start.cjs"));
}

/** A bundle's file loads what is outside, when it comes to it, by `importModule`, which `start-bundle.cjs` gives it. */
function importOutside(code) {
  const changed = code.replaceAll(IMPORT_OUTSIDE, "importModule");
  // Only what follows in the same line is moved.
  return changed === code ? null : { code: changed, map: null };
}

/** Builds the rooms again whenever a source of theirs changes. */
async function watchRooms() {
  const { watch } = await import("chokidar");
  let timer;
  let building = Promise.resolve();
  const build = () =>
    buildRooms().then(
      () => say("built"),
      (error) => say(error.message),
    );
  const again = () => {
    clearTimeout(timer);
    // One after the other: what was saved meanwhile is built afterwards.
    timer = setTimeout(() => (building = building.then(build)), SETTLED);
  };
  const sources = [...ROOMS, "cli"].map((room) => join(ROOT, room, "src"));
  watch(sources, { ignoreInitial: true }).on("all", again);
}

if (import.meta.url === pathToFileURL(process.argv[1] ?? "").href) {
  const given = process.argv.slice(2);
  const only = given[given.indexOf("--only") + 1];
  await Promise.all([
    ...(given.includes("--only") && only !== "rooms" ? [] : [buildRooms()]),
    ...(given.includes("--only") && only !== "pages" ? [] : [buildPages()]),
  ]);
  if (!given.includes("--only")) await declareTypes();
  if (given.includes("--watch")) await watchRooms();
}
