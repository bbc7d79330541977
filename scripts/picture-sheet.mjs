#!/usr/bin/env node
/**
 * Puts the pictures that tests kept on one sheet in docs/screenshots, each under its name:
 *
 *     PICTURES=/tmp/pictures npm test -- --only-jest console/test/ways.test hasp/test/two-hosts
 *     node scripts/picture-sheet.mjs /tmp/pictures ways
 *
 *     PICTURES=/tmp/factors npm test -- --only-jest console/test/second-factor console/test/passkeys
 *     node scripts/picture-sheet.mjs /tmp/factors second-factor
 */
import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { startBrowser } from "@lucchetto/rehearsal";
import { ROOT } from "./prerequisites.mjs";
import { run, UserError } from "./say.mjs";

await run(async () => {
  const [folder, name] = process.argv.slice(2);
  if (folder === undefined || name === undefined)
    throw new UserError("Name the folder with the pictures, and the sheet.", 2);
  const figures = readdirSync(folder)
    .filter((file) => file.endsWith(".png"))
    .sort((left, right) => left.localeCompare(right, "en", { numeric: true }))
    .map((file) => {
      const caption = file.replace(/^(?:\d+|[a-z])-|\.png$/g, "").replaceAll("-", " ");
      const data = readFileSync(join(folder, file)).toString("base64");
      return `<figure style="margin:0"><figcaption>${caption}</figcaption><img style="height:385px;border:1px solid #bbb" src="data:image/png;base64,${data}"></figure>`;
    });
  const browser = await startBrowser();
  const sheet = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await sheet.setContent(
    `<body style="margin:16px;font:14px sans-serif;display:flex;flex-wrap:wrap;gap:8px">${figures.join("")}</body>`,
  );
  await sheet.screenshot({ path: join(ROOT, "docs", "screenshots", `${name}.png`), fullPage: true });
  await browser.close();
});
