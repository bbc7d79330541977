/** Looking inside: what a developer sees of a request, what nobody sees, and that production has none of it. */
import { spawn } from "node:child_process";
import { createHash } from "node:crypto";
import { once } from "node:events";
import { fileURLToPath } from "node:url";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import type { Open, RequestTrace } from "@lucchetto/contract";
import { routes } from "@lucchetto/contract";
import { eventually } from "../../testing/eventually.ts";
import { registerApp } from "../../testing/sample-app.ts";
import type { TestService } from "../../testing/service.ts";
import {
  freePort,
  json,
  PASSWORD,
  PRODUCTION,
  send,
  startProduction,
  startService,
} from "../../testing/service.ts";

let service: TestService;
beforeAll(async () => {
  service = await startService({ looksInside: true });
});
afterAll(() => service.stop());

const newest = async (path: string, status: number): Promise<Open<RequestTrace>> => {
  const { items } = (await service.client(routes.listTraces, { query: { limit: 200 } })).body;
  const found = items.find((one) => one.path === path && one.status === status);
  if (found === undefined) throw new Error(`${path} ${status} was not watched`);
  return found;
};
const checksOf = ({ checks }: Open<RequestTrace>): string[] =>
  checks.map(({ what, found }) => `${what}: ${found}`);

/** Signs in as a program, whatever comes of it. */
const trySignIn = (identifier: string, password: string) =>
  send(service, "POST", "/v1/sign-in", json({ proof: { type: "password", identifier, password } }));

