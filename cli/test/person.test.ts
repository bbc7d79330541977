import { mkdtempSync, readFileSync, statSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import type { CommandLine } from "../../testing/command.ts";
import { commandLine, runCommand } from "../../testing/command.ts";
import type { TestService } from "../../testing/service.ts";
import { PASSWORD, send } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";

let service: TestService;
let home: string;
let lucchetto: CommandLine;
beforeAll(async () => {
  service = await startShipped();
  await service.operator();
  home = mkdtempSync(join(tmpdir(), "lucchetto-home-"));
  lucchetto = commandLine(home, service);
});
afterAll(() => service.stop());

describe("as a person", () => {
  const asProcess: CommandLine = (args, options = {}) =>
    runCommand(home, args, { ...options, env: { LUCCHETTO_URL: service.url } });

  test("register, whoami, sign-out, sign-in; the token stands in a file of mode 0600 and in no output", async () => {
    const registered = await asProcess(
      ["register", "--email", "anna@brina.example", "--name", "Anna", "--password-stdin"],
      { input: `${PASSWORD}\n` },
    );
    expect(registered).toMatchObject({ status: 0, err: "" });
    expect(registered.out).toContain("anna@brina.example");
    const file = join(home, "lucchetto", "credentials.json");
    expect(statSync(file).mode & 0o777).toBe(0o600);
    const { token } = JSON.parse(readFileSync(file, "utf8")).default;
    expect(registered.out).not.toContain(token);

    const who = await asProcess(["whoami", "--json"]);
    expect(JSON.parse(who.out)).toMatchObject({
      account: { email: "anna@brina.example" },
      session: { current: true },
    });
    expect((await asProcess(["sign-out"])).out).toContain("Signed out.");
    const nobody = await asProcess(["whoami"]);
    expect(nobody.status).toBe(1);
    expect(nobody.err).toContain("lucchetto sign-in");
    expect(
      (await asProcess(["sign-in", "anna@brina.example", "--password-stdin"], { input: PASSWORD })).status,
    ).toBe(0);
  });

  test("profiles are kept apart, and a token is shown only to the service that gave it", async () => {
    await lucchetto(["sign-in", "office@brina.example", "--password-stdin", "--profile", "office"], {
      input: PASSWORD,
    });
    const office = await lucchetto(["whoami", "--profile", "office", "--json"]);
    expect(JSON.parse(office.out).account.email).toBe("office@brina.example");
    const elsewhere = await lucchetto(["whoami", "--profile", "office", "--url", "http://localhost:1"]);
    expect(elsewhere.err).toContain("Nobody is signed in at http://localhost:1");
  });

  test("signing in again ends the sign-in that was kept, and says so", async () => {
    await service.register("twice@brina.example");
    const signIn = () =>
      lucchetto(["sign-in", "twice@brina.example", "--password-stdin", "--profile", "twice"], {
        input: `${PASSWORD}\n`,
      });
    expect((await signIn()).err).toBe("");
    const file = join(home, "lucchetto", "credentials.json");
    const { token } = JSON.parse(readFileSync(file, "utf8")).twice;
    expect((await signIn()).err).toBe("The earlier sign-in that was kept here has been ended.\n");
    const old = await send(service, "GET", "/v1/session", { headers: { authorization: `Bearer ${token}` } });
    expect(old.status).toBe(401);
    expect((await lucchetto(["whoami", "--profile", "twice"])).status).toBe(0);
  });

  test("what is refused says why and exits 1, with the request's id", async () => {
    const wrong = await lucchetto(["sign-in", "anna@brina.example", "--password-stdin"], {
      input: "a wrong password",
    });
    expect(wrong).toMatchObject({ status: 1, out: "" });
    expect(wrong.err).toMatch(/name or the password is wrong[^]*sign-in-refused, request [0-9a-f-]{36}/);
    const short = await lucchetto(["register", "--email", "nonsense", "--password-stdin"], {
      input: "short",
    });
    expect(short.err).toMatch(/e-mail address: This is not an e-mail address[^]*password: Use at least 15/);
    const unreachable = await lucchetto(
      ["sign-in", "anna", "--password-stdin", "--url", "http://localhost:1"],
      { input: "x" },
    );
    expect(unreachable).toMatchObject({ status: 1, err: expect.stringContaining("Is it running?") });
  });
});
