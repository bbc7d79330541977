import { spawn } from "node:child_process";
import { existsSync, mkdtempSync, readFileSync, rmSync, statSync } from "node:fs";
import type { AddressInfo } from "node:net";
import { createServer } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { afterAll, describe, expect, test } from "@jest/globals";
import type { RequestOptions } from "@lucchetto/contract";
import { createClient, routes } from "@lucchetto/contract";
import { usePasskey } from "@lucchetto/demo";
import { CHEAP_SCHEME, freePort } from "../../testing/service.ts";
import { isWhole } from "../../testing/whole.ts";

const RUNNER = fileURLToPath(new URL("../run.mjs", import.meta.url));
const state = mkdtempSync(join(tmpdir(), "lucchetto-demo-"));
rmSync(state, { recursive: true });
afterAll(() => rmSync(state, { recursive: true, force: true }));

/** Runs the demo until it ends, or until `until` has been said; then it is interrupted as Ctrl-C does. */
async function demo(args: readonly string[], until?: string, then?: () => Promise<void>) {
  const child = spawn(process.execPath, [RUNNER, "--as-built", "--state", state, ...args], {
    // What a hash costs is not the matter here.
    env: { ...process.env, LUCCHETTO_PASSWORDS_HASHING_SCHEME: CHEAP_SCHEME },
  });
  let said = "";
  const ended = new Promise<number>((resolve) => child.once("close", (code) => resolve(code ?? -1)));
  await new Promise<void>((resolve) => {
    const hear = (chunk: Buffer): void => {
      said += chunk.toString();
      if (until !== undefined && said.includes(until)) resolve();
    };
    child.stdout.on("data", hear);
    child.stderr.on("data", hear);
    void ended.then(() => resolve());
  });
  if (until !== undefined && child.exitCode === null) {
    try {
      await then?.();
    } finally {
      child.kill("SIGINT");
    }
  }
  return { status: await ended, said };
}

describe("the demo runner", () => {
  test("says what is wrong with an option, and which port is in use", async () => {
    expect(await demo(["--nonsense"])).toMatchObject({
      status: 2,
      said: expect.stringContaining("Usage: npm run demo"),
    });
    expect(await demo(["--port", "x"])).toMatchObject({
      status: 2,
      said: expect.stringContaining("--port: found x"),
    });
    const server = createServer().listen(0, "127.0.0.1");
    await new Promise((resolve) => server.once("listening", resolve));
    const { port } = server.address() as AddressInfo;
    const { said } = await demo(["--port", String(await freePort()), "--app-port", String(port)]);
    expect(said).toContain(`Port ${port} is in use. Take another: npm run demo -- --app-port ${port + 10}`);
    server.close();
    expect(existsSync(state)).toBe(false);
  });

  test("plays thirty days of history, writes what programs need, ends cleanly, and goes on with its data", async () => {
    const ports = ["--port", String(await freePort()), "--app-port", String(await freePort())];
    const file = join(state, "demo.json");
    const counts: number[] = [];
    const look = async () => {
      expect(statSync(file).mode & 0o777).toBe(0o600);
      const facts = JSON.parse(readFileSync(file, "utf8"));
      expect(Object.keys(facts)).toEqual([
        "url",
        "appUrl",
        "database",
        "operator",
        "member",
        "keeper",
        "passkeyKeeper",
        "app",
      ]);
      const proof = {
        type: "password",
        identifier: facts.operator.email,
        password: facts.operator.password,
      } as const;
      const { body } = await createClient({ baseUrl: facts.url })(routes.signIn, {
        body: { proof, deliver: "token" },
      });
      const operator = createClient({ baseUrl: facts.url, token: body.token ?? "" });
      const accounts = (await operator(routes.listAccounts, { query: { limit: 100 } })).body.items;
      counts.push(accounts.length);
      expect(accounts.filter(({ state: one }) => one === "suspended")).toHaveLength(2);
      expect(accounts.filter(({ labels }) => labels.includes("keeper"))).toHaveLength(5);
      const journal = (await operator(routes.listJournal, { query: { kind: "sign-in.refused", limit: 100 } }))
        .body.items;
      expect(journal.filter(({ network }) => network === "203.0.113.77")).toHaveLength(60);
      // The keeper's passkey opens the account still, alone.
      const { email, passkeyFile } = facts.passkeyKeeper;
      const passkeys = JSON.parse(readFileSync(passkeyFile, "utf8"));
      const client = createClient({ baseUrl: facts.url });
      const { body: begun } = await client(routes.beginPasskey, { body: { purpose: "sign-in" } });
      const { credential } = usePasskey(passkeys[email], begun.options as RequestOptions, {
        origin: facts.url,
      });
      const shown = { type: "passkey", challengeId: begun.challengeId, credential } as const;
      const reply = await client(routes.signIn, { body: { proof: shown, deliver: "token" } });
      expect(reply.body).toMatchObject({ outcome: "signed-in", session: { aal: 2 }, account: { email } });
      expect((await fetch(facts.appUrl)).status).toBe(200);
      expect((await fetch(`${facts.url}/readyz`)).status).toBe(200);
    };
    const first = await demo(ports, "Ctrl-C stops everything", look);
    expect(first).toMatchObject({ status: 0, said: expect.stringContaining("stopped the database") });
    expect(counts).toEqual([24]);
    if (!isWhole) return;
    const second = await demo(ports, "Ctrl-C stops everything", look);
    expect(second.said).not.toContain("playing");
    expect(counts).toEqual([24, 24]);
  });
});
