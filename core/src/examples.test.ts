/** The examples in doc comments are true: each `expression // → value` is computed, with what the package exports. */
import { readdirSync, readFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";
import { expect, test } from "@jest/globals";
import * as core from "./index.ts";

const HERE = dirname(fileURLToPath(import.meta.url));
const ARROW = " // → ";

interface Example {
  readonly name: string;
  readonly lines: readonly string[];
}

/** Every `@example` of a function, from the comment before it. */
function examplesIn(file: string): Example[] {
  const text = readFileSync(join(HERE, file), "utf8");
  const found = text.matchAll(
    /\n \* @example\n \* ```ts\n((?: \* .*\n)+?) \* ```\n(?: \*.*\n)*? \*\/\nexport (?:async )?function (\w+)/gu,
  );
  return [...found].map(([, lines = "", name = ""]) => ({
    name,
    lines: lines
      .trimEnd()
      .split("\n")
      .map((line) => line.slice(" * ".length)),
  }));
}

const files = readdirSync(HERE, { recursive: true, encoding: "utf8" }).filter(
  (name) => name.endsWith(".ts") && !name.endsWith(".test.ts"),
);
const examples = files.flatMap(examplesIn);

test("there are examples for what people call", () => {
  const written = files.reduce(
    (sum, file) => sum + (readFileSync(join(HERE, file), "utf8").match(/^ \* @example$/gmu)?.length ?? 0),
    0,
  );
  expect(examples.length).toBe(written);
  expect(written).toBeGreaterThanOrEqual(60);
});

test.each(examples)("$name", async ({ lines }) => {
  const checks: Array<[shown: string, value: unknown, expected: unknown]> = [];
  const body = lines.map((line) => {
    const [code = "", value] = line.split(ARROW);
    return value === undefined ? code : `check(${JSON.stringify(code)}, ${code}, (${value}));`;
  });
  const AsyncFunction = (async () => undefined).constructor as FunctionConstructor;
  const run = AsyncFunction("check", ...Object.keys(core), body.join("\n"));
  await run(
    (...check: [string, unknown, unknown]) => void checks.push(check),
    ...Object.values<unknown>(core),
  );
  expect(checks.length).toBeGreaterThan(0);
  for (const [shown, value, expected] of checks) expect([shown, value]).toEqual([shown, expected]);
});
