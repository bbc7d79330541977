/** Ways to sign in, over days: in words, in colours of the theme, and as shares for a plot. */
import type { SignInFigures } from "@lucchetto/contract";
import type { ChartConfiguration } from "chart.js";
import { consoleTexts } from "../texts/console.ts";
import type { PlotColours } from "./plot.ts";
import { axis, commonOptions, dayInWords } from "./plot.ts";

type Days = SignInFigures["days"];

/** A way over all days that are shown. */
export interface Way {
  readonly proofs: readonly string[];
  readonly name: string;
  readonly signIns: number;
}

const DAY = 86_400_000;
/** The safer ones first: at the bottom of the plot they are seen to grow. */
const ORDER = ["passkey", "totp", "recovery-code"];

/** Every way that was taken, the safer ones first. */
export function waysOf(days: Days): Way[] {
  const ways = new Map<string, Way>();
  for (const { proofs, signIns } of days.flatMap(({ ways: ofDay }) => ofDay)) {
    const key = proofs.join(" ");
    ways.set(key, { proofs, name: nameOf(proofs), signIns: (ways.get(key)?.signIns ?? 0) + signIns });
  }
  return [...ways.values()].sort((left, right) => rank(left) - rank(right) || right.signIns - left.signIns);
}

function rank({ proofs }: Way): number {
  const place = ORDER.findIndex((proof) => proofs.includes(proof));
  return place < 0 ? ORDER.length * 2 : place * 2 + Number(proofs.length > 1);
}

function nameOf(proofs: readonly string[]): string {
  const names: Readonly<Record<string, string>> = consoleTexts.signIns.proofs;
  const text = proofs.map((proof) => names[proof] ?? proof).join(" + ");
  return text.charAt(0).toUpperCase() + text.slice(1);
}

function colourOf({ proofs }: Way, { verdigris, brass, rust, stones, quiet }: PlotColours): string {
  if (proofs.includes("recovery-code")) return rust;
  if (proofs.includes("passkey")) return proofs.length === 1 ? verdigris : `${verdigris}99`;
  if (proofs.includes("totp")) return proofs.includes("mail") ? `${brass}80` : brass;
  return stones[proofs.includes("mail") ? 2 : 0] ?? quiet;
}

/** The share of each way on every day from the first to the last, in percent; a day without sign-ins stays empty. */
export function sharesOver(days: Days): (colours: PlotColours) => ChartConfiguration {
  const whole = everyDay(days);
  const total = whole.map(({ ways }) => ways.reduce((sum, { signIns }) => sum + signIns, 0));
  return (colours) => ({
    type: "bar",
    data: {
      labels: whole.map(({ day }) => dayInWords(day)),
      datasets: waysOf(days).map((way) => ({
        label: way.name,
        data: whole.map(({ ways }, index) => {
          const key = way.proofs.join(" ");
          const signIns = ways.find(({ proofs }) => proofs.join(" ") === key)?.signIns ?? 0;
          return signIns === 0 ? 0 : (signIns / (total[index] ?? 1)) * 100;
        }),
        backgroundColor: colourOf(way, colours),
        categoryPercentage: 1,
        barPercentage: 0.85,
      })),
    },
    options: {
      ...commonOptions(colours),
      interaction: { mode: "index", intersect: false },
      scales: {
        x: {
          ...axis(colours, ""),
          title: { display: false },
          grid: { display: false },
          stacked: true,
        },
        y: { ...axis(colours, consoleTexts.signIns.percent), stacked: true, min: 0, max: 100 },
      },
    },
  });
}

function everyDay(days: Days): Days {
  const first = days[0]?.day;
  const last = days.at(-1)?.day;
  if (first === undefined || last === undefined) return [];
  const byDay = new Map(days.map((one) => [one.day, one]));
  const whole: Days = [];
  for (let time = Date.parse(first); time <= Date.parse(last); time += DAY) {
    const day = new Date(time).toISOString().slice(0, 10);
    whole.push(byDay.get(day) ?? { day, ways: [] });
  }
  return whole;
}
