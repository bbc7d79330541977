import { createHash } from "node:crypto";
import { mkdtempSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { expect, test } from "@jest/globals";
import { commandLine, runCommand } from "../../testing/command.ts";

const home = mkdtempSync(join(tmpdir(), "lucchetto-home-"));
const lucchetto = commandLine(home, null);
const PASSWORD = "moss on the north side";
const sha1 = (text: string) => createHash("sha1").update(text).digest("hex");
const SALTED = "hex(sha1(concat(salt, password)))";
const attempt = (recipe: string, stored: string, more: readonly string[] = [], password = PASSWORD) =>
  lucchetto(["recipe", "try", recipe, "--stored", stored, "--password-stdin", ...more], {
    input: `${password}\n`,
  });

test("a known pair says whether a recipe fits", async () => {
  const args = [
    "recipe",
    "try",
    SALTED,
    "--stored",
    sha1(`x7Kp${PASSWORD}`),
    "--salt",
    "x7Kp",
    "--password-stdin",
  ];
  const fits = await runCommand(home, args, { input: `${PASSWORD}\n` });
  expect(fits).toMatchObject({ status: 0, out: expect.stringContaining("The recipe matches.") });
  const other = await attempt(SALTED, sha1(`x7Kp${PASSWORD}`), ["--salt", "x7Kp"], "lichen");
  expect(other).toMatchObject({ status: 1, out: expect.stringContaining("does not match") });
  const bytes = await attempt("sha1(concat(salt, password))", sha1(`x7Kp${PASSWORD}`), [
    "--salt-hex",
    "78374b70",
  ]);
  expect(bytes.status).toBe(0);
  const json = await attempt(SALTED, sha1(`x7Kp${PASSWORD}`), ["--salt", "x7Kp", "--json"]);
  expect(JSON.parse(json.out)).toEqual({
    recipe: SALTED,
    uses: ["salt"],
    made: sha1(`x7Kp${PASSWORD}`),
    fits: true,
  });
});

test.each([
  ["hex(md5(password))", sha1(PASSWORD), "has 40 characters, like hex(sha1(…)); the recipe returns 32"],
  ["hex(sha1(password))", sha1(PASSWORD).toUpperCase(), "only in upper and lower case"],
  ["hex(sha1(password))", sha1(PASSWORD).slice(0, 32), "try slice(…, 0, 32)"],
  ["hex(sha1(password))", `${sha1(PASSWORD)} `, "spaces around it"],
])("%s that does not fit is told why", async (recipe, stored, why) => {
  expect(await attempt(recipe, stored)).toMatchObject({ status: 1, out: expect.stringContaining(why) });
});

test("one that fits any password is no proof", async () => {
  const recipe = "slice(concat(hex(md5(salt)), hex(md5(password))), 0, 32)";
  const stored = createHash("md5").update("x7Kp").digest("hex");
  const run = await attempt(recipe, stored, ["--salt", "x7Kp"]);
  expect(run).toMatchObject({ status: 1, out: expect.stringContaining("It matches any password") });
});

test("what is wrong is named with its place, before a password is asked for", async () => {
  const wrong = await attempt("hex(sha1(concat(salt, pasword)))", "00");
  expect(wrong.status).toBe(2);
  expect(wrong.err).toContain('column 23: there is no value "pasword"');
  expect(wrong.err).toContain(`\n${" ".repeat(22)}^`);
  for (const [more, said] of [
    [[], "The recipe uses salt: give it with --salt."],
    [["--salt", "a", "--salt-hex", "61"], "not both"],
    [["--salt-hex", "6"], "--salt-hex: expected bytes"],
    [["--salt", "a", "--email", "a@brina.example"], "--email: the recipe does not use it"],
  ] as const) {
    const run = await attempt(SALTED, "00", more);
    expect(run).toMatchObject({ status: 2, err: expect.stringContaining(said) });
  }
  for (const [recipe, stored] of [
    ["hex(md5(password))", ""],
    ["md5(password)", "no bytes"],
  ] as const)
    expect(await attempt(recipe, stored)).toMatchObject({
      status: 2,
      err: expect.stringContaining("--stored"),
    });
});
