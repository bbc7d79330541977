/** Progress of long work: a bar on a terminal, a line now and then where the output is piped. Always on stderr. */
import { Presets, SingleBar } from "cli-progress";
import { terminal } from "./terminal.ts";

export interface Progress {
  /** @param value of what is being counted. @param said what stands behind the bar. */
  update(value: number, said?: string): void;
  stop(): void;
}

/** Percent between two lines where there is no terminal. */
const LINE_EVERY = 20;

/** @param total in whatever unit `update` counts. */
export function startProgress(label: string, total: number): Progress {
  const { stderr } = terminal();
  if (stderr.isTTY === true) {
    const bar = new SingleBar(
      {
        format: `${label} {bar} {percentage}% {said}`,
        stream: process.stderr,
        hideCursor: true,
        clearOnComplete: true,
      },
      Presets.shades_classic,
    );
    bar.start(total, 0, { said: "" });
    return { update: (value, said = "") => bar.update(value, { said }), stop: () => bar.stop() };
  }
  let told = 0;
  return {
    update(value, said = "") {
      const percent = total === 0 ? 100 : Math.floor((value / total) * 100);
      if (percent < told + LINE_EVERY) return;
      told = percent - (percent % LINE_EVERY);
      stderr.write(`${label}: ${told} %${said === "" ? "" : `, ${said}`}\n`);
    },
    stop: () => undefined,
  };
}
