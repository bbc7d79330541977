/** The walk through the sample application, as a developer calls it. */
import { mkdtempSync, readdirSync, readFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, expect } from "@jest/globals";
import { createSampleApp } from "@lucchetto/demo";
import { callCommand } from "../../testing/command.ts";
import type { TestSampleApp } from "../../testing/sample-app.ts";
import { registerApp, startSampleApp } from "../../testing/sample-app.ts";
import type { TestService } from "../../testing/service.ts";
import { freePort } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";
import { inWhole, isWhole } from "../../testing/whole.ts";

let service: TestService;
let sample: TestSampleApp;
beforeAll(async () => {
  if (!isWhole) return;
  service = await startShipped();
  sample = await startSampleApp(service);
});
afterAll(async () => {
  if (!isWhole) return;
  await sample.stop();
  await service.stop();
});

inWhole("a rehearsal of the sample application passes every step, and leaves nobody behind", async () => {
  const home = mkdtempSync(join(tmpdir(), "lucchetto-home-"));
  const args = ["--app", sample.url, "--closed", "/members", "--closed-api", "/api/my-nights"];
  const all = ["--closed-level2", "/key-box", "--move-clock"];
  const more = ["--url", service.url, "--junit", "walk.xml", "--pictures", "pictures", "--deadline", "200"];
  const { status, out, err } = await callCommand(home, ["rehearse", ...args, ...all, ...more]);
  expect([out, err, status]).toEqual([
    expect.stringContaining("26 passed, 0 failed, 1 skipped."),
    expect.stringMatching(/^One step moves the clock of .*, which ends other people's sessions\./),
    0,
  ]);
  expect(out).not.toContain("could not be erased");
  const states = await service.dataSource.query(
    "SELECT DISTINCT state FROM account WHERE emailKey LIKE 'rehearsal-%'",
  );
  expect(states).toEqual([{ state: "closed" }]);
  await service.clock.refresh();
  expect(service.clock.movedBy).toBe(0);
  expect(readFileSync(join(home, "walk.xml"), "utf8")).toMatch(
    /<testsuite [^>]*tests="27" failures="0" skipped="1">/,
  );
  expect(readdirSync(join(home, "pictures")).length).toBeGreaterThan(15);
});

inWhole("a rehearsal walks an application's own forms, and fails at nothing", async () => {
  const home = mkdtempSync(join(tmpdir(), "lucchetto-home-"));
  const port = await freePort();
  const options = await registerApp(service, port, "Brina Huts with its own forms");
  const app = await createSampleApp({ ...options, forms: { page: "/desk" } });
  await app.listen({ host: "127.0.0.1", port });
  try {
    const args = [
      "--app",
      `http://localhost:${port}`,
      "--closed",
      "/members",
      "--closed-api",
      "/api/my-nights",
      "--closed-level2",
      "/key-box",
    ];
    const { status, out } = await callCommand(home, [
      "rehearse",
      ...args,
      "--url",
      service.url,
      "--deadline",
      "200",
    ]);
    expect([out, status]).toEqual([expect.stringContaining(" 0 failed, "), 0]);
  } finally {
    await app.close();
  }
});
