/** Durations in the words of a language: in mails, on pages and in problems. */
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
