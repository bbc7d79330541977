/**
 * An estimate of how many guesses a password withstands, while it is typed. It knows what guessers try before they try
 * everything: common passwords, the person's and the site's names, repeats, runs, rows of the keyboard, years. It is
 * advice, not a rule. Pure, and without any import, so that a page can use it.
 */

/** What guessers know. */
export interface StrengthContext {
  /** Common passwords in lower case, the commonest first. */
  readonly common?: readonly string[];
  /** Names of the person and the site. */
  readonly names?: readonly string[];
}

/** From easiest to hardest to guess. */
export const STRENGTH_GRADES = ["very weak", "weak", "fair", "good", "strong"] as const;
/** Strength in words for a meter. */
export type StrengthGrade = (typeof STRENGTH_GRADES)[number];

/** How well a password withstands guessing. */
export interface Strength {
  /** log2 of the guesses that are needed on average, roughly. */
  readonly bits: number;
  readonly grade: StrengthGrade;
  /** What would help most; `null` where there is nothing to add. */
  readonly advice: StrengthAdvice | null;
}

/** A shortcut that should go, or words that should come. */
export type StrengthAdvice = Shortcut["kind"] | "one-more-word" | "more-words";

/** A stretch of the password that guessers have a shorter way to. */
interface Shortcut {
  readonly from: number;
  readonly to: number;
  readonly bits: number;
  readonly kind: "common" | "name" | "repeat" | "run" | "keyboard" | "year";
}

/** Below so many bits the grade is the one of that place. */
const GRADE_LIMITS = [28, 42, 58, 74] as const;
/** Only the first characters are looked at; whatever is longer is strong, or repeats itself. */
const MAX_CHARACTERS = 128;

/**
 * Estimates. @param typed as it stands in the field.
 * @example
 * ```ts
 * estimateStrength("password").grade // → "very weak"
 * estimateStrength("brass key, stone door").grade // → "good"
 * ```
 */
export function estimateStrength(typed: string, context: StrengthContext = {}): Strength {
  const characters = [...typed].slice(0, MAX_CHARACTERS);
  const lower = characters.map((character) => character.toLowerCase());
  const { bits, used } = cheapestWay(characters, findShortcuts(lower, context));
  const grade = STRENGTH_GRADES[GRADE_LIMITS.filter((limit) => bits >= limit).length] ?? "strong";
  return { bits: Math.round(bits), grade, advice: adviceFor(grade, used, characters.length) };
}

/** The guesser's cheapest way through the whole password: character by character, or by shortcuts. */
function cheapestWay(
  characters: readonly string[],
  shortcuts: readonly Shortcut[],
): { bits: number; used: readonly Shortcut[] } {
  const best: Array<{ bits: number; used: readonly Shortcut[] }> = [{ bits: 0, used: [] }];
  for (let end = 1; end <= characters.length; end += 1) {
    const before = best[end - 1] ?? { bits: 0, used: [] };
    let way = { ...before, bits: before.bits + bitsOfCharacter(characters, end - 1) };
    for (const shortcut of shortcuts) {
      if (shortcut.to !== end) continue;
      const start = best[shortcut.from] ?? { bits: 0, used: [] };
      const bits = start.bits + shortcut.bits;
      if (bits < way.bits) way = { bits, used: [...start.used, shortcut] };
    }
    best[end] = way;
  }
  return best[characters.length] ?? { bits: 0, used: [] };
}

/** Letters inside a word are half known by the letters before them; other characters less so. */
function bitsOfCharacter(characters: readonly string[], index: number): number {
  const character = characters[index] ?? "";
  const before = characters[index - 1] ?? "";
  const isLetter = (text: string) => /\p{L}/u.test(text);
  if (isLetter(character)) return isLetter(before) ? 2.8 : 4.5;
  if (/\d/.test(character)) return 3.3;
  return character === " " ? 1 : 4.5;
}

function findShortcuts(lower: readonly string[], context: StrengthContext): Shortcut[] {
  const text = lower.join("");
  // Places are counted in code points; where a text has others than plain ones, words are looked for by those.
  return [
    ...findWords(lower, context.names ?? [], () => 1.5, "name"),
    ...findWords(lower, context.common ?? [], (rank) => 1 + Math.log2(rank + 2), "common"),
    ...findRepeats(lower),
    ...findRuns(lower),
    ...findKeyboardRows(lower),
    ...(/\d/.test(text) ? findYears(lower) : []),
  ];
}

const MIN_WORD_LENGTH = 3;

