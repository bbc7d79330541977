/** The walk through the sample application, as a developer calls it. */
import { mkdtempSync, readdirSync, readFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import { createSampleApp } from "@lucchetto/demo";
import { rehearse } from "@lucchetto/rehearsal";
import { callCommand } from "../../testing/command.ts";
import type { TestSampleApp } from "../../testing/sample-app.ts";
import { registerApp, startSampleApp } from "../../testing/sample-app.ts";
import type { TestService } from "../../testing/service.ts";
import { freePort, startService } from "../../testing/service.ts";

let service: TestService;
let sample: TestSampleApp;
beforeAll(async () => {
  service = await startService();
  sample = await startSampleApp(service);
});
afterAll(async () => {
  await sample.stop();
  await service.stop();
});

test("a rehearsal of the sample application passes every step, and leaves nobody behind", async () => {
  const home = mkdtempSync(join(tmpdir(), "lucchetto-home-"));
  const args = ["--app", sample.url, "--closed", "/members", "--closed-api", "/api/my-nights"];
  const more = ["--url", service.url, "--junit", "walk.xml", "--pictures", "pictures", "--deadline", "200"];
  const { status, out, err } = await callCommand(home, ["rehearse", ...args, ...more]);
  expect([out, err, status]).toEqual([expect.stringContaining("16 passed, 0 failed, 0 left out."), "", 0]);
  expect(out).not.toContain("could not be erased");
  const states = await service.dataSource.query(
    "SELECT DISTINCT state FROM account WHERE emailKey LIKE 'rehearsal-%'",
  );
  expect(states).toEqual([{ state: "closed" }]);
  expect(readFileSync(join(home, "walk.xml"), "utf8")).toMatch(
    /<testsuite [^>]*tests="16" failures="0" skipped="0">/,
  );
  expect(readdirSync(join(home, "pictures")).length).toBeGreaterThan(10);
});

test("where an address has to be proved first, it opens the mail and goes on", async () => {
  const settings = { LUCCHETTO_ACCOUNTS_VERIFY_EMAIL: "required" };
  const strict = await startService({ beside: service, settings });
  const port = await freePort();
  const app = await createSampleApp({
    ...(await registerApp(service, port, "Strict huts")),
    service: strict.url,
  });
  await app.listen({ host: "127.0.0.1", port });
  try {
    const addresses = {
      app: `http://localhost:${port}`,
      service: strict.url,
      open: "/",
      closed: "/members",
      closedApi: null,
    };
    const { steps, leftBehind } = await rehearse({ ...addresses, deadline: 200_000 });
    expect(steps.filter(({ state }) => state === "failed")).toEqual([]);
    expect(steps.find(({ id }) => id === "register")?.came).toMatch(/^after the mail/);
    expect(leftBehind).toBeNull();
  } finally {
    await app.close();
    await strict.stop();
  }
});

test("wrong options are named before anything is asked", async () => {
  const home = mkdtempSync(join(tmpdir(), "lucchetto-home-"));
  for (const [args, said] of [
    [["--app", "localhost", "--closed", "/members"], /--app.*such as http:/],
    [["--app", sample.url, "--closed", "members"], /--closed.*such as \/members/],
    [["--app", sample.url, "--closed", "//evil.example"], /--closed.*such as \/members/],
    [["--app", sample.url], /--closed/],
    [["--app", sample.url, "--closed", "/members", "--deadline", "0"], /--deadline.*from 1 to 9999/],
  ] as const) {
    const { status, err } = await callCommand(home, ["rehearse", ...args]);
    expect([args, status, err]).toEqual([args, 2, expect.stringMatching(said)]);
  }
});
