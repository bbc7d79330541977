/**
 * scrypt (RFC 7914) over node's own implementation, which runs in its thread pool. Parameters: `ln`, log2 of the cost
 * N; `r`, the block size; `p`, how often the whole is done, one after the other.
 */
import { scrypt as nodeScrypt } from "node:crypto";
import type { Algorithm, Parameters } from "./algorithm.ts";
import { formatBytes } from "./algorithm.ts";

/** Memory in bytes that one computation holds: V of 128·r·N, B of 128·r·p, and two working blocks. */
function memoryBytes({ ln = 0, r = 0, p = 0 }: Parameters): number {
  return 128 * r * (2 ** ln + p + 2);
}

export const scrypt: Algorithm = {
  id: "scrypt",
  title: "scrypt, a memory-hard password hash (RFC 7914)",
  parameters: new Map([
    ["ln", "cost factor"],
    ["r", "block size"],
    ["p", "parallelization"],
  ]),
  makes: true,
  usual: { ln: 15, r: 8, p: 3 },
  floors: [
    { ln: 17, r: 8, p: 1 },
    { ln: 16, r: 8, p: 2 },
    { ln: 15, r: 8, p: 3 },
  ],
  memoryBytes,
  work: ({ ln = 0, r = 0, p = 0 }) => 2 ** ln * r * p,
  describe({ ln = 0, r = 0, p = 0 }) {
    const blocks = 2 ** ln;
    return new Map([
      ["ln", `2^${ln} = ${blocks.toLocaleString("en")} blocks are filled and read back`],
      [
        "r",
        `each block is ${(128 * r).toLocaleString("en")} bytes, so ${formatBytes(128 * r * blocks)} of memory`,
      ],
      ["p", p === 1 ? "done once" : `done ${p} times, one after the other`],
    ]);
  },
  digest(password, salt, parameters, length) {
    const { ln = 0, r = 0, p = 0 } = parameters;
    return new Promise((resolve, reject) => {
      // node refuses to start above `maxmem`; its default of 32 MiB is below what ln=15, r=8, p=3 needs.
      const options = { N: 2 ** ln, r, p, maxmem: memoryBytes(parameters) };
      nodeScrypt(password, salt, length, options, (error, hash) => {
        if (error) reject(error);
        else resolve(new Uint8Array(hash));
      });
    });
  },
};
