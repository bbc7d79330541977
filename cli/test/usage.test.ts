import { mkdirSync, mkdtempSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { describe, expect, test } from "@jest/globals";
import { Command } from "commander";
import { callCommand, commandLine, runCommand } from "../../testing/command.ts";
import { isWhole } from "../../testing/whole.ts";
import { NOUNS } from "../src/commands/index.ts";

const home = mkdtempSync(join(tmpdir(), "lucchetto-home-"));
const lucchetto = commandLine(home, null);
/** Processes at once: a machine has few cores. */
const LANES = 3;

/** Every command: a noun, or a noun and each of its verbs. */
async function everyCommand(): Promise<string[][]> {
  const commands: string[][] = [];
  for (const { name, define } of NOUNS) {
    const noun = new Command(name);
    await define(noun);
    commands.push(
      ...(noun.commands.length === 0 ? [[name]] : noun.commands.map((verb) => [name, verb.name()])),
    );
  }
  return commands;
}

describe("usage", () => {
  test("every command runs as a process of its own, and its help shows an example", async () => {
    const commands = await everyCommand();
    expect(commands.length).toBeGreaterThan(45);
    // Each is called in the tests of its noun; here every third begins a process of its own, and all of them in `npm run test:long`.
    const waiting = commands.filter((_, place) => isWhole || place % 3 === 0);
    const lane = async (): Promise<void> => {
      for (let command = waiting.shift(); command !== undefined; command = waiting.shift()) {
        const { status, out } = await runCommand(home, [...command, "--help"]);
        expect({ command, status }).toEqual({ command, status: 0 });
        expect(out).toMatch(/Examples?:\n {2}lucchetto /);
        expect(out).toMatch(/--url <address>/);
      }
    };
    await Promise.all(Array.from({ length: LANES }, lane));
  });

  test("the demo of the folder is asked, if it is on this machine: no folder tells anybody to give a password elsewhere", async () => {
    const folder = mkdtempSync(join(tmpdir(), "lucchetto-demo-"));
    mkdirSync(join(folder, ".lucchetto"));
    const asked = async (facts: string) => {
      writeFileSync(join(folder, ".lucchetto/demo.json"), facts);
      return (await callCommand(home, ["account", "list"], { cwd: folder })).err;
    };
    const usual = "Nobody is signed in at http://localhost:8420.";
    expect(await asked('{"url":"http://localhost:9"}')).toContain(
      "Nobody is signed in at http://localhost:9.",
    );
    for (const other of [
      '{"url":"https://evil.test"}',
      '{"url":"http://localhost.evil.test"}',
      '{"url":7}',
      "{",
      '{"url":"x"}',
    ])
      expect(await asked(other)).toContain(usual);
  });

  test("the help names every noun under who uses it, and `help` is the same as --help", async () => {
    const { status, out } = await lucchetto(["--help"]);
    expect(status).toBe(0);
    for (const { name, group } of NOUNS) expect(out).toMatch(new RegExp(`${group}:[^]*\\b${name} `));
    expect((await lucchetto(["help"])).out).toBe(out);
    expect((await lucchetto(["help", "account"])).out).toBe((await lucchetto(["account", "--help"])).out);
    expect(await runCommand(home, ["--version"])).toEqual({ status: 0, out: "0.1.0\n", err: "" });
  });

  test.each([
    ["a record that the shell has eaten", ["hash", "explain", "=15,r=8,p=3"], /single quotes/],
    [
      "a record above the ceiling",
      ["hash", "explain", "$scrypt$ln=40,r=8,p=1$c2FsdHNhbHRzYWx0$aGFzaGhhc2hoYXNoaGFzaA"],
      /limit is 256 MiB/,
    ],
    ["an unknown scheme", ["hash", "make", "--scheme", "$md5$x=1", "--password-stdin"], /"md5" is not known/],
    ["a password without a terminal", ["hash", "make"], /--password-stdin/],
    ["a missing argument", ["hash", "explain"], /missing required argument/],
    ["an unknown command", ["hush"], /unknown command/],
    ["an unknown option", ["whoami", "--nonsense"], /unknown option/],
    ["a password as an argument", ["sign-in", "anna", "--password", "x"], /unknown option/],
    ["an address that is none", ["whoami", "--url", "localhost"], /--url: found "localhost"/],
  ])("%s is wrong usage: exit 2, said plainly", async (_what, args, message) => {
    const run = await lucchetto(args as string[], { input: "x" });
    expect(run).toMatchObject({ status: 2, err: expect.stringMatching(message as RegExp) });
    expect(run.err).not.toMatch(/at .*\.(ts|js):\d+/);
  });
});
