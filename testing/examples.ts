/** The examples in doc comments are true: each `expression // → value` is computed, with what the package exports. */
import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { expect, test } from "@jest/globals";

const ARROW = " // → ";

interface Example {
  readonly name: string;
  readonly lines: readonly string[];
}

/** Every `@example` of a function, from the comment before it. */
function examplesIn(text: string): Example[] {
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

/** Tests of all examples below a folder. @param names what they can use. @param least how many there are at the least. */
export function testExamples(folder: string, names: Readonly<Record<string, unknown>>, least: number): void {
  const texts = readdirSync(folder, { recursive: true, encoding: "utf8" })
    .filter((name) => name.endsWith(".ts") && !name.endsWith(".test.ts"))
    .map((name) => readFileSync(join(folder, name), "utf8"));
  const examples = texts.flatMap(examplesIn);

  test("there are examples for what people call", () => {
    const written = texts.reduce((sum, text) => sum + (text.match(/^ \* @example$/gmu)?.length ?? 0), 0);
    expect(examples.length).toBe(written);
    expect(written).toBeGreaterThanOrEqual(least);
  });

  test.each(examples)("$name", async ({ lines }) => {
    const checks: Array<[shown: string, value: unknown, expected: unknown]> = [];
    const body = lines.map((line) => {
      const [code = "", value] = line.split(ARROW);
      return value === undefined ? code : `check(${JSON.stringify(code)}, ${code}, (${value}));`;
    });
    const AsyncFunction = (async () => undefined).constructor as FunctionConstructor;
    const run = AsyncFunction("check", ...Object.keys(names), body.join("\n"));
    await run((...check: [string, unknown, unknown]) => void checks.push(check), ...Object.values(names));
    expect(checks.length).toBeGreaterThan(0);
    for (const [shown, value, expected] of checks) expect([shown, value]).toEqual([shown, expected]);
  });
}
