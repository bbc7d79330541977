/** Durations: as people write them in settings, and in the words of a language in mails, on pages and in problems. */
import type { Language } from "@lucchetto/core";
import humanizeDuration from "humanize-duration";

/** Milliseconds of a day. */
export const DAY = 24 * 3_600_000;

const AND = { en: " and ", it: " e " } as const;
/** 24 hours are said as hours: people ask themselves until what time tomorrow. */
const TWO_DAYS = 2 * 86_400_000;

/** `30 minutes`, `24 hours`, `un giorno`. @param milliseconds rounded to a whole second. */
export function durationInWords(milliseconds: number, language: Language): string {
  return humanizeDuration(milliseconds, {
    language,
    units: milliseconds < TWO_DAYS ? ["h", "m", "s"] : ["d", "h", "m", "s"],
    conjunction: AND[language],
    serialComma: false,
    round: true,
  });
}

const UNITS: Readonly<Record<string, number>> = { s: 1_000, m: 60_000, h: 3_600_000, d: 86_400_000 };

/** Reads `30m`, `12h`, `30d`. @returns milliseconds, or `null` if the text is no duration. */
export function readDuration(text: string): number | null {
  const match = /^([1-9][0-9]{0,5})([smhd])$/.exec(text);
  if (match === null) return null;
  const [, amount = "", unit = ""] = match;
  return Number(amount) * (UNITS[unit] ?? Number.NaN);
}
