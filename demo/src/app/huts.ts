/** What the sample application knows of its own: five made-up huts and their bunks. */

interface Hut {
  readonly name: string;
  readonly metres: number;
  readonly bunks: number;
  readonly free: number;
  readonly path: string;
}

export const HUTS: readonly Hut[] = [
  { name: "Brina", metres: 1_840, bunks: 24, free: 9, path: "two hours from the lake, through larch woods" },
  { name: "Larice", metres: 2_015, bunks: 18, free: 4, path: "three hours, the last one along the stream" },
  { name: "Falco", metres: 2_430, bunks: 12, free: 1, path: "five hours, with a ladder below the ridge" },
  { name: "Nevaio", metres: 2_710, bunks: 10, free: 6, path: "six hours over the old snowfield" },
  { name: "Sorgente", metres: 1_560, bunks: 30, free: 17, path: "one hour, fit for prams" },
];

/** Nights that a member has reserved, made from their id so that everybody has some. */
export function nightsOf(accountId: string): ReadonlyArray<{ hut: string; nights: number; bunk: number }> {
  const number = Number.parseInt(accountId.slice(-6), 16);
  return [number % 5, (number >> 3) % 5].map((index, place) => ({
    hut: HUTS[index]?.name ?? "Brina",
    nights: 1 + ((number >> (4 * place)) % 3),
    bunk: 1 + ((number >> (5 * place)) % 10),
  }));
}
