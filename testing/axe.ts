/** The automated accessibility checker, run on a page as it is. */
import { readFileSync } from "node:fs";
import { createRequire } from "node:module";
import type { Page } from "playwright-core";

const AXE = readFileSync(createRequire(import.meta.url).resolve("axe-core/axe.min.js"), "utf8");

/** What it finds wrong, one line each. */
export async function violations(page: Page): Promise<string[]> {
  // The policy lets no foreign script into the page; the checker comes in through the browser's own tools.
  if (!(await page.evaluate(() => "axe" in globalThis))) await page.evaluate(AXE);
  const result = await page.evaluate(() =>
    (
      globalThis as unknown as {
        axe: {
          run(options: object): Promise<{ violations: Array<{ id: string; nodes: Array<{ html: string }> }> }>;
        };
      }
      // Every rule is tried; what passes is not written out.
    ).axe.run({ resultTypes: ["violations"], selectors: false, ancestry: false }),
  );
  return result.violations.map(({ id, nodes }) => `${id}: ${nodes[0]?.html}`);
}

/** Whether a page can be read without scrolling sideways. */
export function scrollsSideways(page: Page): Promise<boolean> {
  return page.evaluate(() => document.documentElement.scrollWidth > document.documentElement.clientWidth);
}
