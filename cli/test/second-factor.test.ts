import { mkdtempSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import type { Run, RunOptions } from "../../testing/command.ts";
import { callCommand } from "../../testing/command.ts";
import { enrolAuthenticator } from "../../testing/second-factor.ts";
import type { TestService } from "../../testing/service.ts";
import { PASSWORD, startService } from "../../testing/service.ts";

let service: TestService;
let home: string;
beforeAll(async () => {
  // The command reckons by the machine's clock, moved as the service's is.
  service = await startService({ timePasses: true });
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
    expect([wrong.status, wrong.err]).toEqual([1, expect.stringMatching(/none of the recovery codes/)]);
    const done = await lucchetto(args, { input: `${PASSWORD}\n${app.code()}\n` });
    expect([done.status, done.out]).toEqual([0, expect.stringMatching(/level 2: pwd, otp, mfa/)]);
    const recovered = await lucchetto(args, { input: `${PASSWORD}\n${app.recoveryCodes[0]}\n` });
    expect(recovered.out).toMatch(/level 2: pwd, recovery-code, mfa/);
    const broken = await lucchetto(["totp", "code", "--secret-stdin"], { input: "MZXW0" });
    expect([broken.status, broken.err]).toEqual([2, expect.stringMatching(/“0” is no letter of base32/)]);
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
      expect.stringMatching(/2 authenticator apps and 19 recovery codes stand under k1/),
    ]);
  });
});
