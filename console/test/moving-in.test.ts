import { createHash } from "node:crypto";
import { mkdtempSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import type { Browser } from "playwright-core";
import { colourViolations, violationsOnTheWay } from "../../testing/axe.ts";
import { openTab, startBrowser } from "../../testing/browser.ts";
import { callCommand } from "../../testing/command.ts";
import { eventually } from "../../testing/eventually.ts";
import type { TestService } from "../../testing/service.ts";
import { PASSWORD, send } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";

const home = mkdtempSync(join(tmpdir(), "lucchetto-home-"));
let service: TestService;
let browser: Browser;
beforeAll(async () => {
  service = await startShipped();
  await service.operator();
  browser = await startBrowser();
});
afterAll(async () => {
  await browser.close();
  await service.stop();
});

function lucchetto(...args: string[]) {
  const env = {
    LUCCHETTO_CONFIG: service.configFile,
    LUCCHETTO_DATABASE_PASSWORD: service.database.password,
  };
  return callCommand(home, args, { env });
}

test("an operator sees how an intake went, why rows were refused, and corrects its recipe with a password that is known", async () => {
  const digest = (name: string) => createHash("sha1").update(`${name} by the lake#s1`).digest("hex");
  const rows = [
    `elsa,elsa@old.example,${digest("elsa")},s1`,
    `dino,dino@old.example,${digest("dino")},s1`,
    `irma,no address,${digest("irma")},s1`,
  ];
  writeFileSync(join(home, "lake.csv"), `login,mail,pw,salt\n${rows.join("\n")}\n`);
  writeFileSync(
    join(home, "lake.yaml"),
    "source: {file: lake.csv, format: csv}\ncolumns: {username: login, email: mail}\npasswords:\n  - {kind: recipe, column: pw, salt: salt, recipe: 'hex(sha1(concat(salt, password)))'}\n",
  );

  const { context, page, complaints } = await openTab(browser);
  await page.goto(`${service.url}/console/moving-in`);
  await page.fill("#identifier", "office@brina.example");
  await page.fill("#password", PASSWORD);
  await page.click("button[type=submit]");
  await page.waitForSelector("text=Nothing has been imported yet");
  expect(await violationsOnTheWay(page)).toEqual([]);

  const run = await lucchetto("import", "run", join(home, "lake.yaml"), "--unproven", "--wrap", "later");
  expect(run).toMatchObject({ status: 0, out: expect.stringMatching(/imported +2\n/) });
  await page.click("text=Refresh");
  const card = page.locator("article");
  await card.locator("text=not proved").waitFor();
  // What lies sealed is wrapped while one looks.
  await eventually(async () => (await page.locator("[role=progressbar]").count()) === 0);
  await page.click("text=Refused rows: 1");
  await card.locator("td >> text=not a valid e-mail address").waitFor();
  expect(await card.textContent()).not.toContain(digest("irma"));

  await page.click("text=Correct this recipe");
  await page.fill("#text", "hex(sha1(concat(password, salt)))");
  await page.fill("#identifier", "elsa");
  await page.fill("#password", "elsa by the lake");
  await page.click("text=Test, and save if it matches");
  await page.waitForSelector("#password[aria-invalid=true]");
  expect(await violationsOnTheWay(page)).toEqual([]);
  await page.emulateMedia({ colorScheme: "dark" });
  expect(await colourViolations(page)).toEqual([]);
  await page.fill("#text", 'hex(sha1(concat(password, "#", salt)))');
  await page.click("text=Test, and save if it matches");
  await card.locator("code >> text=hex(sha1(concat(password").waitFor();
  await card.locator("text=proved right").waitFor();
  const body = {
    proof: { type: "password", identifier: "dino", password: "dino by the lake" },
    deliver: "token",
  };
  const headers = { "content-type": "application/json" };
  expect((await send(service, "POST", "/v1/sign-in", { body: JSON.stringify(body), headers })).status).toBe(
    201,
  );
  await page.click("text=Refresh");
  await card.locator("dd >> text=1").first().waitFor();
  expect(complaints.filter((one) => !/400/.test(one))).toEqual([]);
  await context.close();
});

test("an operator uploads a table, mends its plan, checks it with a password that is known, and takes it in", async () => {
  const digest = (name: string) => createHash("md5").update(`${name} by the spring`).digest("hex");
  const rows = Array.from({ length: 12 }, (_, n) => `vera${n};vera${n}@spring.example;${digest(`vera${n}`)}`);
  const { context, page, complaints } = await openTab(browser);
  await page.goto(`${service.url}/console/moving-in`);
  await page.fill("#identifier", "office@brina.example");
  await page.fill("#password", PASSWORD);
  await page.click("button[type=submit]");
  await page.click("text=Import a users table");
  await page.click("button >> text=Upload");
  await page.waitForSelector("#file[aria-invalid=true]");
  await page.setInputFiles("#file", {
    name: "spring.csv",
    mimeType: "text/csv",
    buffer: Buffer.from(`\ufefflogin;mail;pw\n${rows.join("\n")}\n`),
  });
  await page.selectOption("select >> nth=1", ";");
  await page.click("button >> text=Upload");
  await page.waitForSelector("#plan");
  const preview = await page.textContent("[role=region]");
  expect(preview).toContain("vera0@spring.example");
  expect(preview).not.toContain(digest("vera0"));
  expect(await violationsOnTheWay(page)).toEqual([]);

  const plan = await page.inputValue("#plan");
  await page.fill("#plan", plan.replace("hex(md5(password))", "md5(password"));
  await page.click("button >> text=Check");
  await page.waitForSelector("#plan[aria-invalid=true]");
  await page.fill("#plan", plan);
  await page.fill("#who-0", "vera3");
  await page.fill("#known-0", "vera3 by the spring");
  await page.click("button >> text=Check");
  await page.waitForSelector("text=The password of vera3 matches.");
  expect(await page.textContent("main")).toMatch(/12\s*would be imported/);
  expect(await violationsOnTheWay(page)).toEqual([]);
  await page.emulateMedia({ colorScheme: "dark" });
  expect(await colourViolations(page)).toEqual([]);
  await page.click("button >> text=Import");
  const card = page.locator("article", { hasText: "spring.csv" });
  await card.locator("dd >> text=12").first().waitFor();
  expect(complaints.filter((one) => !/400/.test(one))).toEqual([]);
  await context.close();
});
