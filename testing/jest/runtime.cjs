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
const { isOn } = require("./patches.cjs");

const ROOT = join(__dirname, "../..");
const COMPILED_ROOMS = "core|contract|hasp|service|rehearsal|demo";
const SOURCE = new RegExp(`^(${COMPILED_ROOMS})/src/(?!.*\\.test\\.ts$)(.*)\\.ts$`);
const COMPILED_PACKAGE = new RegExp(`^@lucchetto/(?:${COMPILED_ROOMS}|cli)(?:/|$)`);
const USES_JEST = /^import \{[^}]*\bjest\b[^}]*\} from "@jest\/globals";$/m;

/** What runs the tests of a file. */
const RUNNER = /[/\\]jest-circus[/\\]build[/\\]jestAdapterInit/;

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

/** Stands in for the memory of which test is under way: an error that no test catches fails its file instead. */
class NoMemory {
  getStore() {
    return undefined;
  }
  run(_store, work, ...given) {
    return work(...given);
  }
}

module.exports = class SharingRuntime extends Runtime {
  /** The test runner follows every promise to know whose error it is, which would take a tenth of all tests' time. */
  requireInternalModule(from, name) {
    if (!isOn("forget") || !RUNNER.test(name ?? from)) return super.requireInternalModule(from, name);
    const { coreModule } = this;
    const { require: usual } = coreModule;
    coreModule.require = (wanted) =>
      wanted === "node:async_hooks" ? { AsyncLocalStorage: NoMemory } : usual.call(coreModule, wanted);
    try {
      return super.requireInternalModule(from, name);
    } finally {
      delete coreModule.require;
    }
  }

  constructor(...parts) {
    super(...parts);
    if (!isOn("share")) return;
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
