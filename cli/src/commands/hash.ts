/** A developer at work: hash make, check, explain. Local; no service is asked. */
import {
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
  UnusablePasswordError,
} from "@lucchetto/core";
import type { Command } from "commander";
import { askPassword } from "../ask.ts";
import { Failure } from "../failure.ts";
import { print, printJson, printPairs } from "../output.ts";
import { drawRecord } from "../record-drawing.ts";

interface HashOptions {
  readonly scheme: string;
  readonly passwordStdin?: boolean;
  readonly json?: boolean;
}

const SCHEME = ["--scheme <phc-prefix>", "the scheme wanted now", DEFAULT_SCHEME_TEXT] as const;

export function addHashCommands(program: Command): void {
  const hash = program.command("hash").description("password records, made and read on this machine");
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
    .description("check a password against a record; exit 1 if it is another")
    .argument("<record>", "a PHC string, or bcrypt's $2b$…, in single quotes")
    .option(...SCHEME)
    .option("--password-stdin", "read the password from standard input")
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto hash check '$scrypt$ln=15,r=8,p=3$…$…'")
    .action(async (given: string, options: HashOptions) => {
      const record = fromModularCrypt(given) ?? given;
      explainOrFail(record, options.scheme);
      const password = await askPassword(options);
      const result = await checkOrFail(password, record, options.scheme);
      if (!result.matches) process.exitCode = 1;
      if (options.json === true) return printJson(result);
      print(result.matches ? "The password is the record's." : "This is another password.");
      if (result.outdated)
        print(`The record is older than ${options.scheme}; it would be re-made at the next sign-in.`);
    });

  hash
    .command("explain")
    .description("take a record apart along its own string")
    .argument("<record>", "a PHC string, or bcrypt's $2b$…, in single quotes")
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
        ["memory", `${formatBytes(explanation.memoryBytes)} while it is checked`],
        ["state", explanation.current ? "current" : `older than ${options.scheme}`],
      ]);
    });
}

function explainOrFail(record: string, scheme: string) {
  const configured = readOrFail(() => readScheme(scheme), "--scheme");
  return readOrFail(() => explainRecord(record, configured), "the record");
}

async function makeOrFail(password: string, scheme: string): Promise<string> {
  if (readScheme(scheme).pepper !== null)
    throw new Failure("--scheme: the pepper's key lies with the service; leave `pepper=…` out here.", 2);
  try {
    return await makePasswordRecord(password, scheme);
  } catch (error) {
    if (error instanceof RangeError) throw new Failure(`--scheme: ${error.message}.`, 2);
    if (error instanceof UnusablePasswordError) throw new Failure(`${error.message}; nothing was made.`, 2);
    throw error;
  }
}

async function checkOrFail(password: string, record: string, scheme: string) {
  try {
    return await checkPasswordRecord(password, record, scheme);
  } catch (error) {
    if (!(error instanceof MissingPepperError)) throw error;
    throw new Failure(
      `the record: it is peppered under ${error.keyId}, which only the service holds; sign in there instead.`,
    );
  }
}

function readOrFail<Result>(read: () => Result, what: string): Result {
  try {
    return read();
  } catch (error) {
    if (!(error instanceof PhcReadError || error instanceof SchemeError)) throw error;
    throw new Failure(
      `${what}: ${error.message}. It looks like $scrypt$ln=15,r=8,p=3…; put it in single quotes, or the shell takes the $ away.`,
      2,
    );
  }
}
