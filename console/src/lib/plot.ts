/** Colours, faces and common settings of plots, taken from the theme's tokens. */
import type { ChartOptions } from "chart.js";

export interface PlotColours {
  readonly ink: string;
  readonly quiet: string;
  readonly line: string;
  readonly brass: string;
  readonly verdigris: string;
  readonly rust: string;
  /** For bands that are neither well nor wrong, from dark to light. */
  readonly stones: readonly string[];
  readonly font: string;
}

export function coloursOf(element: Element): PlotColours {
  const style = getComputedStyle(element);
  const token = (name: string) => style.getPropertyValue(name).trim();
  return {
    ink: token("--ink"),
    quiet: token("--quiet"),
    line: token("--line"),
    brass: token("--brass"),
    verdigris: token("--verdigris"),
    rust: token("--rust"),
    stones: ["500", "400", "300", "600"].map((shade) => token(`--color-gray-${shade}`)),
    font: style.fontFamily,
  };
}

/** A day (`2026-05-01`, UTC) as an axis has it. */
export function dayInWords(day: string): string {
  return new Date(`${day}T00:00:00Z`).toLocaleDateString("en", {
    day: "numeric",
    month: "short",
    timeZone: "UTC",
  });
}

/** A share in percent, as it stands in a sentence. */
export function share(part: number, whole: number): string {
  return whole === 0 ? "0 %" : `${Math.round((part / whole) * 100)} %`;
}

/** What all plots have in common. */
export function commonOptions({ quiet, font }: PlotColours): ChartOptions {
  return {
    maintainAspectRatio: false,
    animation: false,
    font: { family: font, size: 13 },
    color: quiet,
    plugins: {
      legend: {
        position: "bottom",
        labels: { boxWidth: 12, boxHeight: 12, color: quiet, font: { family: font } },
      },
    },
  };
}

/** An axis with a title. */
export function axis({ quiet, line, font }: PlotColours, text: string) {
  return {
    title: { display: true, text, color: quiet, font: { family: font } },
    ticks: { color: quiet, font: { family: font }, maxRotation: 0, autoSkipPadding: 16 },
    grid: { color: line },
    border: { color: line },
  };
}
