/** The automated accessibility checker, run on a page as it is. */
import { readFileSync } from "node:fs";
import { createRequire } from "node:module";
import type { Page } from "playwright-core";

const AXE = readFileSync(createRequire(import.meta.url).resolve("axe-core/axe.min.js"), "utf8");

interface Axe {
  run(options: object): Promise<{ violations: Array<{ id: string; nodes: Array<{ html: string }> }> }>;
}

/** Every rule is tried, with the one that is off unless it is asked for; what passes is not written out. */
const BRIEF = { resultTypes: ["violations"], selectors: false, rules: { "target-size": { enabled: true } } };
const COLOURS = { ...BRIEF, runOnly: { type: "rule", values: ["color-contrast", "link-in-text-block"] } };

/** What it finds wrong, one line each. */
export function violations(page: Page): Promise<string[]> {
  return run(page, BRIEF);
}

/** What it finds wrong by the rules that colours can break; for the other mode of a page that was looked at. */
export function colourViolations(page: Page): Promise<string[]> {
  return run(page, COLOURS);
}

async function run(page: Page, options: object): Promise<string[]> {
  // The policy lets no foreign script into the page; the checker comes in through the browser's own tools.
  if (!(await page.evaluate(() => "axe" in globalThis))) await page.evaluate(AXE);
  const result = await page.evaluate(
    (given) => (globalThis as unknown as { axe: Axe }).axe.run(given),
    options,
  );
  return result.violations.map(({ id, nodes }) => `${id}: ${nodes[0]?.html}`);
}

/** Whether a page can be read without scrolling sideways. */
export function scrollsSideways(page: Page): Promise<boolean> {
  return page.evaluate(() => document.documentElement.scrollWidth > document.documentElement.clientWidth);
}
