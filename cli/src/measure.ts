/** Measuring a password scheme on this machine, as many hashes at once as a service here would run. */
import { randomBytes } from "node:crypto";
import { availableParallelism } from "node:os";
import { performance } from "node:perf_hooks";
import type { Measure } from "@lucchetto/core";
import { makeRecord, SALT_LENGTH, withPepper } from "@lucchetto/core";

/** What the service runs at once unless configured otherwise. */
export const USUAL_PARALLEL = Math.max(1, availableParallelism() - 1);

/** @param parallel hashes at once. */
export function measureHere(parallel: number): Measure {
  return async (scheme, hashes) => {
    const bare = withPepper(scheme, null);
    const hash = () => makeRecord("a password that nobody has", bare, randomBytes(SALT_LENGTH));
    // The first one pays for memory and threads that the process has not held before.
    await Promise.all(Array.from({ length: parallel }, hash));
    const times: number[] = [];
    const began = performance.now();
    const lane = async (): Promise<void> => {
      for (let done = 0; done < hashes; done += 1) {
        const started = performance.now();
        await hash();
        times.push(performance.now() - started);
      }
    };
    await Promise.all(Array.from({ length: parallel }, lane));
    return { times, perSecond: (times.length * 1_000) / (performance.now() - began) };
  };
}
