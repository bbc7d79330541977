/**
 * The rehearsal as a process of its own, for the service: what is wanted is its one argument, in JSON; what comes of it is written
 * line by line. It ends when its input does, so that it outlives nobody.
 */
import type { RehearsalOptions } from "./rehearse.ts";
import { rehearse, stepsFor } from "./rehearse.ts";

/** A line of the output. */
export type Line =
  | { readonly kind: "steps"; readonly steps: ReadonlyArray<{ id: string; title: string; expected: string }> }
  | {
      readonly kind: "step";
      readonly id: string;
      readonly state: string;
      readonly came: string;
      readonly mend: string;
      readonly milliseconds: number;
    }
  | { readonly kind: "end"; readonly passed: boolean; readonly leftBehind: string | null }
  | { readonly kind: "fault"; readonly why: string };

const say = (line: Line): void => void process.stdout.write(`${JSON.stringify(line)}\n`);

process.stdin.resume().on("end", () => process.exit(0));
const options = JSON.parse(process.argv[2] ?? "{}") as RehearsalOptions;
say({
  kind: "steps",
  steps: stepsFor(options.only).map(({ id, title, expected }) => ({ id, title, expected })),
});
try {
  const { passed, leftBehind } = await rehearse({
    ...options,
    onStep: ({ id, state, came, mend, milliseconds }) =>
      say({ kind: "step", id, state, came, mend, milliseconds }),
  });
  say({ kind: "end", passed, leftBehind });
} catch (error) {
  say({ kind: "fault", why: (error as Error).message });
}
process.stdin.destroy();
