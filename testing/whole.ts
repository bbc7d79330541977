/** What `npm test` takes a sample of and `npm run test:long` does whole: the same tests, with more to go through. */
import { test } from "@jest/globals";

export const isWhole = process.env["WHOLE"] === "1";

/** The first so many, or all of them. */
export const sampleOf = <One>(all: readonly One[], count: number): readonly One[] =>
  isWhole ? all : all.slice(0, count);

/** A test that only the long run makes; `npm test` has others of its kind. */
export const inWhole = isWhole ? test : test.skip;
