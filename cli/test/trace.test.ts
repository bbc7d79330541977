/** `lucchetto trace`: what was done for a request, in a terminal. */
import { mkdtempSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import type { CommandLine } from "../../testing/command.ts";
import { commandLine } from "../../testing/command.ts";
import type { TestService } from "../../testing/service.ts";
import { PASSWORD } from "../../testing/service.ts";
import { startShipped, startShippedProduction } from "../../testing/shipped-service.ts";

let service: TestService;
let lucchetto: CommandLine;
beforeAll(async () => {
  service = await startShipped({ looksInside: true });
  lucchetto = commandLine(mkdtempSync(join(tmpdir(), "lucchetto-home-")), service);
});
afterAll(() => service.stop());

test("before anything was asked it says how to begin", async () => {
  expect(await lucchetto(["trace"])).toMatchObject({
    status: 1,
    err: expect.stringMatching(/No requests to .* Open .*\/sign-in and try something/),
  });
  expect((await lucchetto(["trace", "--list"])).out).toContain("No requests yet.");
});

test("the newest that wrote something, one by its id, the list, and all of it for programs", async () => {
  const registered = ["register", "--email", "mira@brina.example", "--password-stdin"];
  expect((await lucchetto(registered, { input: PASSWORD })).status).toBe(0);
  await lucchetto(["whoami"]);
  const { out } = await lucchetto(["trace", "--statements"]);
  expect(out).toMatch(/^POST \/v1\/accounts {2}201 signed-in\n.* ms, by a program, request [0-9a-f-]{36}\n/);
  expect(out).toMatch(/█ hashing [\d.]+ ms \(1\) {3}▓ database/);
  expect(out).toMatch(/✓ +[\d.]+ ms {2}session +begun, level 1/);
  expect(out).toMatch(/\+ password_record {2}accountId [^\n]*\n.*\$scrypt\$ln=8/);
  expect(out).not.toMatch(/isOpenlyRegistered true/);
  const whole = await lucchetto(["trace", "--rows"]);
  expect(whole.out).toMatch(/\+ password_record\n.*\$scrypt\$ln=8/);
  expect(whole.out).toMatch(/isOpenlyRegistered true/);
  expect(out).toContain("└─ cost factor");
  expect(out).toMatch(
    /Mails\n {2}Confirm your address for Brina Huts, to mira@brina.example {2}lucchetto mail show [0-9a-f-]{36}/,
  );
  expect(out).toMatch(/ms +1 {2}INSERT INTO account\(id, /);
  expect(out).not.toContain(PASSWORD);

  const list = await lucchetto(["trace", "--list"]);
  expect(list.out).toMatch(/at +request +by +status +outcome +ms +request id/);
  const [, id = ""] = /GET \/v1\/session +program +200 +[\d.]+ +([0-9a-f-]{36})/.exec(list.out) ?? [];
  expect((await lucchetto(["trace", id])).out).toMatch(/session +of mira@brina\.example, level 1, until/);
  const all = JSON.parse((await lucchetto(["trace", id, "--json"])).out);
  expect(all).toMatchObject({ requestId: id, by: "program", rows: [] });
});

test("an id that is not kept, and a service that keeps nothing, are said", async () => {
  expect(await lucchetto(["trace", "unheard-of"])).toMatchObject({
    status: 1,
    err: expect.stringMatching(/There is no request "unheard-of" .* lucchetto trace --list/),
  });
  const production = await startShippedProduction({
    LUCCHETTO_LISTEN_HOSTS: "[localhost]",
  });
  try {
    const refused = await lucchetto(["trace", "--url", production.url]);
    expect(refused).toMatchObject({ status: 1, err: expect.stringContaining("in development mode only") });
  } finally {
    await production.stop();
  }
});
