/** Asking for what may never be an argument. */
import { text as readAll } from "node:stream/consumers";
import { confirm, input, password as askWithoutEcho } from "@inquirer/prompts";
import { Failure } from "./failure.ts";

/** The password: from standard input if asked for, else typed without echo. */
export async function askPassword(
  options: { passwordStdin?: boolean | undefined },
  message = "Password",
  { repeat = false } = {},
): Promise<string> {
  if (options.passwordStdin === true) return (await readAll(process.stdin)).replace(/\r?\n$/, "");
  if (!process.stdin.isTTY) {
    throw new Failure(
      "There is no terminal to ask for the password; pipe it in and add --password-stdin.",
      2,
    );
  }
  const typed = await askWithoutEcho({ message });
  if (repeat && (await askWithoutEcho({ message: `${message} again` })) !== typed) {
    throw new Failure("The two passwords differ; nothing was done.");
  }
  return typed;
}

/** Lines of standard input that nobody took yet. */
let lines: string[] | null = null;

/** The next line of standard input, for commands that take one thing after the other. */
export async function takeLine(): Promise<string> {
  lines ??= (await readAll(process.stdin)).split(/\r?\n/);
  return lines.shift() ?? "";
}

/** A short code: typed, or the next line of standard input. */
export async function askCode(message = "Code"): Promise<string> {
  if (process.stdin.isTTY) return input({ message });
  return (await takeLine()).trim();
}

/** Yes or no; without a terminal nobody can be asked. */
export async function askWhether(message: string): Promise<boolean> {
  if (!process.stdin.isTTY) throw new Failure("There is no terminal to ask; add --yes if you mean it.", 2);
  return confirm({ message, default: false });
}
