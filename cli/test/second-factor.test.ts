import { mkdtempSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import { readKeyUri, totp } from "@lucchetto/core";
import type { Run, RunOptions } from "../../testing/command.ts";
import { callCommand } from "../../testing/command.ts";
import { codesOf, enrolAuthenticator } from "../../testing/second-factor.ts";
import type { TestService } from "../../testing/service.ts";
import { PASSWORD } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";
import { mailsTo } from "../../testing/visitor.ts";

let service: TestService;
let home: string;
beforeAll(async () => {
  // The command reckons by the machine's clock, moved as the service's is.
  service = await startShipped();
  home = mkdtempSync(join(tmpdir(), "lucchetto-home-"));
});
afterAll(() => service.stop());

/** Runs the command against the test's service. */
function lucchetto(args: readonly string[], options: RunOptions = {}): Promise<Run> {
  return callCommand(home, args, { ...options, env: { LUCCHETTO_URL: service.url, ...options.env } });
}

describe("the second factor in the command", () => {
  test("a second factor is asked for after the password; totp code gives it, by the moved clock too", async () => {
    const email = "carla@brina.example";
    const { token } = await service.register(email);
    const app = await enrolAuthenticator(service, token);
    await service.clock.advance(3_600_000);
    const made = await lucchetto(["totp", "code", "--secret-stdin", "--json"], { input: `${app.uri}\n` });
    const shown = JSON.parse(made.out) as { code: string; secondsLeft: number };
    expect(shown).toMatchObject({ period: 30, issuer: "Brina Huts", account: email });
    expect([app.code(-1), app.code()]).toContain(shown.code);
    const typed = await lucchetto(["totp", "code", "--secret-stdin"], { input: app.secret.toLowerCase() });
    expect(typed.out).toMatch(/^\d{6}\n$/);
    expect(typed.err).toMatch(/s left, by the service's moved clock/);

    const args = ["sign-in", email, "--password-stdin", "--profile", "carla"];
    const without = await lucchetto(args, { input: PASSWORD });
    expect([without.status, without.err]).toEqual([1, expect.stringMatching(/line after the password/)]);
    const wrong = await lucchetto(args, { input: `${PASSWORD}\nabcde-abcde-abcde\n` });
    expect([wrong.status, wrong.err]).toEqual([
      1,
      expect.stringMatching(/not one of your remaining recovery codes/),
    ]);
    const done = await lucchetto(args, { input: `${PASSWORD}\n${app.code()}\n` });
    expect([done.status, done.out]).toEqual([0, expect.stringMatching(/level 2: pwd, otp, mfa/)]);
    const recovered = await lucchetto(args, { input: `${PASSWORD}\n${app.recoveryCodes[0]}\n` });
    expect(recovered.out).toMatch(/level 2: pwd, recovery-code, mfa/);
    const broken = await lucchetto(["totp", "code", "--secret-stdin"], { input: "MZXW0" });
    expect([broken.status, broken.err]).toEqual([2, expect.stringMatching(/“0” is no letter of base32/)]);
  });

  test("TO-7 totp import takes apps over from another system: a report per line, and they count at once", async () => {
    const office = ["--profile", "office"];
    const operator = await service.operator();
    const { body } = await service.as(operator)(routes.showAccount);
    await lucchetto(["sign-in", body.email ?? "", "--password-stdin", ...office], { input: PASSWORD });
    const secret = "JBSWY3DPEHPK3PXPJBSWY3DPEHPK3PXP";
    const short = "JBSWY3DPEHPK3PXP";
    for (const name of ["elia", "emma", "enzo"]) await service.register(`${name}@brina.example`);
    const edo = await service.register("edo@brina.example");
    await enrolAuthenticator(service, edo.token);
    // Another operator, who is to hear of it.
    await service.as(operator)(routes.changeAccount, {
      params: { id: edo.id },
      body: { labels: ["operator"] },
    });
    const uriOf = (name: string, one: string) =>
      `otpauth://totp/Old%20site:${name}?secret=${one}&issuer=Old%20site`;
    writeFileSync(
      join(home, "apps.csv"),
      [
        "email,uri",
        `elia@brina.example,${uriOf("elia", secret)}`,
        `emma@brina.example,${uriOf("emma", short)}`,
        `enzo@brina.example,${uriOf("enzo", "JBSWY3DP")}`,
        `edo@brina.example,${uriOf("edo", secret)}`,
        `nobody@brina.example,${uriOf("nobody", secret)}`,
        "enzo@brina.example,otpauth://hotp/x?secret=AAAA",
        "enzo@brina.example,",
      ].join("\n"),
    );
    const run = (...more: string[]) =>
      lucchetto(["totp", "import", "apps.csv", "--match", "email", "--json", ...office, ...more], {
        cwd: home,
      });
    const outcomes = async (...more: string[]) =>
      (JSON.parse((await run(...more)).out) as { items: Array<{ outcome: string }> }).items.map(
        ({ outcome }) => outcome,
      );
    const rest = ["too-short", "has-one-already", "account-unknown", "unreadable", "unreadable"];
    expect(await outcomes()).toEqual(["imported", "short-not-accepted", ...rest]);
    expect(await outcomes("--accept-short")).toEqual(["has-one-already", "imported-short", ...rest]);
    const told = async () =>
      (await mailsTo(service, "edo@brina.example")).filter(({ template }) => template === "operators-told");
    expect((await told()).map(({ text }) => text)).toEqual([
      expect.stringContaining("elia@brina.example, …"),
    ]);
    const shown = await lucchetto(["totp", "import", "apps.csv", "--match", "email", ...office], {
      cwd: home,
    });
    expect(shown.out).toMatch(/2 +│? *elia@brina\.example.*already has an authenticator app, not changed/);
    expect(shown.out).toContain("0 of 7 imported.");
    const wrong = await lucchetto(["totp", "import", "apps.csv", "--match", "reference", ...office], {
      cwd: home,
    });
    expect(wrong).toMatchObject({
      status: 2,
      err: expect.stringContaining("has no column reference; it has email, uri"),
    });

    // It counts at once; a short one is renewed inside the sign-in.
    const code = codesOf(service, uriOf("elia", secret));
    const signIn = ["sign-in", "elia@brina.example", "--password-stdin", "--profile", "elia"];
    const done = await lucchetto(signIn, { input: `${PASSWORD}\n${code()}\n` });
    expect(done).toMatchObject({ err: "", out: expect.stringMatching(/level 2: pwd, otp, mfa/) });
    const { secret: bytes, settings } = readKeyUri(uriOf("emma", short), 0);
    const proof = { type: "password", identifier: "emma@brina.example", password: PASSWORD } as const;
    const { body: begun } = await service.client(routes.signIn, { body: { proof, deliver: "token" } });
    const pending = service.as(begun.token ?? "");
    const shownCode = totp(bytes, service.clock.now(), settings);
    const { body: next } = await pending(routes.addProof, {
      body: { proof: { type: "totp", code: shownCode } },
    });
    expect(next).toMatchObject({ outcome: "proof-wanted", wanted: ["enrol-passkey", "enrol-totp"] });
    const { body: fresh } = await pending(routes.enrolAuthenticator, { body: {} });
    const { body: renewed } = await pending(routes.addProof, {
      body: { proof: { type: "enrol-totp", id: fresh.id, code: codesOf(service, fresh.uri)() } },
    });
    expect(renewed).toMatchObject({ outcome: "signed-in", session: { aal: 2 } });
    const { body: own } = await service.as(renewed.token ?? "")(routes.listAuthenticators);
    expect(own.items.map(({ id }) => id)).toEqual([fresh.id]);
  });

  test("JO-7 a key under which authenticators or recovery codes stand is not retired", async () => {
    const { token } = await service.register("dino@brina.example");
    await enrolAuthenticator(service, token);
    const keys = (...args: string[]) =>
      lucchetto(["keys", ...args, "--config", service.configFile], {
        env: { LUCCHETTO_DATABASE_PASSWORD: service.database.password },
      });
    await keys("add");
    await keys("promote", "k2");
    await service.dataSource.query("DELETE FROM mail");
    const refused = await keys("retire", "k1");
    expect([refused.status, refused.err]).toEqual([
      1,
      expect.stringMatching(
        /\d+ authenticator apps are sealed under it.*\d+ recovery codes are keyed under it/,
      ),
    ]);
  });
});
