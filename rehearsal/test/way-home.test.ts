/** The walk gets lost where a person would: it types no address on its way back from a mail. */
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import type { TestSampleApp } from "../../testing/sample-app.ts";
import { startSampleApp } from "../../testing/sample-app.ts";
import type { TestService } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";
import { isWhole } from "../../testing/whole.ts";
import { rehearse } from "../src/rehearse.ts";

let service: TestService;
beforeAll(async () => {
  service = await startShipped();
});
afterAll(() => service.stop());

/** What became of the ways back by mail. */
async function walkBack(sample: TestSampleApp): Promise<Record<string, string>> {
  const operator = service.as(await service.operator());
  const { steps } = await rehearse({
    app: sample.url,
    service: service.url,
    open: "/",
    closed: "/members",
    closedApi: null,
    closedLevel2: null,
    only: isWhole ? ["reset-elsewhere", "invite", "mail-link"] : ["invite"],
    deadline: 200_000,
    invite: async ({ email, clientId, page }) =>
      void (await operator(routes.inviteAccount, { body: { email, app: clientId, page } })),
  });
  return Object.fromEntries(steps.map(({ id, state, came }) => [id, state === "passed" ? state : came]));
}

test("WH-5 it reaches the closed page by links and redirects alone", async () => {
  const sample = await startSampleApp(service);
  try {
    const byMail = isWhole ? { reset: "passed", "reset-elsewhere": "passed", "mail-link": "passed" } : {};
    expect(await walkBack(sample)).toEqual({
      "closed-page": "passed",
      register: "passed",
      invite: "passed",
      ...byMail,
    });
  } finally {
    await sample.stop();
  }
});

test("WH-5 an application that drops the wanted page, or tells nobody where it begins, strands people", async () => {
  const dropping = await startSampleApp(
    service,
    (app) => {
      app.addHook("onSend", async (request, reply) => {
        if (request.url.startsWith("/signed-in")) void reply.header("location", "/");
      });
    },
    "Hut book",
  );
  const silent = await startSampleApp(service, () => undefined, "Wood store");
  try {
    expect((await walkBack(dropping))["register"]).toMatch(
      /^http:\/\/localhost:\d+\/ instead of .*\/members$/,
    );
    const operator = service.as(await service.operator());
    const { body } = await operator(routes.listApps, { query: { limit: 100 } });
    const id = body.items.find(({ clientId }) => clientId === silent.clientId)?.id ?? "";
    await operator(routes.changeApp, { params: { id }, body: { home: null, initiateLoginUri: null } });
    const stranded = expect.stringMatching(
      /^by links alone it went .*, and not to http:\/\/localhost:\d+\/members/,
    );
    expect(await walkBack(silent)).toMatchObject({
      invite: stranded,
      ...(isWhole ? { reset: "passed", "reset-elsewhere": stranded, "mail-link": "passed" } : {}),
    });
  } finally {
    await silent.stop();
    await dropping.stop();
  }
});
