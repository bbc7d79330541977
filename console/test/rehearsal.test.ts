/** The rehearsal in the console: a walk that fills itself. */
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import type { Browser } from "playwright-core";
import { colourViolations, scrollsSideways, violationsOnTheWay } from "../../testing/axe.ts";
import { openTab, startBrowser } from "../../testing/browser.ts";
import type { TestSampleApp } from "../../testing/sample-app.ts";
import { startSampleApp } from "../../testing/sample-app.ts";
import type { TestService } from "../../testing/service.ts";
import { PASSWORD } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";
import { inWhole } from "../../testing/whole.ts";

let service: TestService;
let sample: TestSampleApp;
let browser: Browser;
beforeAll(async () => {
  service = await startShipped();
  sample = await startSampleApp(service);
  browser = await startBrowser();
});
afterAll(async () => {
  await browser.close();
  await sample.stop();
  await service.stop();
});

test("an operator begins a walk, sees its steps fill, and breaks it off; a path that is none is said at its field", async () => {
  const { context, page, complaints } = await openTab(browser);
  await page.goto(`${service.url}/console/rehearsal`);
  await page.fill("[name=identifier]", "office@brina.example");
  await page.fill("[name=password]", PASSWORD);
  await page.click("main form button[type=submit]");
  await page.waitForSelector("text=No rehearsal yet");
  expect(await violationsOnTheWay(page)).toEqual([]);
  await page.fill("[name=closed]", "members");
  await page.getByRole("button", { name: "Start" }).click();
  await page.waitForSelector("text=Give a path such as /members.");
  await page.fill("[name=closed]", "/members");
  await page.getByRole("button", { name: "Start" }).click();
  await page.waitForSelector("text=Brina Huts, /members");
  await page.waitForSelector("li:has-text('A guest is turned away from the closed page') >> text=passed");
  expect(await violationsOnTheWay(page)).toEqual([]);
  await page.getByRole("button", { name: "Stop" }).click();
  await page.waitForSelector("text=Stopped.");
  await page.getByRole("button", { name: "Start", exact: true }).waitFor();
  expect(complaints).toEqual([]);
  await context.close();
});

inWhole("what failed is told with its remedy, on a small screen and in the dark as well", async () => {
  await sample.stop();
  const { context, page, complaints } = await openTab(browser, { dark: true, width: 390 });
  await page.goto(`${service.url}/console/rehearsal`);
  await page.fill("[name=identifier]", "office@brina.example");
  await page.fill("[name=password]", PASSWORD);
  await page.click("main form button[type=submit]");
  await page.getByRole("button", { name: "Start", exact: true }).click();
  await page.waitForSelector("text=/0 passed, \\d+ failed, \\d+ skipped/");
  await page.getByRole("button", { name: "Start", exact: true }).waitFor();
  await page.waitForSelector("li:has-text('A guest sees the public page') >> text=cannot be asked");
  expect(await scrollsSideways(page)).toBe(false);
  expect(await colourViolations(page)).toEqual([]);
  expect(complaints).toEqual([]);
  await context.close();
});
