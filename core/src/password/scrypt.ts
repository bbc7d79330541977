/**
 * The scheme scrypt (RFC 7914) over node's own implementation, with every parameter bounded before it is used:
 * a stored or imported string can never make this process reserve more than the configured memory.
 */
import { scrypt as nodeScrypt } from "node:crypto";
import type { Scheme, SchemeLimits } from "./scheme.ts";
import { SchemeError } from "./scheme.ts";

/** The parameters of RFC 7914 section 2. */
export interface ScryptParameters {
  /** log2 of the cost N: N = 2^ln blocks are filled and then read in an order that the password decides. */
  readonly ln: number;
  /** Block size: one block is 128·r bytes. */
  readonly r: number;
  /** How often the whole is done one after the other (node does not run them side by side). */
  readonly p: number;
}

const NAMES = ["ln", "r", "p"] as const;
const DECIMAL = /^[1-9][0-9]{0,5}$/;

/**
 * Reads `ln=15,r=8,p=3`, in that order, as decimal numbers without leading zeros.
 * @throws SchemeError naming the parameter, what was found and what is expected.
 */
export function readScryptParameters(
  pairs: ReadonlyArray<readonly [string, string]>,
  limits: SchemeLimits,
): ScryptParameters {
  if (pairs.length !== NAMES.length || pairs.some(([name], index) => name !== NAMES[index])) {
    throw new SchemeError("scrypt takes exactly the parameters ln, r, p in this order");
  }
  const [ln, r, p] = pairs.map(([name, value]) => {
    if (!DECIMAL.test(value)) {
      throw new SchemeError(`scrypt parameter ${name} must be a whole number from 1 without leading zeros`);
    }
    return Number(value);
  }) as [number, number, number];
  const parameters = { ln, r, p };
  assertWithinLimits(parameters, limits);
  return parameters;
}

/** Memory in bytes that one computation holds: V of 128·r·N, B of 128·r·p, and two working blocks. */
export function scryptMemoryBytes({ ln, r, p }: ScryptParameters): number {
  return 128 * r * (2 ** ln + p + 2);
}

/** How many 128·r-byte block mixes one computation does, times r: what its time is proportional to. */
export function scryptOperations({ ln, r, p }: ScryptParameters): number {
  return 2 ** ln * r * p;
}

/**
 * Computes the hash off the event loop (node's thread pool).
 * @param password UTF-8 bytes, prepared. @param salt raw bytes. @param length bytes of output.
 */
export function scrypt(
  password: Uint8Array,
  salt: Uint8Array,
  parameters: ScryptParameters,
  length: number,
): Promise<Uint8Array> {
  const { ln, r, p } = parameters;
  return new Promise((resolve, reject) => {
    // node refuses to start above `maxmem`; its default of 32 MiB is below what ln=15, r=8, p=3 needs.
    const maxmem = scryptMemoryBytes(parameters);
    nodeScrypt(password, salt, length, { N: 2 ** ln, r, p, maxmem }, (error, hash) => {
      if (error) reject(error);
      else resolve(new Uint8Array(hash));
    });
  });
}

/** What the parameters mean, for people. */
export function describeScrypt(scheme: Scheme<ScryptParameters>): ReadonlyMap<string, string> {
  const { ln, r, p } = scheme.parameters;
  const rounds = 2 ** ln;
  const mebibytes = (128 * r * rounds) / 2 ** 20;
  return new Map([
    ["ln", `2^${ln} = ${rounds.toLocaleString("en")} blocks are filled and read back`],
    [
      "r",
      `each block is ${(128 * r).toLocaleString("en")} bytes, so ${formatMebibytes(mebibytes)} of memory`,
    ],
    ["p", p === 1 ? "done once" : `done ${p} times, one after the other`],
  ]);
}

function formatMebibytes(mebibytes: number): string {
  return mebibytes >= 1 ? `${Number(mebibytes.toFixed(1))} MiB` : `${Math.round(mebibytes * 1024)} KiB`;
}

/** RFC 7914 section 2: r·p < 2^30 and N < 2^(128·r/8); both lie far above the configured ceilings. */
function assertWithinLimits(parameters: ScryptParameters, limits: SchemeLimits): void {
  const memory = scryptMemoryBytes(parameters);
  if (!(memory <= limits.memoryBytes)) {
    throw new SchemeError(
      `scrypt with ln=${parameters.ln}, r=${parameters.r} needs ${formatMebibytes(memory / 2 ** 20)} of memory; the limit is ${formatMebibytes(limits.memoryBytes / 2 ** 20)}`,
    );
  }
  if (!(scryptOperations(parameters) <= limits.operations)) {
    throw new SchemeError(
      `scrypt with ln=${parameters.ln}, r=${parameters.r}, p=${parameters.p} costs more than the limit of ${limits.operations.toLocaleString("en")} block operations`,
    );
  }
}
