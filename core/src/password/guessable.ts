/** Passwords that guessers try first: those that many people have, and those made of the person's or the site's own names. */

/** The password is on a list, as it stands or in a way that guessers try too. */
export type IsListed = (lowerCase: string) => boolean;

/** Digits at the end that guessers add to every word. */
const MAX_ADDED_DIGITS = 4;

/**
 * Whether a password is a common one: in any letter case, doubled, or with up to four digits behind it.
 * @param prepared prepared text. @param isListed whether a lower-case text stands on the list.
 * @example
 * ```ts
 * isCommon("password123", (text) => text === "password123") // → true
 * ```
 */
export function isCommon(prepared: string, isListed: IsListed): boolean {
  const text = prepared.toLowerCase();
  return withoutAddedDigits(text).some((stem) => isListed(stem) || isListed(halfOf(stem)));
}

/** The text, and the text without one to four digits at its end. */
function withoutAddedDigits(text: string): string[] {
  const stems = [text];
  for (let length = 1; length <= MAX_ADDED_DIGITS && /\d/.test(text.at(-length) ?? ""); length += 1) {
    stems.push(text.slice(0, -length));
  }
  return stems;
}

/** The half of a doubled text; else the text itself. */
function halfOf(text: string): string {
  const half = text.slice(0, text.length / 2);
  return half + half === text ? half : text;
}

/** Names that guessers know before they begin. */
export interface Context {
  readonly email?: string | null | undefined;
  readonly username?: string | null | undefined;
  readonly displayName?: string | null | undefined;
  readonly siteName?: string | null | undefined;
}

/** Shorter parts of names stand in too many words to mean anything. */
const MIN_WORD_LENGTH = 3;

/**
 * Whether a password consists of context words with nothing but digits, spaces and punctuation around and between them.
 * Such a word inside a longer phrase is fine.
 */
export function isMadeOfContext(prepared: string, context: Context): boolean {
  const letters = lettersOf(prepared);
  const words = contextWords(context);
  if (letters === "" || words.length === 0) return false;
  // reachable[i]: the first i letters are a row of context words.
  const reachable = [true];
  for (let end = 1; end <= letters.length; end += 1) {
    reachable[end] = words.some(
      (word) => reachable[end - word.length] === true && letters.startsWith(word, end - word.length),
    );
  }
  return reachable[letters.length] === true;
}

function contextWords({ email, username, displayName, siteName }: Context): string[] {
  const names = [email, username, displayName, siteName].filter(
    (name) => name !== null && name !== undefined,
  );
  const words = names.flatMap((name) => [name, ...name.split(/[^\p{L}\p{M}]+/u)]).map(lettersOf);
  return [...new Set(words)].filter((word) => word.length >= MIN_WORD_LENGTH);
}

function lettersOf(text: string): string {
  return text
    .normalize("NFC")
    .toLowerCase()
    .replace(/[^\p{L}\p{M}]/gu, "");
}
