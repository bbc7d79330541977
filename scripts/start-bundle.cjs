/**
 * Loads a bundle's files, each with the code that V8 made of it when it was built (`compile-bundle.cjs`), which takes three
 * tenths off a start (`bench/start-with-code.mjs`). Code that does not fit, of another Node or of a file changed since, is left alone.
 * `build.mjs` lays it beside the bundle, as `start.cjs`; run as a program it loads `main.cjs`.
 */
const { readFileSync, statSync } = require("node:fs");
const { createRequire } = require("node:module");
const { dirname, join } = require("node:path");
const { pathToFileURL } = require("node:url");
const { Script } = require("node:vm");

/** Loaded files by their paths, with what they export. */
const modules = new Map();
/** Compiled files by their paths. */
exports.scripts = new Map();

/**
 * @param {string} path of a file of the bundle, absolute.
 * @returns {unknown} what it exports.
 */
exports.load = (path) => {
  const known = modules.get(path);
  if (known !== undefined) return known.exports;
  const module = { exports: {} };
  modules.set(path, module);
  const outside = createRequire(path);
  const directory = dirname(path);
  const require = (id) => (id.startsWith("./") ? exports.load(join(directory, id)) : outside(id));
  const script = compile(path);
  exports.scripts.set(path, script);
  // In code that was compiled before, `import()` no longer knows where it stands.
  const importModule = (name) => import(pathToFileURL(outside.resolve(name)).href);
  const given = [module.exports, Object.assign(require, outside), module, path, directory, importModule];
  script.runInThisContext()(...given);
  return module.exports;
};

function compile(path) {
  // One line, so that lines keep their numbers.
  const parameters = "exports, require, module, __filename, __dirname, importModule";
  const source = `(function (${parameters}) {${readFileSync(path, "utf8")}\n})`;
  return new Script(source, { filename: path, cachedData: codeOf(path) });
}

/** What V8 made of a file; nothing if there is none, or an older one. V8 itself looks whether it is its own. */
function codeOf(path) {
  const code = `${path}.code`;
  const { mtimeMs } = statSync(code, { throwIfNoEntry: false }) ?? { mtimeMs: 0 };
  return mtimeMs >= statSync(path).mtimeMs ? readFileSync(code) : undefined;
}

if (require.main === module) exports.load(join(__dirname, "main.cjs"));
