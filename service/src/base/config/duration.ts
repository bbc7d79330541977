/** Durations as people write them: `30m`, `12h`, `30d`. */

const UNITS: Readonly<Record<string, number>> = { s: 1_000, m: 60_000, h: 3_600_000, d: 86_400_000 };

/** @returns milliseconds, or `null` if the text is no duration. */
export function readDuration(text: string): number | null {
  const match = /^([1-9][0-9]{0,5})([smhd])$/.exec(text);
  if (match === null) return null;
  const [, amount = "", unit = ""] = match;
  return Number(amount) * (UNITS[unit] ?? Number.NaN);
}
