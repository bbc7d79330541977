/**
 * The hashes of Unix systems (`$1$`, `$5$`, `$6$`), for records that come from elsewhere; none are made. They are written as PHC strings
 * (`$sha512-crypt$rounds=5000$…`) like all others, and computed in a thread.
 */
import type { Algorithm } from "./algorithm.ts";
import { digestInThread } from "./threads.ts";

type Digest = "md5" | "sha256" | "sha512";

/** Rounds where the text names none. */
const USUAL_ROUNDS = 5_000;
const MD5_ROUNDS = 1_000;
/** What today's systems make, about as dear as our own records; what `timesUsual` counts from. */
const DEAR_ROUNDS = 600_000;

function cryptOf(digest: Digest, { bytes, longestSalt }: { bytes: number; longestSalt: number }): Algorithm {
  const [least, most] = digest === "md5" ? [MD5_ROUNDS, MD5_ROUNDS] : [1_000, 999_999_999];
  return {
    id: `${digest}-crypt`,
    title: `${digest.replace("sha", "SHA-").replace("md5", "MD5")} over and over, from a Unix system`,
    parameters: new Map([["rounds", "rounds"]]),
    makes: false,
    usual: { rounds: DEAR_ROUNDS },
    floors: [],
    fixedLength: bytes,
    fault: ({ rounds = 0 }) =>
      rounds >= least && rounds <= most
        ? null
        : `rounds ${least === most ? `are always ${least}` : `go from ${least} to ${most}`}`,
    memoryBytes: () => 1024 * 1024,
    work: ({ rounds = 0 }) => rounds,
    describe: ({ rounds = 0 }) =>
      new Map([["rounds", `the digest is made ${rounds.toLocaleString("en")} times over`]]),
    async digest(password, salt, { rounds = 0 }) {
      if (salt.length > longestSalt) return null;
      return digestInThread({ algorithm: "unix-crypt", digest, password, salt, rounds });
    },
  };
}

export const md5Crypt = cryptOf("md5", { bytes: 16, longestSalt: 8 });
export const sha256Crypt = cryptOf("sha256", { bytes: 32, longestSalt: 16 });
export const sha512Crypt = cryptOf("sha512", { bytes: 64, longestSalt: 16 });

const UNIX_CRYPT = /^\$([156])\$(?:rounds=([0-9]{1,9})\$)?([^$\s:]{1,16})\$([./0-9A-Za-z]{22,86})$/;
const LETTERS = "./0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz";

/** In which order the bytes of a digest are written, in threes; what is left stands by itself at the end. */
const ORDERS: Readonly<Record<Digest, readonly number[]>> = {
  md5: [0, 6, 12, 1, 7, 13, 2, 8, 14, 3, 9, 15, 4, 10, 5, 11],
  sha256: inTurns(10, [0, 10, 20], [2, 0, 1]).concat(31, 30),
  sha512: inTurns(21, [0, 21, 42], [1, 2, 0]).concat(63),
};

/** Threes that count up by one, and whose places change each time. */
function inTurns(count: number, first: readonly number[], turn: readonly number[]): number[] {
  const all: number[] = [];
  let places = [...first];
  for (let step = 0; step < count; step += 1) {
    all.push(...places.map((place) => place + step));
    places = turn.map((from) => places[from] ?? 0);
  }
  return all;
}

/**
 * Rewrites the customary form `$6$rounds=5000$<salt>$<hash>` as the PHC string kept here.
 * @returns `null` if it is not of that form.
 */
export function fromUnixCrypt(text: string): string | null {
  const [, kind, rounds, salt = "", written = ""] = UNIX_CRYPT.exec(text) ?? [];
  const digest = ({ "1": "md5", "5": "sha256", "6": "sha512" } as const)[kind ?? ""];
  if (digest === undefined || (digest === "md5" && rounds !== undefined)) return null;
  const hash = readLetters(written, ORDERS[digest]);
  if (hash === null) return null;
  const base64 = (bytes: Uint8Array): string => Buffer.from(bytes).toString("base64").replaceAll("=", "");
  const count = digest === "md5" ? MD5_ROUNDS : Number(rounds ?? USUAL_ROUNDS);
  return `$${digest}-crypt$rounds=${count}$${base64(Buffer.from(salt, "latin1"))}$${base64(hash)}`;
}

/** Four letters are three bytes, the lowest six bits first; the last group is shorter. */
function readLetters(written: string, order: readonly number[]): Uint8Array | null {
  const hash = new Uint8Array(order.length);
  let at = 0;
  for (let from = 0; from < order.length; from += 3) {
    const places = order.slice(from, from + 3);
    const letters = Math.ceil((places.length * 8) / 6);
    let bits = 0;
    for (let index = letters - 1; index >= 0; index -= 1) {
      const value = LETTERS.indexOf(written[at + index] ?? " ");
      if (value < 0) return null;
      bits = bits * 64 + value;
    }
    at += letters;
    for (let index = places.length - 1; index >= 0; index -= 1) {
      hash[places[index] ?? 0] = bits % 256;
      bits = Math.floor(bits / 256);
    }
    if (bits !== 0) return null;
  }
  return at === written.length ? hash : null;
}
