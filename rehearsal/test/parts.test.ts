/** Parts of a walk through the sample application, as it is and as it should not be. */
import { spawn } from "node:child_process";
import { once } from "node:events";
import { mkdtempSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import { createSampleApp } from "@lucchetto/demo";
import type { Rehearsal } from "@lucchetto/rehearsal";
import { rehearse } from "@lucchetto/rehearsal";
import type { FastifyReply, FastifyRequest } from "fastify";
import { callCommand, COMMAND } from "../../testing/command.ts";
import { eventually } from "../../testing/eventually.ts";
import type { TestSampleApp } from "../../testing/sample-app.ts";
import { registerApp, startSampleApp } from "../../testing/sample-app.ts";
import type { TestService } from "../../testing/service.ts";
import { freePort } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";
import { inWhole, isWhole } from "../../testing/whole.ts";

let service: TestService;
let sample: TestSampleApp;
/** Lets the page go on that waits while the clock is moved. */
let goOn: () => void = () => undefined;
beforeAll(async () => {
  service = await startShipped();
  sample = await startSampleApp(service, (app) => {
    // It asks once for each cookie, and never again.
    const known = new Set<string>();
    const closed = app.hasp.closed();
    const careless = async (request: FastifyRequest, reply: FastifyReply) => {
      const cookie = request.headers.cookie ?? "";
      if (known.has(cookie)) return;
      await closed.call(app, request, reply);
      if (!reply.sent) known.add(cookie);
    };
    app.get("/careless", { preHandler: careless }, async (_request, reply) =>
      reply.type("text/html").send("<p>The ledger of a careless page</p>"),
    );
    const untilTold = async () => {
      if (service.clock.movedBy > 0) await new Promise<void>((resolve) => (goOn = resolve));
    };
    app.get("/slow", { preHandler: [untilTold, closed] }, async (_request, reply) =>
      reply.type("text/html").send("<p>The ledger of a slow page</p>"),
    );
  });
});
afterAll(async () => {
  await sample.stop();
  await service.stop();
});

const addressesOf = (app: string, at: string) => ({
  app,
  service: at,
  open: "/",
  closed: "/members",
  closedApi: null,
  closedLevel2: null,
});
/** Milliseconds, far more than a busy machine needs. */
const PATIENT = 200_000;
const failedOf = ({ steps }: Rehearsal) =>
  steps.filter(({ state }) => state === "failed").map(({ id, came }) => [id, came]);

/** Walks of several pages, which `rehearsal.test.ts` makes through an application without a fault. */
const walks = isWhole ? test : test.skip;

walks("pages that forget to ask again, and that ask for too little, are found", async () => {
  const careless = await rehearse({
    ...addressesOf(sample.url, service.url),
    closed: "/careless",
    closedLevel2: "/members",
    movesClock: true,
    only: ["old-cookie", "expiry", "level-wanted"],
    deadline: PATIENT,
  });
  expect(failedOf(careless)).toEqual([
    ["old-cookie", expect.stringMatching(/^200: it still opens the closed page/)],
    ["expiry", expect.stringMatching(/^31 minutes later the page is still open/)],
    ["level-wanted", expect.stringMatching(/^200 with \d+ characters/)],
  ]);
});

inWhole("where an address has to be proved first, it opens the mail and goes on", async () => {
  const settings = { LUCCHETTO_ACCOUNTS_VERIFY_EMAIL: "required" };
  const strict = await startShipped({ beside: service, settings });
  const port = await freePort();
  const app = await createSampleApp({
    ...(await registerApp(service, port, "Strict huts")),
    service: strict.url,
  });
  await app.listen({ host: "127.0.0.1", port });
  try {
    const addresses = addressesOf(`http://localhost:${port}`, strict.url);
    const walked = await rehearse({ ...addresses, only: ["register"], deadline: PATIENT });
    expect(failedOf(walked)).toEqual([]);
    expect(walked.steps.find(({ id }) => id === "register")?.came).toMatch(/^after the mail/);
    expect(walked.leftBehind).toBeNull();
  } finally {
    await app.close();
    await strict.stop();
  }
});

/** Milliseconds; the command moves it, not this process. */
async function movedBy(): Promise<number> {
  await service.clock.refresh();
  return service.clock.movedBy;
}

inWhole("a clock that was moved is set right again, also after kill -9", async () => {
  const args = ["rehearse", "--app", sample.url, "--closed", "/slow", "--url", service.url];
  const child = spawn(
    process.execPath,
    [COMMAND, ...args, "--move-clock", "--only", "expiry", "--deadline", "200"],
    {
      env: { PATH: process.env["PATH"] ?? "", HOME: mkdtempSync(join(tmpdir(), "lucchetto-home-")) },
      stdio: "ignore",
    },
  );
  const ended = once(child, "close");
  await eventually(async () => (await movedBy()) > 0, "the clock was moved");
  child.kill("SIGKILL");
  expect(await ended).toEqual([null, "SIGKILL"]);
  goOn();
  await eventually(async () => (await movedBy()) === 0, "the clock was set right");
});

test("forms are drafted, and found by what is written down", async () => {
  const home = mkdtempSync(join(tmpdir(), "lucchetto-home-"));
  const args = [
    "rehearse",
    "--app",
    sample.url,
    "--closed",
    "/members",
    "--url",
    service.url,
    "--deadline",
    "200",
  ];
  const { out } = await callCommand(home, [...args, "--draft"]);
  expect(out).toMatch(/# the field for the password when signing in\n# password: "#password"/);
  expect(out).toMatch(/# the field for a code of a second factor \(not found\)\n# code:/);
  writeFileSync(join(home, "rehearsal.yaml"), `${out}\nregister: "#nowhere"\n`);
  const walked = await callCommand(home, [...args, "--forms", "rehearsal.yaml", "--only", "register-faults"]);
  expect(walked.out).toMatch(/skipped +An invalid registration.*\n.*has no such button or link/);
  writeFileSync(join(home, "rehearsal.yaml"), "registr: a\n");
  expect(await callCommand(home, [...args, "--forms", "rehearsal.yaml"])).toMatchObject({
    status: 2,
    err: expect.stringMatching(/rehearsal\.yaml: there is no "registr"; there are identifier, /),
  });
});

test("wrong options are named before anything is asked", async () => {
  const home = mkdtempSync(join(tmpdir(), "lucchetto-home-"));
  for (const [args, said] of [
    [["--app", "localhost", "--closed", "/members"], /--app.*such as http:/],
    [["--app", sample.url, "--closed", "members"], /--closed.*such as \/members/],
    [["--app", sample.url, "--closed", "//evil.example"], /--closed.*such as \/members/],
    [["--app", sample.url], /--closed/],
    [
      ["--app", sample.url, "--closed", "/members", "--only", "nothing"],
      /--only: there is no step "nothing"/,
    ],
    [["--app", sample.url, "--closed", "/members", "--deadline", "0"], /--deadline.*from 1 to 9999/],
  ] as const) {
    const { status, err } = await callCommand(home, ["rehearse", ...args]);
    expect([args, status, err]).toEqual([args, 2, expect.stringMatching(said)]);
  }
});