describe("a trace", () => {
  test("of a registration shows checks, the rows with the record taken apart, the mail, and where the time went", async () => {
    const reply = await send(
      service,
      "POST",
      "/v1/accounts",
      json({ email: "mira@brina.example", password: PASSWORD }),
    );
    const requestId = reply.headers.get("x-request-id") ?? "";
    const { body: trace } = await service.client(routes.showTrace, { params: { requestId } });
    expect(trace).toMatchObject({
      method: "POST",
      path: "/v1/accounts",
      status: 201,
      outcome: "signed-in",
      by: "program",
    });
    expect(checksOf(trace)).toEqual([
      "throttle: registrations from this network: 1 counted",
      "password: a new record was made, $scrypt$ln=8,r=8,p=1",
      "throttle: mails to this address: 1 counted",
      "journal: account.registered",
      "journal: mail-link.sent, verify",
      expect.stringMatching(/^session: begun, level 1, until \d{4}-/),
    ]);
    const added = trace.rows.filter(({ change }) => change === "added").map(({ table }) => table);
    expect(added).toEqual(
      expect.arrayContaining(["account", "password_record", "mail_link", "mail", "session", "journal_entry"]),
    );
    const record = trace.rows.find(({ table }) => table === "password_record")?.record;
    expect(record?.map(({ label }) => label).filter(Boolean)).toEqual(
      expect.arrayContaining(["algorithm", "salt", "digest"]),
    );
    expect(trace.mails).toEqual([expect.objectContaining({ to: "mira@brina.example" })]);
    expect(
      trace.cookies.map(({ name, attributes }) => [name, attributes.includes("HttpOnly")]),
    ).toContainEqual([expect.stringMatching(/^lucchetto-\d+$/), true]);
    const sum = trace.time.reduce((total, { milliseconds }) => total + milliseconds, 0);
    expect(Math.abs(sum - trace.milliseconds)).toBeLessThan(1);
    expect(trace.time.find(({ what }) => what === "hashing")?.count).toBe(1);
    expect(trace.time.find(({ what }) => what === "database")?.count).toBe(trace.statements.length);
  });

  test("tells the wrong password from the unknown name, which the replies do not", async () => {
    const wrong = await trySignIn("mira@brina.example", "not the one at all");
    const unknown = await trySignIn("nobody@brina.example", "not the one at all");
    const said = (reply: typeof wrong) => ({ ...reply.json(), requestId: "" });
    expect(said(wrong)).toEqual(said(unknown));
    const traces = await Promise.all(
      [wrong, unknown].map(async ({ headers }) => {
        const params = { requestId: headers.get("x-request-id") ?? "" };
        return checksOf((await service.client(routes.showTrace, { params })).body);
      }),
    );
    expect(traces[0]).toEqual(
      expect.arrayContaining([
        "account: mira@brina.example, active",
        "password: no match, $scrypt$ln=8,r=8,p=1",
        "journal: sign-in.refused, wrong-password",
      ]),
    );
    expect(traces[1]).toEqual(
      expect.arrayContaining([
        "account: nobody of this name",
        expect.stringMatching(/^password: no record: hashed anyway/),
        "journal: sign-in.refused, unknown-account",
      ]),
    );
  });

  test("goes on after the reply, where work does", async () => {
    await service.client(routes.askForLink, { body: { purpose: "reset", identifier: "mira@brina.example" } });
    const [trace, sent] = await eventually(async () => {
      const found = await newest("/v1/mail-links", 202);
      const check = found.checks.find((one) => one.found === "mail-link.sent, reset");
      return check === undefined ? null : ([found, check] as const);
    });
    expect(sent.at).toBeGreaterThan(trace.milliseconds);
    expect(trace.mails).toHaveLength(1);
  });

  test("holds no secret: no password, no token, no link, no digest, no code", async () => {
    const { token } = await service.register("nora@brina.example", "a password of Nora's own");
    const totp = (await service.as(token)(routes.enrolAuthenticator, { body: {} })).body;
    const browser = await trySignIn("nora@brina.example", "a password of Nora's own");
    const cookies = browser.headers.getSetCookie().map((one) => /=([^;]{20,})/.exec(one)?.[1] ?? "");
    const mails = (await service.client(routes.listDevelopmentMailbox, { query: { limit: 100 } })).body.items;
    const links = mails.flatMap(({ links: inMail }) => inMail.map((link) => link.split("#")[1] ?? ""));
    const [{ record }] = (await service.dataSource.query(
      "SELECT record FROM password_record p JOIN account a ON a.id = p.accountId WHERE email = 'nora@brina.example'",
    )) as [{ record: string }];
    const all = JSON.stringify((await service.client(routes.listTraces, { query: { limit: 200 } })).body);
    const hashes = [token, ...cookies].map((one) => createHash("sha256").update(one).digest());
    const secrets = [
      "a password of Nora's own",
      PASSWORD,
      token,
      totp.secret,
      ...cookies,
      ...links,
      record,
      record.split("$").at(-1) ?? "",
      ...hashes.flatMap((hash) => [hash.toString("hex"), hash.toString("base64url")]),
    ].filter((one) => one !== "");
    expect(secrets.length).toBeGreaterThan(9);
    for (const secret of secrets) expect(all.includes(secret)).toBe(false);
    expect(all).toContain("nora@brina.example");
  });

  test("an application's questions about a browser's session are the browser's to see; other browsers' are not", async () => {
    const { clientId, appKey, returnAddress } = await registerApp(service, await freePort(), "Night book");
    const { account, cookie } = await signInAsBrowser("mira@brina.example", "Mozilla/5.0 (one)");
    const verifier = "v".repeat(43);
    const query = new URLSearchParams({
      response_type: "code",
      client_id: clientId,
      redirect_uri: returnAddress,
      state: "s",
      code_challenge_method: "S256",
      code_challenge: createHash("sha256").update(verifier).digest("base64url"),
    });
    const authorized = await send(service, "GET", `/oauth/authorize?${query.toString()}`, {
      headers: { cookie, accept: "text/html", "user-agent": "Mozilla/5.0 (one)" },
    });
    const code = new URL(authorized.headers.get("location") ?? "").searchParams.get("code") ?? "";
    const authorization = `Basic ${Buffer.from(`${clientId}:${appKey}`).toString("base64")}`;
    const token = await fetch(`${service.url}/oauth/token`, {
      method: "POST",
      headers: { authorization },
      body: new URLSearchParams({
        grant_type: "authorization_code",
        code,
        redirect_uri: returnAddress,
        code_verifier: verifier,
      }),
    });
    const { access_token: checkToken } = (await token.json()) as { access_token: string };
    const { body, headers } = json({ tokens: [checkToken] });
    for (let asked = 0; asked < 2; asked += 1)
      await send(service, "POST", "/v1/checks", { body, headers: { ...headers, authorization } });
    const seenBy = async (agent: string) => {
      const reply = await send(service, "GET", "/v1/development/traces?of=browser&limit=200", {
        headers: { "user-agent": agent },
      });
      return reply.json<{ items: Array<Open<RequestTrace>> }>().items;
    };
    const own = await seenBy("Mozilla/5.0 (one)");
    const asked = own.filter(({ by }) => by === "app").map(({ path, told }) => [path, told]);
    expect(asked).toEqual([
      ["/v1/checks", [expect.stringMatching(/^mira@brina\.example/)]],
      ["/v1/checks", [expect.stringMatching(/^mira@brina\.example/)]],
      ["/oauth/token", ["a check token for the code"]],
    ]);
    // Each by an id of its own, under which it is found.
    expect(new Set(own.map(({ requestId }) => requestId)).size).toBe(own.length);
    const [question] = own;
    const params = { requestId: question?.requestId ?? "" };
    expect((await service.client(routes.showTrace, { params })).body).toEqual(question);
    expect(JSON.stringify(own)).not.toContain(checkToken);
    expect(JSON.stringify(own)).not.toContain(code);
    expect(account).toBe("mira@brina.example");
    expect(await seenBy("Mozilla/5.0 (another)")).toEqual([]);
  });

  test("the last 200 are kept; an id that is not kept is not found", async () => {
    for (let count = 0; count < 210; count += 1) await send(service, "GET", "/v1/session");
    const { items } = (await service.client(routes.listTraces, { query: { limit: 200 } })).body;
    expect(items).toHaveLength(200);
    expect(new Set(items.map(({ requestId }) => requestId)).size).toBe(200);
    expect((await send(service, "GET", "/v1/development/traces/unheard-of")).status).toBe(404);
    expect((await send(service, "GET", "/v1/development/traces?limit=201")).status).toBe(400);
  });
});

