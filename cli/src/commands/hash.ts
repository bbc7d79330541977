/** A developer at work: hash make, check, explain. Local; no service is asked. */
import type { TuningRow, TuningWish } from "@lucchetto/core";
import {
  ALGORITHMS,
  checkPasswordRecord,
  DEFAULT_SCHEME_TEXT,
  explainRecord,
  formatBytes,
  fromModularCrypt,
  makePasswordRecord,
  MissingPepperError,
  PhcReadError,
  readScheme,
  SchemeError,
  tune,
  tuningSteps,
  UnusablePasswordError,
} from "@lucchetto/core";
import type { Command } from "commander";
import { askPassword } from "../ask.ts";
import { Failure } from "../failure.ts";
import { measureHere, USUAL_PARALLEL } from "../measure.ts";
import { print, printJson, printPairs, printTable } from "../output.ts";
import { startProgress } from "../progress.ts";
import { drawRecord } from "../record-drawing.ts";
import { terminal } from "../terminal.ts";

interface HashOptions {
  readonly scheme: string;
  readonly passwordStdin?: boolean;
  readonly json?: boolean;
}

const SCHEME = ["--scheme <phc-prefix>", "the scheme to compare with", DEFAULT_SCHEME_TEXT] as const;

export function defineHash(hash: Command): void {
  addTune(hash);
  hash
    .command("make")
    .description("make a record of a password")
    .option(...SCHEME)
    .option("--password-stdin", "read the password from standard input")
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto hash make --scheme '$scrypt$ln=16,r=8,p=2'")
    .action(async (options: HashOptions) => {
      readOrFail(() => readScheme(options.scheme), "--scheme");
      const password = await askPassword(options, "Password", { repeat: true });
      const record = await makeOrFail(password, options.scheme);
      if (options.json === true) return printJson({ record });
      print(record);
    });

  hash
    .command("check")
    .description("check a password against a record; exit 1 if it does not match")
    .argument("<record>", "a PHC string, or another system's $2b$…, $6$…, $5$… or $1$…, in single quotes")
    .option(...SCHEME)
    .option("--password-stdin", "read the password from standard input")
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto hash check '$scrypt$ln=15,r=8,p=3$…$…'")
    .action(async (given: string, options: HashOptions) => {
      const record = fromModularCrypt(given) ?? given;
      const { segments } = explainOrFail(record, options.scheme);
      if (segments.some(({ label }) => label === "recipe"))
        throw new Failure(
          "the record: it wraps an old digest, and only the service has the recipe. Sign in there instead.",
        );
      const password = await askPassword(options);
      const result = await checkOrFail(password, record, options.scheme);
      if (!result.matches) terminal().exitStatus = 1;
      if (options.json === true) return printJson(result);
      print(result.matches ? "The password matches." : "The password does not match.");
      if (result.outdated)
        print(`The record is older than ${options.scheme}; it would be upgraded at the next sign-in.`);
    });

  hash
    .command("explain")
    .description("take a record apart along its own string")
    .argument("<record>", "a PHC string, or another system's $2b$…, $6$…, $5$… or $1$…, in single quotes")
    .option(...SCHEME)
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto hash explain '$scrypt$ln=15,r=8,p=3$…$…'")
    .action((given: string, options: HashOptions) => {
      const record = fromModularCrypt(given) ?? given;
      const explanation = explainOrFail(record, options.scheme);
      if (options.json === true) return printJson(explanation);
      print(...drawRecord(explanation.segments), "");
      printPairs([
        ["scheme", explanation.scheme],
        ...(explanation.memoryBytes === 0
          ? []
          : [["memory", `${formatBytes(explanation.memoryBytes)} while it is checked`] as const]),
        ["state", explanation.current ? "current" : `older than ${options.scheme}`],
      ]);
    });
}

function addTune(hash: Command): void {
  hash
    .command("tune")
    .description("measure schemes on this machine, and recommend one")
    .option("--target <duration>", "how long one hash may take", "250ms")
    .option("--memory <size>", "how much memory one hash may use", "64MiB")
    .option("--scheme <algorithm>", "scrypt, argon2id, pbkdf2-sha256 or pbkdf2-sha512", "scrypt")
    .option(
      "--present <phc-prefix>",
      "the current scheme, which the others are compared with",
      DEFAULT_SCHEME_TEXT,
    )
    .option("--parallel <number>", "hashes computed at once, as configured", String(USUAL_PARALLEL))
    .option("--json", "as JSON")
    .addHelpText(
      "after",
      "\nAn attacker's cost is the memory a guess occupies times how long it occupies it, relative to the current scheme.\n\nExamples:\n  lucchetto hash tune --target 250ms\n  lucchetto hash tune --scheme argon2id --memory 128MiB",
    )
    .action(async (options: TuneOptions) => {
      const wish = readWish(options);
      const parallel = readNumber(options.parallel, "--parallel", 64);
      const progress = startProgress("measuring", tuningSteps(wish));
      const rows = await tune(wish, measureHere(parallel), (done) => progress.update(done)).finally(() =>
        progress.stop(),
      );
      if (options.json === true) return printJson({ rows });
      printTuning(rows, wish);
    });
}