function findWords(
  lower: readonly string[],
  words: readonly string[],
  bitsOf: (rank: number) => number,
  kind: "common" | "name",
): Shortcut[] {
  const ranks = new Map<string, number>();
  for (const [rank, word] of words.entries()) {
    const key = word.toLowerCase();
    if ([...key].length >= MIN_WORD_LENGTH && !ranks.has(key)) ranks.set(key, rank);
  }
  const longest = Math.max(0, ...[...ranks.keys()].map((word) => word.length));
  const found: Shortcut[] = [];
  for (let from = 0; from < lower.length; from += 1) {
    let word = "";
    for (let to = from + 1; to <= lower.length && word.length < longest; to += 1) {
      word += lower[to - 1] ?? "";
      const rank = ranks.get(word);
      if (rank !== undefined) found.push({ from, to, bits: bitsOf(rank), kind });
    }
  }
  return found;
}

/** A block said again and again costs the block, and how often. */
function findRepeats(lower: readonly string[]): Shortcut[] {
  const found: Shortcut[] = [];
  for (let from = 0; from < lower.length; from += 1) {
    for (let length = 1; length <= 16 && from + 2 * length <= lower.length; length += 1) {
      let to = from + length;
      while (to < lower.length && lower[to] === lower[to - length]) to += 1;
      const times = Math.floor((to - from) / length);
      if (times < 2 || times * length < 3) continue;
      const block = lower.slice(from, from + length);
      const blockBits = block.reduce((sum, _, index) => sum + bitsOfCharacter(block, index), 0);
      found.push({ from, to: from + times * length, bits: blockBits + Math.log2(times), kind: "repeat" });
    }
  }
  return found;
}

/** `abcd`, `9876`: each character next to the one before. */
function findRuns(lower: readonly string[]): Shortcut[] {
  const step = (index: number) =>
    (lower[index]?.codePointAt(0) ?? 0) - (lower[index - 1]?.codePointAt(0) ?? Number.NaN);
  return stretches(lower.length, (index) => Math.abs(step(index)) === 1 && step(index), 3).map(
    ({ from, to }) => ({ from, to, bits: 4 + Math.log2(to - from), kind: "run" as const }),
  );
}

const KEYBOARD_ROWS = [
  "1234567890",
  "qwertyuiop",
  "asdfghjkl",
  "zxcvbnm",
  "qwertzuiop",
  "yxcvbnm",
  "azertyuiop",
];

function findKeyboardRows(lower: readonly string[]): Shortcut[] {
  const isNext = (index: number) => {
    const pair = `${lower[index - 1] ?? ""}${lower[index] ?? ""}`;
    const turned = [...pair].reverse().join("");
    if (KEYBOARD_ROWS.some((row) => row.includes(pair))) return 1;
    return KEYBOARD_ROWS.some((row) => row.includes(turned)) && -1;
  };
  return stretches(lower.length, isNext, 4).map(({ from, to }) => ({
    from,
    to,
    bits: 5 + Math.log2(to - from),
    kind: "keyboard" as const,
  }));
}

/** Longest stretches, at least `shortest` long, in which every place follows the one before in the same direction. */
function stretches(
  length: number,
  follows: (index: number) => number | false,
  shortest: number,
): Array<{ from: number; to: number }> {
  const found: Array<{ from: number; to: number }> = [];
  let from = 0;
  for (let index = 1; index <= length; index += 1) {
    const direction = index < length && follows(index);
    const goesOn = direction !== false && (index === from + 1 || direction === follows(index - 1));
    if (goesOn) continue;
    if (index - from >= shortest) found.push({ from, to: index });
    from = direction === false ? index : index - 1;
  }
  return found;
}

function findYears(lower: readonly string[]): Shortcut[] {
  const found: Shortcut[] = [];
  for (let from = 0; from + 4 <= lower.length; from += 1) {
    if (/^(19|20)\d\d$/.test(lower.slice(from, from + 4).join("")))
      found.push({ from, to: from + 4, bits: 6.5, kind: "year" });
  }
  return found;
}

/** A shortcut is worth a word where it covers at least this share of the password. */
const TELLING_SHARE = 0.3;

function adviceFor(grade: StrengthGrade, used: readonly Shortcut[], length: number): StrengthAdvice | null {
  if (grade === "strong") return null;
  // The longest shortcut took the most away.
  const worst = [...used].sort((left, right) => right.to - right.from - (left.to - left.from))[0];
  if (worst !== undefined && worst.to - worst.from >= length * TELLING_SHARE) return worst.kind;
  return grade === "good" ? "one-more-word" : "more-words";
}
