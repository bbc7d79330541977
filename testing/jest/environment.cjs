/**
 * Jest's environment for Node, in which the test's own context and what all share (`runtime.cjs`) know each other's values: a
 * date that a test made is a `Date` to a package, and an error that a package throws is an `Error` to the test.
 */
const { runInContext } = require("node:vm");
const { TestEnvironment } = require("jest-environment-node");
const { sharesModules } = require("./sharing.cjs");

const NAMES = [
  "Array",
  "Date",
  "Error",
  "Map",
  "Object",
  "Promise",
  "RangeError",
  "RegExp",
  "Set",
  "SyntaxError",
  "TypeError",
];
const isInstance = Function.prototype[Symbol.hasInstance];
/** The constructors of both contexts by their name; the second one's change with each test file. */
const known = new Map(NAMES.map((name) => [name, [globalThis[name]]]));
if (sharesModules) for (const all of known.values()) recogniseAll(all[0], all);

/** `instanceof own` is true for what any of them made; classes that extend it stay as they are. */
function recogniseAll(own, all) {
  Object.defineProperty(own, Symbol.hasInstance, {
    configurable: true,
    value(value) {
      return this === own ? all.some((one) => isInstance.call(one, value)) : isInstance.call(this, value);
    },
  });
}

module.exports = class SharingEnvironment extends TestEnvironment {
  constructor(...parts) {
    super(...parts);
    if (!sharesModules) return;
    for (const [name, all] of known) {
      all[1] = runInContext(name, this.context);
      recogniseAll(all[1], all);
    }
    // What a test sets is there for what is shared.
    this.global.process.env = process.env;
  }
};
