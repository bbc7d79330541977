/** A number of minutes as people say it. */
export function inWords(minutes: number): string {
  if (minutes % 1_440 === 0 && minutes > 1_440) return `${minutes / 1_440} days`;
  if (minutes % 60 === 0) return minutes === 60 ? "one hour" : `${minutes / 60} hours`;
  return `${minutes} minutes`;
}
