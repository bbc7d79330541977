/** Plain lines about what a long command is doing. */

/** The step whose line is still open on the terminal. */
let open = null;

/** One line, at once. */
export function say(text) {
  closeLine();
  process.stdout.write(`${text}\n`);
}

/**
 * Says what begins, and how long it took when it is done. On a terminal both stand in one line, unless something else was
 * said meanwhile: several steps may be under way at once.
 */
export async function step(text, work) {
  const started = performance.now();
  closeLine();
  const terminal = process.stdout.isTTY;
  process.stdout.write(`… ${text}${terminal ? "" : "\n"}`);
  const mine = terminal ? (open = { text }) : null;
  const result = await work();
  const seconds = ((performance.now() - started) / 1_000).toFixed(1);
  if (mine !== null && open === mine) {
    open = null;
    process.stdout.write("\r");
  }
  say(`✓ ${text} (${seconds} s)`);
  return result;
}

function closeLine() {
  if (open !== null) process.stdout.write("\n");
  open = null;
}

/** Something that the person can remedy: shown without a stack trace. Exit status 1, or 2 for wrong usage. */
export class UserError extends Error {
  constructor(message, exitStatus = 1) {
    super(message);
    this.exitStatus = exitStatus;
  }
}

/** Runs a command's main function; a UserError ends it with its message alone. */
export async function run(main) {
  try {
    await main();
  } catch (error) {
    closeLine();
    if (!(error instanceof UserError)) throw error;
    process.stderr.write(`\n${error.message}\n`);
    process.exitCode = error.exitStatus;
  }
}
