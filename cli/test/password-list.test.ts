import { createHash } from "node:crypto";
import { existsSync, mkdtempSync, readdirSync, readFileSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { describe, expect, test } from "@jest/globals";
import { callCommand } from "../../testing/command.ts";
import { freePort } from "../../testing/service.ts";
import { json, PASSWORD, send } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";

const digestOf = (password: string) => createHash("sha1").update(password).digest("hex");

function place(): string {
  return mkdtempSync(join(tmpdir(), "lucchetto-list-"));
}

async function build(home: string, lines: readonly string[], out = "list.pwlist") {
  writeFileSync(join(home, "digests.txt"), `${lines.join("\n")}\n`);
  return callCommand(home, ["password-list", "build", "digests.txt", "--out", out, "--json"]);
}

describe("the operator's list of compromised passwords", () => {
  test("PW-13 listed → refused with the reason, neighbour → accepted; at registration and at a change", async () => {
    const home = place();
    // More than one bucket, in no order, some twice, some with counts.
    const many = Array.from(
      { length: 5_000 },
      (_, index) => `${digestOf(`known number ${index} of many`)}:3`,
    );
    const built = await build(home, [
      ...many,
      digestOf("the stolen long password").toUpperCase(),
      many[7] ?? "",
    ]);
    expect(JSON.parse(built.out)).toMatchObject({ lines: 5_002, entries: 5_001 });
    expect(readdirSync(home).sort()).toEqual(["digests.txt", "list.pwlist"]);

    const service = await startShipped({
      settings: { LUCCHETTO_PASSWORDS_COMPROMISED_LIST: join(home, "list.pwlist") },
    });
    try {
      const register = (password: string) =>
        send(
          service,
          "POST",
          "/v1/accounts",
          json({ username: `u${password.length}x${password.at(-1)}`, password }),
        );
      for (let index = 0; index < 5_000; index += 500) {
        const refused = await register(`known number ${index} of many`);
        expect(refused.status).toBe(400);
        expect(refused.text).toMatch(/stolen from another site/);
        expect(refused.text).not.toContain("of many");
      }
      expect((await register("known number 5000 of many")).status).toBe(201);
      expect((await register("the stolen long password")).status).toBe(400);
      const { token } = await service.register("anna@brina.example");
      const change = await send(service, "POST", "/v1/account/password", {
        body: JSON.stringify({ present: PASSWORD, password: "the stolen long password" }),
        headers: { "content-type": "application/json", authorization: `Bearer ${token}` },
      });
      expect(change.status).toBe(400);
    } finally {
      await service.stop();
    }
  });

  test("PW-13 a configured list that is missing, cut, or still its text stops the start, naming the file", async () => {
    const home = place();
    await build(home, [digestOf("a"), digestOf("b")]);
    const whole = readFileSync(join(home, "list.pwlist"));
    writeFileSync(join(home, "cut.pwlist"), whole.subarray(0, -1));
    const damaged = Buffer.from(whole);
    damaged.writeUInt8(9, 40);
    writeFileSync(join(home, "damaged.pwlist"), damaged);
    for (const [name, why] of [
      ["damaged.pwlist", /damaged\.pwlist: its index is damaged/],
      ["nowhere.pwlist", /nowhere\.pwlist: it cannot be read \(ENOENT\)/],
      ["cut.pwlist", /cut\.pwlist: it has \d+ bytes in place of \d+/],
      [
        "digests.txt",
        /digests\.txt: this is the text of the list; compile it with: lucchetto password-list build/,
      ],
    ] as const) {
      await expect(
        startShipped({ settings: { LUCCHETTO_PASSWORDS_COMPROMISED_LIST: join(home, name) } }),
      ).rejects.toThrow(why);
    }
    expect(await freePort()).toBeGreaterThan(0);
  });

  test.each([
    ["a word", "password", /line 3: found "password", expected 40 hexadecimal digits/],
    ["a digest cut short", digestOf("x").slice(1), /line 3: found/],
    ["an empty line", "", /line 3: found an empty line/],
    ["a line of a megabyte", "f".repeat(2 ** 20), /line 3: found 1048576 characters/],
  ])("PW-13 %s is named with its line, and an older list stays", async (_what, bad, message) => {
    const home = place();
    writeFileSync(join(home, "list.pwlist"), "older");
    const refused = await build(home, [digestOf("a"), digestOf("b"), bad, digestOf("c")]);
    expect(refused.status).toBe(2);
    expect(refused.err).toMatch(message);
    expect(readFileSync(join(home, "list.pwlist"), "utf8")).toBe("older");
    expect(readdirSync(home)).toHaveLength(2);
  });

  test("an empty text makes no list; it is said, as a missing one and a folder that is not there are", async () => {
    const home = place();
    writeFileSync(join(home, "digests.txt"), "");
    const built = await callCommand(home, ["password-list", "build", "digests.txt"]);
    expect(built).toMatchObject({ status: 1, err: expect.stringContaining("there is no digest in it") });
    expect(existsSync(join(home, "compromised.pwlist"))).toBe(false);
    writeFileSync(join(home, "one.txt"), `${"5BAA61E4".repeat(5)}\n`);
    const elsewhere = await callCommand(home, [
      "password-list",
      "build",
      "one.txt",
      "--out",
      "/nowhere/x.pwlist",
    ]);
    expect(elsewhere).toMatchObject({
      status: 1,
      err: expect.stringMatching(/\/nowhere\/.*no such file or folder/),
    });
    expect((await callCommand(home, ["password-list", "build", "nowhere.txt"])).err).toMatch(/nowhere\.txt/);
  });
});
