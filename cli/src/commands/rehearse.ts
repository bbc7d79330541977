/** A developer at work: the walk through their own application, as a person would walk it. */
import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { resolve } from "node:path";
import { routes } from "@lucchetto/contract";
import type { Rehearsal, StepResult } from "@lucchetto/rehearsal";
import type { Command } from "commander";
import { InvalidArgumentError } from "commander";
import { connect } from "../connection.ts";
import { Failure } from "../failure.ts";
import { bold, dim, print, printable, printJson, rust, verdigris } from "../output.ts";
import { terminal } from "../terminal.ts";

interface RehearseOptions {
  readonly app: string;
  readonly public: string;
  readonly closed: string;
  readonly closedApi?: string;
  readonly closedLevel2?: string;
  readonly marker?: string;
  readonly forms?: string;
  readonly draft?: boolean;
  readonly only?: string[];
  readonly moveClock?: boolean;
  readonly invite?: boolean;
  readonly deadline: number;
  readonly browser: boolean;
  readonly pictures?: string;
  readonly junit?: string;
  readonly json?: boolean;
}

export function defineRehearse(command: Command): void {
  command
    .requiredOption("--app <address>", "the application's address", readAddress)
    .option("--public <path>", "a public page", readPath, "/")
    .requiredOption("--closed <path>", "a members-only page", readPath)
    .option("--closed-api <path>", "a closed API address", readPath)
    .option("--closed-level2 <path>", "a page that requires a second factor", readPath)
    .option("--forms <file>", "names of forms that are not recognised (rehearsal.yaml)")
    .option("--draft", "only print such a file with what is recognised")
    .option("--only <steps>", "step ids, separated by commas; the steps they depend on run too", readSteps)
    .option("--move-clock", "also test expiry, which ends everybody's sessions; the clock is restored")
    .option(
      "--invite",
      "also accept an invitation; the operator who is signed in here invites a made-up person",
    )
    .option("--marker <text>", "a text that only the closed page shows (default: found automatically)")
    .option("--deadline <seconds>", "time limit for each page, response or mail", readSeconds, 20)
    .option("--no-browser", "run only the HTTP half")
    .option("--pictures <folder>", "save a screenshot after each step")
    .option("--junit <file>", "write the result for a build server")
    .option("--json", "as JSON")
    .addHelpText(
      "after",
      "\nIt registers a made-up account, signs in and out, and deletes the account afterwards. Its wrong tries count like anybody else's.\n\nExample:\n  lucchetto rehearse --app http://localhost:8421 --closed /members --closed-api /api/my-nights --closed-level2 /key-box",
    )
    .action(async (options: RehearseOptions, self: Command) => {
      const connection = connect(self);
      const { url: service } = connection;
      // Whoever is not signed in hears of it before the walk begins.
      const operator = options.invite === true ? connection.signedIn() : null;
      const { cwd } = terminal();
      const pictures = options.pictures === undefined ? undefined : resolve(cwd, options.pictures);
      if (pictures !== undefined) mkdirSync(pictures, { recursive: true });
      // Read only where somebody rehearses.
      const { draftHints, junitOf, readHints, rehearse, stepsFor } = await import("@lucchetto/rehearsal");
      const deadline = options.deadline * 1_000;
      const addresses = {
        app: options.app,
        service,
        open: options.public,
        closed: options.closed,
        closedApi: options.closedApi ?? null,
        closedLevel2: options.closedLevel2 ?? null,
      };
      const failed = (error: Error): never => {
        throw new Failure(error.message);
      };
      if (options.draft === true) return print(await draftHints(addresses, deadline).catch(failed));
      const hints = options.forms === undefined ? {} : readForms(resolve(cwd, options.forms), readHints);
      if (options.moveClock === true)
        terminal().stderr.write(
          `One step moves the clock of ${service}, which ends other people's sessions. The clock is restored afterwards, even if this is interrupted.\n`,
        );
      try {
        stepsFor(options.only);
      } catch (error) {
        throw new Failure(`--only: ${(error as Error).message}`, 2);
      }
      const result = await rehearse({
        ...addresses,
        hints,
        ...(options.only === undefined ? {} : { only: options.only }),
        movesClock: options.moveClock === true,
        ...(operator === null
          ? {}
          : {
              invite: async ({ email, clientId, page }) =>
                void (await operator(routes.inviteAccount, { body: { email, app: clientId, page } })),
            }),
        withoutBrowser: !options.browser,
        deadline,
        ...(options.marker === undefined ? {} : { marker: options.marker }),
        ...(pictures === undefined ? {} : { pictures }),
        onStep: (step) => {
          if (options.json !== true) printStep(step);
        },
      }).catch(failed);
      if (options.junit !== undefined)
        writeFileSync(resolve(cwd, options.junit), junitOf(result, options.app));
      if (!result.passed) terminal().exitStatus = 1;
      if (options.json === true) return printJson(result);
      printEnd(result);
    });
}

/** What was written down. @throws Failure that names the file and what is wrong in it. */
function readForms<Hints>(path: string, read: (text: string) => Hints): Hints {
  const text = readFileSync(path, "utf8");
  try {
    return read(text);
  } catch (error) {
    throw new Failure(`${path}: ${(error as Error).message}`, 2);
  }
}

const SIGNS = {
  passed: () => verdigris("passed  "),
  failed: () => rust("failed  "),
  "left-out": () => dim("skipped "),
};

function printStep({ title, state, expected, came, remedy }: StepResult): void {
  print(`${SIGNS[state]()}  ${bold(title)}`);
  const room = " ".repeat(10);
  const seen = printable(came);
  if (state !== "failed") return print(dim(`${room}${seen}`));
  print(`${room}expected  ${expected}`, `${room}actual    ${seen}`, `${room}to fix    ${remedy}`);
}

function printEnd({ steps, leftBehind }: Rehearsal): void {
  const of = (state: StepResult["state"]): number => steps.filter((one) => one.state === state).length;
  print("", `${of("passed")} passed, ${of("failed")} failed, ${of("left-out")} skipped.`);
  if (leftBehind !== null)
    print(
      `${leftBehind} could not be deleted. If it is a Lucchetto account: lucchetto account erase ${leftBehind}`,
    );
}

const readSteps = (text: string): string[] => text.split(",").map((one) => one.trim());

function readAddress(text: string): string {
  if (URL.canParse(text) && /^https?:$/.test(new URL(text).protocol)) return new URL("/", text).href;
  throw new InvalidArgumentError("Expected an address such as http://localhost:8421.");
}

function readPath(text: string): string {
  if (/^\/(?!\/)/.test(text)) return text;
  throw new InvalidArgumentError("Expected a path such as /members.");
}

function readSeconds(text: string): number {
  if (/^[1-9]\d{0,3}$/.test(text)) return Number(text);
  throw new InvalidArgumentError("Expected seconds, from 1 to 9999.");
}
