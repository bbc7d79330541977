/** Where somebody wanted to go on to travels with the mail that they asked for, and with nobody else's. */
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import type { LinkLook } from "@lucchetto/contract";
import { registerApp } from "../../testing/sample-app.ts";
import type { InProcessService } from "../../testing/service.ts";
import { PASSWORD, startService } from "../../testing/service.ts";
import { mailsTo, mailTo, secretOf, Visitor } from "../../testing/visitor.ts";

let service: InProcessService;
let wanted: string;
beforeAll(async () => {
  service = await startService();
  const { clientId } = await registerApp(service, 8421, "Hut book");
  wanted = `/oauth/authorize?client_id=${clientId}&state=x`;
});
afterAll(() => service.stop());

const look = async (who: Visitor, secret: string): Promise<LinkLook> =>
  (await who.post("/v1/mail-links/look", { secret })).json<LinkLook>();
const ask = (who: Visitor, purpose: string, email: string, returnTo: string) =>
  who.post("/v1/mail-links", { purpose, identifier: email, returnTo });
/** The secret of the newest mail since. */
async function asked(email: string, template: string, work: () => Promise<unknown>): Promise<string> {
  const before = await mailsTo(service, email);
  await work();
  return secretOf(await mailTo(service, email, template, new Set(before.map(({ id }) => id))));
}

test("the browser that asked is told the path, another one the application's first page alone", async () => {
  const email = "anna@brina.example";
  await service.register(email);
  const here = new Visitor(service);
  const secret = await asked(email, "reset", () => ask(here, "reset", email, wanted));
  const app = { name: "Hut book", home: "http://localhost:8421/" };
  expect(await look(here, secret)).toMatchObject({ returnTo: wanted, app });
  expect(await look(new Visitor(service), secret)).toMatchObject({ returnTo: null, app });
});

test("what a stranger wanted in somebody's name is nothing to the browser that registered", async () => {
  const email = "bruno@brina.example";
  const owner = new Visitor(service);
  const first = await asked(email, "verify", () =>
    owner.post("/v1/accounts", { email, password: PASSWORD, returnTo: wanted }),
  );
  expect(await look(owner, first)).toMatchObject({ here: true, returnTo: wanted });
  const stranger = new Visitor(service);
  const second = await asked(email, "verify", () => ask(stranger, "verify", email, "/account/erase"));
  expect(await look(owner, second)).toMatchObject({ here: true, returnTo: null, app: null });
  expect(await look(stranger, second)).toMatchObject({ here: false, returnTo: "/account/erase" });
});

test.each([
  "https://evil.test/",
  "//evil.test/x",
  "/\\evil.test",
  "javascript:alert(1)",
  "/../..//evil.test",
])("%s is no path of ours, and is not kept", async (path) => {
  const email = "carla@brina.example";
  await new Visitor(service).post("/v1/accounts", { email, password: PASSWORD });
  const who = new Visitor(service);
  const secret = await asked(email, "reset", () => ask(who, "reset", email, path));
  const { returnTo } = await look(who, secret);
  expect(new URL(returnTo ?? "/", service.url).origin).toBe(service.url);
});

test("an app that is there no more, or never was, is named by nothing", async () => {
  const email = "dora@brina.example";
  await service.register(email);
  const who = new Visitor(service);
  const path = "/oauth/authorize?client_id=gone-app&state=x";
  const secret = await asked(email, "reset", () => ask(who, "reset", email, path));
  expect(await look(who, secret)).toMatchObject({ returnTo: path, app: null });
});
