/** The kinds of text that requests carry. Messages never repeat what was sent. */
import { z } from "zod";

/** Also what turns the direction of all that follows, and so makes one name look like another (Unicode Standard Annex 9). */
// oxlint-disable-next-line no-control-regex -- exactly these are what must not occur
const CONTROL_CHARACTER = /[\u0000-\u001f\u007f-\u009f\u2028\u2029\u202a-\u202e\u2066-\u2069]/u;
const LONE_SURROGATE = /\p{Surrogate}/u;

/** Whether something is in a text that no single line of people's text has. */
export const hasControlCharacter = (text: string): boolean => CONTROL_CHARACTER.test(text);

/** One line of text: 1 to `max` UTF-16 units, no control characters, well-formed Unicode. */
export function lineOfText(max: number) {
  return z
    .string()
    .min(1, "Fill this in.")
    .max(max, `Use at most ${max} characters.`)
    .refine((text) => !hasControlCharacter(text), "Leave out line breaks and other control characters.")
    .refine((text) => !LONE_SURROGATE.test(text), "This text is not valid Unicode.");
}

/** A password as typed. Its own rules judge it; only what is absurdly long is stopped here. */
export const passwordText = z.string();
/** Named at the first proof of an address. */
export const notMine = z
  .array(z.string().max(40))
  .max(200)
  .describe("of a first proof: ids of what was set up before that is to be removed");

/** A code as typed, of any kind; what it must look like is judged where it is read. */
export const codeText = z.string().min(1, "Type the code.").max(40, "This is too long for a code.");

/** Point in time, ISO 8601 in UTC with milliseconds. */
export const timestamp = z.iso.datetime({ precision: 3 }).describe("ISO 8601, UTC");

export const id = z.uuid("This is not an id.").describe("UUIDv7");

/** A page of a list: `next` is the cursor of the following page, `null` at the end. */
export function listOf<Item extends z.ZodType>(item: Item) {
  return z.object({ items: z.array(item), next: z.string().nullable() });
}

/** Query members of every list. */
export const page = {
  cursor: lineOfText(200).optional().describe("`next` of the page before"),
  limit: z.coerce
    .number()
    .int()
    .min(1)
    .max(100, "At most 100 at once.")
    .default(25)
    .describe("items per page, 1 to 100"),
};