interface TuneOptions {
  readonly target: string;
  readonly memory: string;
  readonly scheme: string;
  readonly present: string;
  readonly parallel: string;
  readonly json?: boolean;
}

function readWish(options: TuneOptions): TuningWish {
  const algorithm = ALGORITHMS.get(options.scheme);
  if (algorithm?.makes !== true) {
    const known = [...ALGORITHMS.values()].filter(({ makes }) => makes).map(({ id }) => id);
    throw new Failure(`--scheme: found ${JSON.stringify(options.scheme)}, expected ${known.join(", ")}`, 2);
  }
  const target = /^([0-9]{1,5})(ms|s)$/.exec(options.target);
  const memory = /^([0-9]{1,5})(KiB|MiB|GiB)$/.exec(options.memory);
  const targetMilliseconds = Number(target?.[1]) * (target?.[2] === "s" ? 1_000 : 1);
  if (!(targetMilliseconds >= 1 && targetMilliseconds <= 10_000))
    throw new Failure(
      `--target: found ${JSON.stringify(options.target)}, expected 1ms to 10s, such as 250ms`,
      2,
    );
  const memoryBytes = Number(memory?.[1]) * (MEMORY_UNITS[memory?.[2] ?? ""] ?? 0);
  if (!(memoryBytes >= 2 ** 20 && memoryBytes <= 4 * 2 ** 30))
    throw new Failure(
      `--memory: found ${JSON.stringify(options.memory)}, expected 1MiB to 4GiB, such as 64MiB`,
      2,
    );
  const present = readOrFail(() => readScheme(options.present), "--present");
  return { algorithm, targetMilliseconds, memoryBytes, present };
}

const MEMORY_UNITS: Readonly<Record<string, number>> = { KiB: 2 ** 10, MiB: 2 ** 20, GiB: 2 ** 30 };

function readNumber(text: string, option: string, most: number): number {
  const number = Number(text);
  if (Number.isInteger(number) && number >= 1 && number <= most) return number;
  throw new Failure(`${option}: found ${JSON.stringify(text)}, expected a whole number from 1 to ${most}`, 2);
}

function printTuning(rows: readonly TuningRow[], { targetMilliseconds }: TuningWish): void {
  const head = ["scheme", "memory", "median", "p95", "sign-ins/s", "attacker's cost", ""];
  printTable(
    head,
    rows.map((row) => [
      row.scheme,
      formatBytes(row.memoryBytes),
      `${row.median.toFixed(0)} ms`,
      `${row.p95.toFixed(0)} ms`,
      row.perSecond.toFixed(1),
      `${row.attackerCost.toFixed(2)} ×`,
      [
        ...(row.recommended ? [row.withinTarget ? "use this" : "nearest"] : []),
        ...(row.present ? ["present"] : []),
        ...(row.belowFloor ? ["weaker than production allows"] : []),
      ].join(", "),
    ]),
    "Nothing was measured.",
  );
  const best = rows.find(({ recommended }) => recommended);
  if (best === undefined)
    return print("Production allows none of these. Allow more memory (--memory), or try another --scheme.");
  if (!best.withinTarget)
    print(
      "",
      `No scheme that production allows stays within ${targetMilliseconds} ms on this machine. The nearest is ${best.scheme}, at about ${Math.ceil(best.median)} ms.`,
    );
  if (best.present) return print("", "The current scheme is the right one; there is nothing to change.");
  print("", "In the configuration:", "", "passwords:", "  hashing:", `    scheme: ${best.scheme}`);
}

function explainOrFail(record: string, scheme: string) {
  const configured = readOrFail(() => readScheme(scheme), "--scheme");
  return readOrFail(() => explainRecord(record, configured), "the record");
}

async function makeOrFail(password: string, scheme: string): Promise<string> {
  const { pepper, recipe } = readScheme(scheme);
  if (pepper !== null)
    throw new Failure("--scheme: only the service has the pepper's key; leave out `pepper=…` here.", 2);
  if (recipe !== null) throw new Failure("--scheme: recipes do not apply here; leave out `recipe=…`.", 2);
  try {
    return await makePasswordRecord(password, scheme);
  } catch (error) {
    if (error instanceof RangeError) throw new Failure(`--scheme: ${error.message}.`, 2);
    if (error instanceof UnusablePasswordError) throw new Failure(`${error.message}; no record was made.`, 2);
    throw error;
  }
}

async function checkOrFail(password: string, record: string, scheme: string) {
  try {
    return await checkPasswordRecord(password, record, scheme);
  } catch (error) {
    if (!(error instanceof MissingPepperError)) throw error;
    throw new Failure(
      `the record: it is peppered with ${error.keyId}, which only the service has. Sign in there instead.`,
    );
  }
}

function readOrFail<Result>(read: () => Result, what: string): Result {
  try {
    return read();
  } catch (error) {
    if (!(error instanceof PhcReadError || error instanceof SchemeError)) throw error;
    throw new Failure(
      `${what}: ${error.message}. It looks like $scrypt$ln=15,r=8,p=3…; put it in single quotes so that the shell keeps the $.`,
      2,
    );
  }
}
