/** Asking for what may never be an argument. */
import { text as readAll } from "node:stream/consumers";
import { Failure } from "./failure.ts";
import type { Terminal } from "./terminal.ts";
import { terminal } from "./terminal.ts";

/** Read only where somebody is really asked. */
export const prompts = () => import("@inquirer/prompts");

/** The password: from standard input if asked for, else typed without echo. */
export async function askPassword(
  options: { passwordStdin?: boolean | undefined },
  message = "Password",
  { repeat = false } = {},
): Promise<string> {
  if (options.passwordStdin === true) return (await readAll(terminal().stdin)).replace(/\r?\n$/, "");
  if (terminal().stdin.isTTY !== true) {
    throw new Failure(
      "There is no terminal to ask for the password; pipe it in and add --password-stdin.",
      2,
    );
  }
  const { password: askWithoutEcho } = await prompts();
  const typed = await askWithoutEcho({ message });
  if (repeat && (await askWithoutEcho({ message: `${message} again` })) !== typed) {
    throw new Failure("The two passwords differ; nothing was done.");
  }
  return typed;
}

/** Lines of standard input that nobody took yet, of each call of the command. */
const untaken = new WeakMap<Terminal, string[]>();

/** The next line of standard input, for commands that take one thing after the other. */
export async function takeLine(): Promise<string> {
  const here = terminal();
  const lines = untaken.get(here) ?? (await readAll(here.stdin)).split(/\r?\n/);
  untaken.set(here, lines);
  return lines.shift() ?? "";
}

/** A short code: typed, or the next line of standard input. */
export async function askCode(message = "Code"): Promise<string> {
  if (terminal().stdin.isTTY === true) return (await prompts()).input({ message });
  return (await takeLine()).trim();
}

/** Yes or no; without a terminal nobody can be asked. */
export async function askWhether(message: string): Promise<boolean> {
  if (terminal().stdin.isTTY !== true)
    throw new Failure("There is no terminal to ask; add --yes if you mean it.", 2);
  return (await prompts()).confirm({ message, default: false });
}

/** Tries that a person at a terminal has with one code. */
const TRIES = 3;

/** Asks again where a code was mistyped; a script has one try. @param show asks, and shows what came. */
export async function askAgain<Result>(show: () => Promise<Result>): Promise<Result> {
  for (let tries = 1; ; tries += 1) {
    try {
      return await show();
    } catch (error) {
      const { stdin, stderr } = terminal();
      // By name: the error's class may not be loaded.
      const { name, problem } = error as Error & { problem?: { code: string; detail: string } };
      const isMistyped = name === "ProblemError" && problem?.code === "proof-refused";
      if (!isMistyped || stdin.isTTY !== true || tries === TRIES) throw error;
      stderr.write(`${problem.detail}\n`);
    }
  }
}
