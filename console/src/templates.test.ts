/** What no linter of ours sees: the pages' markup. */
import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { expect, test } from "@jest/globals";
import { parse } from "svelte/compiler";

const PAGES = readdirSync(import.meta.dirname, { recursive: true, encoding: "utf8" }).filter((name) =>
  name.endsWith(".svelte"),
);

/** Each node of a page's tree. */
function* nodesOf(value: unknown): Generator<Record<string, unknown>> {
  if (typeof value !== "object" || value === null) return;
  if ("type" in value) yield value as Record<string, unknown>;
  for (const part of Object.values(value)) yield* nodesOf(part);
}

/** What is wrong with a page's markup, each with its line. */
function faultsOf(source: string): string[] {
  const { fragment } = parse(source, { modern: true });
  const lineOf = (start: unknown) => source.slice(0, Number(start)).split("\n").length;
  return [...nodesOf(fragment)].flatMap((node) => {
    if (node["type"] === "HtmlTag") return [`${lineOf(node["start"])}: markup from a text`];
    // Without an item (`{#each { length: 3 }}`) nothing can be told apart.
    if (node["type"] === "EachBlock" && node["context"] !== null && node["key"] === undefined)
      return [`${lineOf(node["start"])}: rows without a key`];
    return [];
  });
}

test("what is looked for is found", () => {
  expect(faultsOf("<p>{@html text}</p>\n{#each rows as row}{row}{/each}")).toEqual([
    "1: markup from a text",
    "2: rows without a key",
  ]);
  expect(faultsOf("{#each rows as row (row.id)}{row.name}{/each}")).toEqual([]);
});

test("no page makes markup of a text, and rows keep what belongs to them when a list changes", () => {
  expect(PAGES.length).toBeGreaterThan(50);
  const faults = PAGES.flatMap((name) =>
    faultsOf(readFileSync(join(import.meta.dirname, name), "utf8")).map((fault) => `${name}:${fault}`),
  );
  expect(faults).toEqual([]);
});
