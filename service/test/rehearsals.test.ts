/** Rehearsals that the console begins: against registered applications alone, in development alone. */
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import type { Client } from "@lucchetto/contract";
import { routes } from "@lucchetto/contract";
import { eventually } from "../../testing/eventually.ts";
import { startSampleApp } from "../../testing/sample-app.ts";
import type { InProcessService } from "../../testing/service.ts";
import { send, startProduction, startService } from "../../testing/service.ts";

let service: InProcessService;
let office: Client;
beforeAll(async () => {
  service = await startService();
  office = service.as(await service.operator());
});
afterAll(() => service.stop());

test("one against an application that is not there ends, says why at each step, and leaves room for the next", async () => {
  const sample = await startSampleApp(service);
  await sample.stop();
  const body = { clientId: sample.clientId, closed: "/members" };
  const begun = await office(routes.beginRehearsal, { body });
  expect(begun.body).toMatchObject({
    state: "running",
    app: { address: `${sample.url}/` },
    closed: "/members",
  });
  await expect(office(routes.beginRehearsal, { body })).rejects.toMatchObject({
    problem: { code: "too-busy" },
  });
  const ended = await eventually(async () => {
    const [newest] = (await office(routes.listRehearsals)).body.items;
    return newest?.state === "ended" ? newest : null;
  });
  expect(ended).toMatchObject({ id: begun.body.id, passed: false, leftBehind: null });
  const [first] = ended.steps;
  expect(first).toMatchObject({
    id: "open-page",
    state: "failed",
    came: expect.stringContaining("cannot be asked"),
  });
  expect(ended.steps.every(({ state }) => state === "failed" || state === "left-out")).toBe(true);
  expect((await office(routes.beginRehearsal, { body })).body.state).toBe("running");
  const [running] = (await office(routes.listRehearsals)).body.items;
  await office(routes.endRehearsal, { params: { id: running?.id ?? "" } });
  await eventually(async () => (await office(routes.listRehearsals)).body.items[0]?.state !== "running");
});

test("no address but one of a registered application is walked through, by operators alone", async () => {
  const refused = (body: object) => office(routes.beginRehearsal, { body: body as never });
  await expect(refused({ clientId: "unheard-of", closed: "/members" })).rejects.toMatchObject({
    problem: { errors: [{ path: "clientId" }] },
  });
  for (const closed of ["//elsewhere.example/", "https://elsewhere.example/", "members", "/a\\b", "/a b"])
    await expect(refused({ clientId: "unheard-of", closed })).rejects.toMatchObject({
      problem: { errors: [{ path: "closed" }] },
    });
  const { token } = await service.register("anna@brina.example");
  await expect(service.as(token)(routes.listRehearsals)).rejects.toMatchObject({
    problem: { code: "operators-only" },
  });
});

test("the account of a rehearsal is erased soon after it is closed; anybody else's waits for its owner", async () => {
  for (const email of ["rehearsal-0a1b@rehearsal.example", "ugo.rehearsal-0a1b@brina.example"]) {
    const { token } = await service.register(email);
    await service.as(token)(routes.eraseOwnAccount);
  }
  await service.sweep();
  await service.sweep();
  const left = await service.dataSource.query("SELECT email FROM account WHERE state = 'closed'");
  expect(left).toEqual([{ email: "ugo.rehearsal-0a1b@brina.example" }]);
});

test("in production there is no such call, and none is described", async () => {
  const production = await startProduction();
  try {
    const headers = { host: "accounts.brina.example" };
    expect((await send(production, "GET", "/v1/operator/rehearsals", { headers })).status).toBe(404);
    expect((await send(production, "GET", "/openapi.json", { headers })).text).not.toMatch(/rehearsal/i);
  } finally {
    await production.stop();
  }
});
