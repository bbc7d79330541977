#!/usr/bin/env node
/**
 * What the worst recipes cost that are still allowed: each function, called as often as its bounds let it be, on the longest values.
 * Its deliberately slow functions are bounded as records are, and are not measured here.
 *
 *     node bench/recipes.mjs
 */
import { performance } from "node:perf_hooks";
import { readRecipe, RecipeError, runRecipe } from "@lucchetto/core";

const RUNS = 5;
const INPUT = {
  password: "é".repeat(256),
  salt: "ﬃ".repeat(1_024),
  username: "🔑".repeat(255),
  email: "a".repeat(320),
};
/** A value, large by a count, in what is wanted: text, hexadecimal text, bytes. */
const large = {
  wide: (count) => `repeat(salt, ${count})`,
  pairs: (count) => `repeat(username, ${count})`,
  hex: (count) => `repeat(hex(md5(password)), ${count})`,
  bytes: (count) => `repeat(md5(password), ${count})`,
};
/** Each in a shape that makes little of much, so that many of them stand beside each other. */
const CALLS = {
  "upper of letters that become three": (count) => `slice(upper(${large.wide(count)}), 0, 1)`,
  lower: (count) => `slice(lower(${large.pairs(count)}), 0, 1)`,
  "slice to the end": (count) => `slice(${large.pairs(count)}, 1, 999999999)`,
  utf8: (count) => `slice(utf8(${large.pairs(count)}), 0, 1)`,
  utf16le: (count) => `slice(utf16le(${large.pairs(count)}), 0, 1)`,
  unhex: (count) => `slice(unhex(${large.hex(count)}), 0, 1)`,
  unbase64: (count) => `slice(unbase64(${large.hex(count)}), 0, 1)`,
  hex: (count) => `slice(hex(${large.bytes(count)}), 0, 1)`,
  base64: (count) => `slice(base64(${large.bytes(count)}), 0, 1)`,
  "concat of one byte each": (count) => `slice(concat(${large.bytes(count)}, "a"), 0, 1)`,
  md5: (count) => `md5(${large.bytes(count)})`,
  sha512: (count) => `sha512(${large.bytes(count)})`,
  hmac: (count) => `hmac("sha384", ${large.bytes(count)}, salt)`,
};

const isAllowed = (source) => {
  try {
    readRecipe(source);
    return true;
  } catch (error) {
    if (error instanceof RecipeError) return false;
    throw error;
  }
};

/** The recipe with the most that is allowed: as large as may be, then as many as may be. */
function worst(call) {
  let best = null;
  for (const many of [1, 2, 3, 4, 6, 8, 12, 16, 24, 32]) {
    const source = (count) => `hex(md5(concat(password, ${Array(many).fill(call(count)).join(", ")})))`;
    let low = 0;
    for (let step = 2 ** 20; step >= 1; step /= 2) if (isAllowed(source(low + step))) low += step;
    if (low > 0 && (best === null || many * low > best.worth))
      best = { worth: many * low, many, count: low, source: source(low) };
  }
  return best;
}

let dearest = 0;
for (const [name, call] of Object.entries(CALLS)) {
  const { many, count, source } = worst(call);
  const recipe = readRecipe(source);
  const times = [];
  for (let run = 0; run < RUNS; run += 1) {
    const begun = performance.now();
    await runRecipe(recipe, INPUT);
    times.push(performance.now() - begun);
  }
  const most = Math.max(...times.slice(1));
  dearest = Math.max(dearest, most);
  process.stdout.write(
    `${most.toFixed(1).padStart(7)} ms  ${name}: ${many} calls, each of a value repeated ${count} times\n`,
  );
}
process.stdout.write(`the dearest takes ${dearest.toFixed(1)} ms\n`);
