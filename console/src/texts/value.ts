/** What stands at a place of a text. */
export type Value = string | number | null;
