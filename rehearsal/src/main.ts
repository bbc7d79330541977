/**
 * The rehearsal as a process of its own, for the service: what is wanted is its one argument, in JSON; what comes of it is written
 * line by line. It ends when its input does, so that it outlives nobody.
 */
import type { RehearsalLine } from "@lucchetto/contract";
import type { RehearsalOptions } from "./rehearse.ts";
import { rehearse, stepsFor } from "./rehearse.ts";

const say = (line: RehearsalLine): void => void process.stdout.write(`${JSON.stringify(line)}\n`);

process.stdin.resume().on("end", () => process.exit(0));
const options = JSON.parse(process.argv[2] ?? "{}") as RehearsalOptions;
say({
  kind: "steps",
  steps: stepsFor(options.only).map(({ id, title, expected }) => ({ id, title, expected })),
});
try {
  const { passed, leftBehind } = await rehearse({
    ...options,
    onStep: ({ id, state, came, remedy, milliseconds }) =>
      say({ kind: "step", id, state, came, remedy, milliseconds }),
  });
  say({ kind: "end", passed, leftBehind });
} catch (error) {
  say({ kind: "fault", why: (error as Error).message });
}
process.stdin.destroy();
