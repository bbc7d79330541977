/** For the one who tries things out: the service's clock. */
import { routes } from "@lucchetto/contract";
import type { Command } from "commander";
import { connect } from "../connection.ts";
import { Failure } from "../failure.ts";
import { printJson, printPairs, time } from "../output.ts";

const UNITS: Readonly<Record<string, number>> = { s: 1_000, m: 60_000, h: 3_600_000, d: 86_400_000 };

function readDuration(text: string): number {
  const match = /^(-?)([0-9]{1,6})([smhd])$/.exec(text);
  const unit = UNITS[match?.[3] ?? ""];
  if (match === null || unit === undefined) {
    throw new Failure(`found ${JSON.stringify(text)}, expected a duration such as 90s, 31m, 12h or 30d`, 2);
  }
  return Number(match[2]) * unit * (match[1] === "-" ? -1 : 1);
}

export function defineClock(clock: Command): void {
  const show = ({ now, movedBy }: { now: string; movedBy: number }, json: boolean | undefined): void => {
    if (json === true) return printJson({ now, movedBy });
    const moved =
      movedBy === 0 ? "nothing" : `${Math.round(movedBy / 1_000)} s ${movedBy > 0 ? "ahead" : "behind"}`;
    printPairs([
      ["now", time(now)],
      ["moved by", moved],
    ]);
  };
  clock
    .command("show")
    .description("show the service's time")
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto clock show")
    .action(async (options: { json?: boolean }, command: Command) => {
      show((await connect(command).client(routes.showClock)).body, options.json);
    });
  clock
    .command("advance")
    .description("move the clock forward, to test expiry without waiting")
    .argument("<duration>", "such as 31m or 12h")
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto clock advance 31m")
    .action(async (duration: string, options: { json?: boolean }, command: Command) => {
      const body = { milliseconds: readDuration(duration) };
      show((await connect(command).client(routes.advanceClock, { body })).body, options.json);
    });
  clock
    .command("reset")
    .description("restore the clock")
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto clock reset")
    .action(async (options: { json?: boolean }, command: Command) => {
      show((await connect(command).client(routes.resetClock)).body, options.json);
    });
}
