/**
 * Argon2id (RFC 9106), version 1.3 (0x13 = 19), computed in a worker thread. Parameters: `m`, memory in KiB; `t`,
 * passes over it; `p`, lanes (computed one after the other here).
 */
import type { Algorithm, Parameters } from "./algorithm.ts";
import { formatBytes } from "./algorithm.ts";
import { digestInThread } from "./threads.ts";

export const argon2id: Algorithm = {
  id: "argon2id",
  version: 19,
  title: "Argon2id, a memory-hard password hash (RFC 9106), version 1.3",
  parameters: new Map([
    ["m", "memory"],
    ["t", "passes"],
    ["p", "lanes"],
  ]),
  makes: true,
  usual: { m: 47_104, t: 3, p: 1 },
  floors: [{ m: 19_456, t: 2, p: 1 }],
  // RFC 9106 section 3.1: p lanes from 1 to 2^24-1, m at least 8·p KiB. A lane count above 16 helps nobody here.
  fault({ m = 0, p = 0 }: Parameters) {
    if (p > 16) return "p is at most 16";
    return m < 8 * p ? `m is at least 8·p = ${8 * p} KiB` : null;
  },
  memoryBytes: ({ m = 0 }) => m * 1024,
  work: ({ m = 0, t = 0 }) => m * t,
  describe: ({ m = 0, t = 0, p = 0 }) =>
    new Map([
      ["m", `${formatBytes(m * 1024)} of memory are filled`],
      ["t", t === 1 ? "passed over once" : `passed over ${t} times`],
      ["p", p === 1 ? "in one lane" : `in ${p} lanes`],
    ]),
  digest: (password, salt, { m = 0, t = 0, p = 0 }, length) =>
    digestInThread({ algorithm: "argon2id", password, salt, m, t, p, length }),
};
