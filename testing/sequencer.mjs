/** The order of the test files: those that start browsers and processes first, so that no long one is left for the end. */
import { statSync } from "node:fs";
import { relative, sep } from "node:path";
import Sequencer from "@jest/test-sequencer";

/** Rooms whose tests take long, the longest first. */
const FIRST = ["demo", "console", "cli", "hasp"];

export default class LongestFirst extends Sequencer {
  sort(tests) {
    return [...tests]
      .map((test) => ({ test, rank: rankOf(test), bytes: statSync(test.path).size }))
      .sort((left, right) => left.rank - right.rank || right.bytes - left.bytes)
      .map(({ test }) => test);
  }
}

function rankOf({ path, context }) {
  const [room = ""] = relative(context.config.rootDir, path).split(sep);
  const rank = FIRST.indexOf(room);
  return rank === -1 ? FIRST.length : rank;
}
