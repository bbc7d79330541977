/** The automated accessibility checker, run on a page as it is. */
import { readFileSync } from "node:fs";
import { createRequire } from "node:module";
import type { Page } from "playwright-core";
import { isWhole } from "./whole.ts";

const AXE = readFileSync(createRequire(import.meta.url).resolve("axe-core/axe.min.js"), "utf8");

interface Axe {
  run(options: object): Promise<{ violations: Array<{ id: string; nodes: Array<{ html: string }> }> }>;
}

/** Every rule is tried, with the one that is off unless it is asked for; what passes is not written out. */
const BRIEF = { resultTypes: ["violations"], selectors: false, rules: { "target-size": { enabled: true } } };
const COLOURS = { ...BRIEF, runOnly: { type: "rule", values: ["color-contrast", "link-in-text-block"] } };

/** Of the pages that a test file looks at on its way, every so many are checked; all of them where everything is. */
const EVERY = isWhole ? 1 : 3;
let looked = 0;

/** What it finds wrong, one line each. */
export function violations(page: Page): Promise<string[]> {
  return run(page, BRIEF);
}

/** As `violations`, on the way of a journey: its pages are many, and much alike. */
export async function violationsOnTheWay(page: Page): Promise<string[]> {
  looked += 1;
  return looked % EVERY === 1 % EVERY ? violations(page) : [];
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