async function signInAsBrowser(
  identifier: string,
  agent: string,
): Promise<{ account: string; cookie: string }> {
  const { body, headers } = json({ proof: { type: "password", identifier, password: PASSWORD } });
  const reply = await send(service, "POST", "/v1/sign-in", {
    headers: { ...headers, "user-agent": agent },
    body,
  });
  const cookie = reply.headers
    .getSetCookie()
    .map((one) => one.split(";", 1)[0])
    .join("; ");
  return { account: reply.json<{ account: { email: string } }>().account.email, cookie };
}

describe("in production", () => {
  test("there is no route of it, no script in a page, and no word in the description", async () => {
    const production = await startProduction();
    const headers = { host: "accounts.brina.example", accept: "text/html" };
    try {
      const inside = [
        "/v1/development/traces",
        "/v1/development/traces/x",
        "/inside/start.js",
        "/inside/show.js",
      ];
      for (const path of inside)
        expect([path, (await send(production, "GET", path, { headers })).status]).toEqual([path, 404]);
      const page = await send(production, "GET", "/sign-in", { headers });
      expect(page.status).toBe(200);
      expect(page.text).not.toMatch(/inside/i);
      expect((await send(service, "GET", "/sign-in", { headers: { accept: "text/html" } })).text).toContain(
        "/inside/start.js",
      );
      expect((await send(production, "GET", "/openapi.json", { headers })).text).not.toMatch(/traces/i);
    } finally {
      await production.stop();
    }
  });

  test("its code is not even loaded", async () => {
    expect(await scriptsOf(PRODUCTION)).not.toContainEqual(expect.stringMatching(/\/inside/));
    expect(await scriptsOf({})).toContainEqual(expect.stringMatching(/\/inside/));
  });
});

/** What the engine told of each script that a serving process loaded. */
async function scriptsOf(settings: Readonly<Record<string, string>>): Promise<string[]> {
  const watching = `import inspector from "node:inspector";
    const session = new inspector.Session();
    session.connect();
    session.on("Debugger.scriptParsed", ({ params }) => process.stderr.write("script " + params.url + "\\n"));
    session.post("Debugger.enable");`;
  const main = fileURLToPath(new URL("../dist/process/start.cjs", import.meta.url));
  const port = await freePort();
  const child = spawn(
    process.execPath,
    [
      "--import",
      `data:text/javascript,${encodeURIComponent(watching)}`,
      main,
      "serve",
      "--config",
      service.configFile,
    ],
    {
      env: {
        PATH: process.env["PATH"] ?? "",
        LUCCHETTO_DATABASE_PASSWORD: service.database.password,
        LUCCHETTO_LISTEN_PORT: String(port),
        ...(settings["LUCCHETTO_MODE"] === "production"
          ? { LUCCHETTO_PUBLIC_URL: "https://accounts.brina.example" }
          : {}),
        ...settings,
      },
    },
  );
  let [out, err] = ["", ""];
  child.stderr.on("data", (chunk) => (err += chunk));
  await new Promise<void>((resolve, reject) => {
    child.stdout.on("data", (chunk) => {
      out += chunk;
      if (out.includes("Listening") || out.includes("is running at http")) resolve();
    });
    child.once("close", () =>
      reject(new Error(`it did not start: ${out}${err.replaceAll(/^script .*$/gm, "")}`)),
    );
  });
  child.kill("SIGTERM");
  await once(child, "close");
  return [...err.matchAll(/^script (.*)$/gm)].map(([, url = ""]) => url);
}
