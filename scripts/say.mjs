/** Plain lines about what a long command is doing. */

/** One line, at once. */
export function say(text) {
  process.stdout.write(`${text}\n`);
}

/** Says what begins, and how long it took when it is done; on a terminal both stand in one line. */
export async function step(text, work) {
  const started = performance.now();
  const terminal = process.stdout.isTTY;
  if (terminal) process.stdout.write(`… ${text}`);
  else say(`… ${text}`);
  try {
    const result = await work();
    const seconds = ((performance.now() - started) / 1_000).toFixed(1);
    process.stdout.write(`${terminal ? "\r" : ""}✓ ${text} (${seconds} s)\n`);
    return result;
  } catch (error) {
    if (terminal) process.stdout.write("\n");
    throw error;
  }
}

/** Something the person can mend: shown without a stack trace. Exit status 1, or 2 for wrong usage. */
export class Mendable extends Error {
  constructor(message, exitStatus = 1) {
    super(message);
    this.exitStatus = exitStatus;
  }
}

/** Runs a command's main function; a Mendable error ends it with its message alone. */
export async function run(main) {
  try {
    await main();
  } catch (error) {
    if (!(error instanceof Mendable)) throw error;
    process.stderr.write(`\n${error.message}\n`);
    process.exitCode = error.exitStatus;
  }
}
