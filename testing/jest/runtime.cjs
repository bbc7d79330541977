/**
 * Jest's runtime, but what tests drive is loaded once for all test files of a worker, by Node itself, and not once for each file into a
 * context of its own: packages, and of our own sources the rooms that `scripts/build.mjs` compiles file by file. So they stay compiled
 * and optimized, which saves a third of a second for each file. A test file that uses `jest` itself (its clock, its spies) gets sources of its own.
 */
const { existsSync, readFileSync } = require("node:fs");
const { isBuiltin } = require("node:module");
const { dirname, join, resolve: resolvePath, sep } = require("node:path");
const { pathToFileURL } = require("node:url");
const { SyntheticModule } = require("node:vm");
const { default: Runtime } = require("jest-runtime");
const { sharesModules } = require("./sharing.cjs");

const ROOT = join(__dirname, "../..");
const COMPILED_ROOMS = "core|contract|hasp|service|rehearsal|demo";
const SOURCE = new RegExp(`^(${COMPILED_ROOMS})/src/(?!.*\\.test\\.ts$)(.*)\\.ts$`);
const COMPILED_PACKAGE = new RegExp(`^@lucchetto/(?:${COMPILED_ROOMS}|cli)(?:/|$)`);
const USES_JEST = /^import \{[^}]*\bjest\b[^}]*\} from "@jest\/globals";$/m;

/** Ours, Jest's own, and what looks closely at the kind of object that it is given. */
const NOT_SHARED = /^(?:[./#]|file:|data:|@lucchetto\/|@jest\/globals$|@noble\/)/;
const isShared = (specifier) => !NOT_SHARED.test(specifier) && !isBuiltin(specifier);

/** What Node loads in place of one of our modules; `null`: the test's own context loads it. */
function compiled(specifier, from) {
  if (COMPILED_PACKAGE.test(specifier)) return specifier;
  if (!specifier.startsWith(".")) return null;
  const path = resolvePath(dirname(from), specifier)
    .slice(ROOT.length + 1)
    .split(sep)
    .join("/");
  const [, room, name] = SOURCE.exec(path) ?? [];
  if (room === undefined) return null;
  const file = join(ROOT, room, "dist", `${name}.js`);
  return existsSync(file) ? pathToFileURL(file).href : null;
}

module.exports = class SharingRuntime extends Runtime {
  constructor(...parts) {
    super(...parts);
    if (!sharesModules) return;
    const { esmLoader } = this;
    const resolve = esmLoader.resolveModule.bind(esmLoader);
    const [, , , , , , testPath] = parts;
    const hasOwnSources = USES_JEST.test(readFileSync(testPath, "utf8"));
    /** The modules of this file's context, by what they stand for. */
    const modules = new Map();
    esmLoader.resolveModule = async (specifier, from, context) => {
      const name = isShared(specifier)
        ? specifier
        : hasOwnSources && specifier.startsWith(".")
          ? null
          : compiled(specifier, from);
      if (name === null) return resolve(specifier, from, context);
      const shared = await import(name);
      if (!modules.has(shared)) modules.set(shared, moduleOf(shared, { context, identifier: name }));
      return modules.get(shared);
    };
  }
};

/** A module that gives on what another one exports. */
async function moduleOf(shared, options) {
  const names = Object.keys(shared);
  const module = new SyntheticModule(
    names,
    () => {
      for (const name of names) module.setExport(name, shared[name]);
    },
    options,
  );
  await module.link(() => undefined);
  await module.evaluate();
  return module;
}
