/** The languages in which mails are written (ISO 639-1). */
export const LANGUAGES = ["en", "it"] as const;
/** One of `LANGUAGES` (BCP 47). */
export type Language = (typeof LANGUAGES)[number];
