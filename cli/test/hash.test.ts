import { mkdtempSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { describe, expect, test } from "@jest/globals";
import { commandLine } from "../../testing/command.ts";
import { CHEAP_SCHEME, PASSWORD } from "../../testing/service.ts";
import { inWhole } from "../../testing/whole.ts";

const lucchetto = commandLine(mkdtempSync(join(tmpdir(), "lucchetto-home-")), null);

describe("hash", () => {
  test("make, check and explain need no service", async () => {
    const env = { LUCCHETTO_URL: "http://localhost:1" };
    const made = await lucchetto(["hash", "make", "--scheme", CHEAP_SCHEME, "--password-stdin"], {
      input: PASSWORD,
      env,
    });
    const record = made.out.trim();
    expect(record).toMatch(/^\$scrypt\$ln=8,r=8,p=1\$/);
    const right = await lucchetto(["hash", "check", record, "--password-stdin"], { input: PASSWORD, env });
    expect(right).toMatchObject({
      status: 0,
      out: expect.stringContaining("older than $scrypt$ln=15,r=8,p=3"),
    });
    expect(
      (await lucchetto(["hash", "check", record, "--password-stdin"], { input: "another", env })).status,
    ).toBe(1);
    const explained = await lucchetto(["hash", "explain", record], { env });
    expect(explained.out).toContain("16 random bytes of this record alone");
    expect(explained.out).not.toContain(record.slice(-20));
    expect(JSON.parse((await lucchetto(["hash", "explain", record, "--json"], { env })).out)).toMatchObject({
      saltBytes: 16,
    });
  });

  inWhole(
    "tune measures, names the one to use as a line of the configuration, and tells how far it is",
    async () => {
      const cheap = ["hash", "tune", "--scheme", "pbkdf2-sha512", "--present", CHEAP_SCHEME];
      const tuned = await lucchetto([...cheap, "--target", "40ms", "--json"]);
      expect(tuned.status).toBe(0);
      expect(tuned.err).toMatch(/measuring: \d+ %/);
      const { rows } = JSON.parse(tuned.out);
      const best = rows.find((row: { recommended: boolean }) => row.recommended);
      expect(best).toMatchObject({ belowFloor: false });
      expect(best.scheme).toMatch(/^\$pbkdf2-sha512\$i=\d+$/);
      const late = await lucchetto([...cheap, "--target", "1ms"]);
      expect(late.out).toMatch(/pbkdf2-sha512\$i=\d+ .*ms/);
      expect(late.out).toMatch(/present/);
      expect(late.out).toMatch(
        /No scheme that production allows stays within 1 ms on this machine\. The nearest is \$pbkdf2-sha512/,
      );
      expect(late.out).toMatch(/scheme: \$pbkdf2-sha512\$i=\d+/);
      for (const wrong of [
        ["--target", "soon"],
        ["--memory", "64"],
        ["--scheme", "bcrypt-2b"],
        ["--present", "md5"],
      ])
        expect(await lucchetto(["hash", "tune", ...wrong])).toMatchObject({
          status: 2,
          err: expect.stringContaining(wrong[0] ?? ""),
        });
    },
  );

  test("bcrypt's own form is read, and a peppered record is told to belong to the service", async () => {
    const custom = "$2a$10$.eGA.eGA.eGA.eGA.eGA.eBOezD3uY/8o/wtF4J0ApHj4b4bvzJNi";
    expect((await lucchetto(["hash", "explain", custom])).out).toMatch(/bcrypt \(2a\), from another system/);
    expect((await lucchetto(["hash", "check", custom, "--password-stdin"], { input: "hello" })).out).toMatch(
      /The password matches[^]*older than/,
    );
    const peppered =
      "$scrypt$ln=4,r=8,p=1,pepper=k1$c2FsdHNhbHRzYWx0$aGFzaGhhc2hoYXNoaGFzaGhhc2hoYXNoaGFzaGhhc2g";
    expect(
      await lucchetto(["hash", "check", peppered, "--password-stdin"], { input: "hello" }),
    ).toMatchObject({
      status: 1,
      err: expect.stringMatching(/peppered with k1/),
    });
    expect(
      (
        await lucchetto(["hash", "make", "--scheme", "$argon2id$v=19$m=64,t=1,p=1", "--password-stdin"], {
          input: "hello you",
        })
      ).out,
    ).toMatch(/^\$argon2id\$v=19\$m=64,t=1,p=1\$/);
  });
});
