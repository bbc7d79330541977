/**
 * The order of the test files: long ones first, so that none is left for the end, and rooms in turn, so that not all
 * browsers are at work at once.
 */
import { statSync } from "node:fs";
import { basename, relative, sep } from "node:path";
import Sequencer from "@jest/test-sequencer";

/** Rooms whose tests take long. */
const IN_TURN = ["rehearsal", "demo", "console", "cli", "hasp", "service"];

/** Files that take longer than their size tells, by what they would have to be in bytes. */
const LONGER = {
  "faults.test.ts": 20_000,
  "rehearsal.test.ts": 19_000,
  "parts.test.ts": 18_000,
  "integrate.test.ts": 18_500,
  "takeover.test.ts": 11_000,
  "housekeeping.test.ts": 14_000,
  "description.test.ts": 14_000,
};

export default class LongestFirst extends Sequencer {
  sort(tests) {
    const rooms = new Map(IN_TURN.map((room) => [room, []]));
    const last = [];
    for (const test of [...tests].sort((left, right) => lengthOf(right) - lengthOf(left)))
      (rooms.get(roomOf(test)) ?? last).push(test);
    const ordered = [];
    while ([...rooms.values()].some((waiting) => waiting.length > 0))
      for (const waiting of rooms.values()) ordered.push(...waiting.splice(0, 1));
    return [...ordered, ...last];
  }
}

const roomOf = ({ path, context }) => relative(context.config.rootDir, path).split(sep)[0];

const lengthOf = ({ path }) => LONGER[basename(path)] ?? statSync(path).size;
