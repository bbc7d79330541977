/** Pictures that tests keep on the way when asked to: `PICTURES=folder npm test -- ways two-hosts`. */
import { mkdirSync } from "node:fs";
import { join } from "node:path";
import type { Page } from "playwright-core";

export async function keepPicture(page: Page, name: string): Promise<void> {
  const folder = process.env["PICTURES"];
  if (folder === undefined) return;
  mkdirSync(folder, { recursive: true });
  await page.screenshot({ path: join(folder, `${name}.png`) });
}
