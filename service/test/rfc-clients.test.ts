/** OA-10: the clients of the docs, written from the RFCs alone in other languages, go the whole way. */
import { execFile } from "node:child_process";
import { fileURLToPath } from "node:url";
import { promisify } from "node:util";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import { eventually } from "../../testing/eventually.ts";
import type { TestService } from "../../testing/service.ts";
import { send, startService } from "../../testing/service.ts";
import { cookiesOf, LANGUAGES, ownCookie, startHuts } from "../../testing/way-in.ts";

let service: TestService;
beforeAll(async () => {
  service = await startService({ publicUrl: "http://localhost:{port}/people" });
  await service.register("anna@brina.example");
});
afterAll(() => service.stop());

const html = { accept: "text/html" };
/** What a page knows. */
const stateOf = (text: string) => JSON.parse(/id="page-state">(.*?)<\/script>/s.exec(text)?.[1] ?? "null");
const example = (name: string) => fileURLToPath(new URL(`../../docs/examples/${name}`, import.meta.url));

describe.each(LANGUAGES.map((one) => [one.language, one] as const))("OA-10 a client in %s", (name, one) => {
  test("with a key that is not its own it says what was refused, and shows nothing", async () => {
    const { url, child, said } = await startHuts(service, one, { LUCCHETTO_APP_KEY: "lcp_wrong" });
    try {
      const cookie = `lucchetto-check-${new URL(url).port}=lck_${"x".repeat(43)}`;
      const reply = await send({ url }, "GET", "/members", { headers: { ...html, cookie } });
      expect(reply.status).toBe(503);
      expect(reply.text).toContain("We can’t check who you are right now.");
      expect((await send({ url }, "GET", "/", { headers: { ...html, cookie } })).text).toContain("Sign in");
      await eventually(() => said().includes("who is there was not told: 401 invalid_client"), said());
    } finally {
      child.kill();
    }
  });

  test("finds the endpoints, signs somebody in, asks who is there, and signs out", async () => {
    const { url, child } = await startHuts(service, one);
    try {
      const token = await service.signIn("anna@brina.example");
      const own = ownCookie(service, token);
      const leaving = await send({ url }, "GET", "/members", { headers: html });
      expect(leaving.status).toBe(303);
      const away = cookiesOf(leaving.headers);
      const wayOut = new URL(leaving.headers.get("location") ?? "");
      expect(wayOut.href).toMatch(new RegExp(`^${service.configuration.publicUrl}/oauth/authorize\\?`));
      const answered = await send({ url: wayOut.origin }, "GET", wayOut.pathname + wayOut.search, {
        headers: { ...html, cookie: own },
      });
      const wayBack = new URL(answered.headers.get("location") ?? "");
      expect(wayBack.href).toMatch(new RegExp(`^${url}/signed-in\\?code=`));

      // In another browser, or from another issuer, the answer is worth nothing.
      const path = wayBack.pathname + wayBack.search;
      expect((await send({ url }, "GET", path, { headers: html })).status).toBe(400);
      const foreign = path.replace(/iss=[^&]+/, "iss=https%3A%2F%2Fevil.test");
      expect((await send({ url }, "GET", foreign, { headers: { ...html, cookie: away } })).status).toBe(400);

      const arrived = await send({ url }, "GET", path, { headers: { ...html, cookie: away } });
      expect(arrived.status).toBe(303);
      const cookie = cookiesOf(arrived.headers);
      expect(cookie).toMatch(/=lck_/);
      const members = await send({ url }, "GET", "/members", { headers: { ...html, cookie } });
      expect(members.text).toContain("Good day, ");

      expect(members.text).toContain("anna@brina.example");
      const leftBy = await send({ url }, "POST", "/sign-out", { headers: { cookie, origin: url } });
      expect(leftBy.status).toBe(303);
      expect((await send({ url }, "GET", "/members", { headers: { ...html, cookie } })).status).toBe(303);
      // Revoked, and on to Lucchetto, where the session itself ends: its page does it without asking, and leads back.
      const endSession = new URL(leftBy.headers.get("location") ?? "");
      expect(endSession.href).toMatch(new RegExp(`^${service.configuration.publicUrl}/oauth/end-session\\?`));
      const ending = await send({ url: endSession.origin }, "GET", endSession.pathname + endSession.search, {
        headers: { ...html, cookie: own },
      });
      const signOut = new URL(ending.headers.get("location") ?? "", endSession.origin);
      const page = await send({ url: signOut.origin }, "GET", signOut.pathname + signOut.search, {
        headers: { ...html, cookie: own },
      });
      expect(stateOf(page.text).signOut).toEqual({
        appName: `Huts in ${name}`,
        returnTo: `${url}/`,
        automatic: true,
      });
      // An answer used twice is refused.
      expect((await send({ url }, "GET", path, { headers: { ...html, cookie: away } })).text).toContain(
        "or its answer was already used",
      );
    } finally {
      child.kill();
    }
  });
});

describe.each([
  ["Python", "python3", "office.py"],
  ["PHP", "php", "office.php"],
])("a server at work in %s", (name, program, file) => {
  test("invites a member, finds them by its own number, and makes them a keeper; a refusal is said", async () => {
    const operator = service.as(await service.operator());
    const redirectUris = ["http://localhost:1/in"];
    const { body } = await operator(routes.addApp, {
      body: { name: `${name} office`, redirectUris, rights: ["accounts"] },
    });
    const run = (key: string) =>
      promisify(execFile)(program, [example(file), `${program}@brina.example`, `M-${program}`], {
        env: { ...process.env, LUCCHETTO: service.url, CLIENT_ID: body.app.clientId, APP_KEY: key },
      });
    for (const _again of [1, 2])
      expect(JSON.parse((await run(body.key)).stdout)).toEqual({
        email: `${program}@brina.example`,
        reference: `M-${program}`,
        state: "invited",
        labels: ["keeper"],
      });
    await expect(run("lcp_wrong")).rejects.toMatchObject({
      code: 1,
      stderr: expect.stringMatching(/^app-unknown: /),
    });
  });
});
