import { spawn } from "node:child_process";
import { createHash, randomBytes } from "node:crypto";
import { userInfo } from "node:os";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import { findProgram } from "../../scripts/prerequisites.mjs";
import type { TestService } from "../../testing/service.ts";
import { json, send, startService } from "../../testing/service.ts";

let service: TestService;
beforeAll(async () => {
  service = await startService();
});
afterAll(() => service.stop());

/** Every way in which a secret could stand in a text. */
function spellings(secret: string): string[] {
  const bytes = Buffer.from(secret);
  return [
    secret,
    bytes.toString("hex"),
    bytes.toString("base64").replace(/=+$/, ""),
    bytes.toString("base64url"),
    encodeURIComponent(secret),
    JSON.stringify(secret).slice(1, -1),
    secret.slice(-30),
  ];
}
const found = (secrets: readonly string[], text: string) =>
  secrets.filter((secret) => spellings(secret).some((one) => one.length > 8 && text.includes(one)));

async function dump(): Promise<string> {
  const args = [
    "--no-defaults",
    `--socket=${process.env["TEST_DATABASE_SOCKET"]}`,
    `-u${userInfo().username}`,
    "--hex-blob",
    service.database.name,
  ];
  const child = spawn(findProgram("mariadb-dump") as string, args);
  let out = "";
  child.stdout.on("data", (chunk) => (out += chunk));
  await new Promise((resolve) => child.once("close", resolve));
  return out;
}

describe("a whole journey", () => {
  test("JO-2 JO-3 leaves no password, token, key or code in the database, the log or the metrics; a planted one is found", async () => {
    const password = "a password used nowhere else 7f3a";
    const wrong = "a wrong password used nowhere else 91bc";
    const { token } = await service.register("anna@brina.example", password);
    const secrets = [password, wrong, token];
    await service
      .client(routes.signIn, {
        body: { proof: { type: "password", identifier: "anna@brina.example", password: wrong } },
      })
      .catch(() => undefined);
    await service
      .client(routes.signIn, { body: { proof: { type: "password", identifier: wrong, password: "x" } } })
      .catch(() => undefined);
    const own = await service.signIn("anna@brina.example", password);
    const operator = await service.operator();
    const returnAddress = "http://localhost:9999/signed-in";
    const { body: app } = await service.as(operator)(routes.addApp, {
      body: { name: "Hut book", redirectUris: [returnAddress] },
    });
    const verifier = randomBytes(32).toString("base64url");
    const query = new URLSearchParams({
      response_type: "code",
      client_id: app.app.clientId,
      redirect_uri: returnAddress,
      state: "s",
      code_challenge: createHash("sha256").update(verifier).digest("base64url"),
      code_challenge_method: "S256",
    });
    const cookie = `lucchetto-${new URL(service.url).port}=${own}`;
    const answered = await send(service, "GET", `/oauth/authorize?${query}`, { headers: { cookie } });
    const code = new URL(answered.headers.get("location") ?? "").searchParams.get("code") ?? "";
    const authorization = `Basic ${Buffer.from(`${app.app.clientId}:${app.key}`).toString("base64")}`;
    const fields = {
      grant_type: "authorization_code",
      code,
      redirect_uri: returnAddress,
      code_verifier: verifier,
    };
    const swapped = await send(service, "POST", "/oauth/token", {
      body: new URLSearchParams(fields),
      headers: { authorization },
    });
    const { access_token: check } = swapped.json<{ access_token: string }>();
    await send(service, "POST", "/oauth/introspect", {
      body: new URLSearchParams({ token: check }),
      headers: { authorization },
    });
    secrets.push(own, operator, app.key, code, check, verifier);

    // Errors of every kind, with the secrets where they do not belong.
    for (const secret of secrets) {
      await send(service, "GET", `/v1/${encodeURIComponent(secret)}`);
      await send(service, "GET", `/sign-in?next=${encodeURIComponent(secret)}`);
      await send(service, "GET", "/v1/session", {
        headers: { authorization: `Bearer ${Buffer.from(secret).toString("base64url")}` },
      });
      await send(service, "POST", "/v1/sign-in", json({ [secret]: secret, proof: secret }));
      await send(service, "POST", "/v1/sign-in", {
        body: secret,
        headers: { "content-type": "application/json" },
      });
      await send(service, "POST", "/oauth/token", {
        body: secret,
        headers: { "content-type": secret.slice(0, 20) },
      });
    }
    await service.as(own)(routes.signOut);

    const stored = await dump();
    expect(stored).toContain("anna@brina.example");
    expect(stored).toContain("$scrypt$");
    expect(stored).toContain(createHash("sha256").update(own).digest("hex").toUpperCase());
    expect(found(secrets, stored)).toEqual([]);
    expect(service.log()).toContain("answered");
    expect(found(secrets, service.log())).toEqual([]);
    expect(found(secrets, (await send(service, "GET", "/metrics")).text)).toEqual([]);

    await service.dataSource.query(
      "UPDATE account SET displayName = ? WHERE emailKey = 'anna@brina.example'",
      [password],
    );
    expect(found(secrets, await dump())).toEqual([password]);
  });
});
