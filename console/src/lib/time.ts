/** Times for people. */
import { texts } from "../texts/texts.ts";
import { millisecondsUntil, page } from "./page.ts";

const UNITS: ReadonlyArray<readonly [Intl.RelativeTimeFormatUnit, number]> = [
  ["year", 365 * 86_400],
  ["month", 60 * 86_400],
  ["day", 86_400],
  ["hour", 3_600],
  ["minute", 60],
];

/** Months begin to be counted at two; before that days say more. */
const LENGTHS: Partial<Record<Intl.RelativeTimeFormatUnit, number>> = { month: 30 * 86_400 };

/** British English writes days before months, as everybody else does. */
const LOCALE = { en: "en-GB", it: "it-IT" }[page.language];

const relative = new Intl.RelativeTimeFormat(LOCALE, { numeric: "auto", style: "short" });
const exactly = new Intl.DateTimeFormat(LOCALE, { dateStyle: "medium", timeStyle: "medium" });

/** Seconds by which what has just happened may seem to lie ahead. */
const HARDLY_AHEAD = 3;

/** `3 min ago`, `in 2 hr`; by the service's clock, as this device's may be wrong. */
export function ago(iso: string): string {
  const seconds = millisecondsUntil(iso) / 1_000;
  const [unit, length] = UNITS.find(([, size]) => Math.abs(seconds) >= size) ?? (["second", 1] as const);
  return unit === "second"
    ? seconds > HARDLY_AHEAD
      ? texts.times.inAMoment
      : texts.times.justNow
    : relative.format(Math.round(seconds / (LENGTHS[unit] ?? length)), unit);
}

const onDay = new Intl.DateTimeFormat(LOCALE, { dateStyle: "long" });

/** The day, in the reader's zone. */
export function day(iso: string): string {
  return onDay.format(new Date(iso));
}

/** The exact time, in the reader's zone. */
export function exact(iso: string): string {
  return exactly.format(new Date(iso));
}
