/** Measuring schemes on the service's own machine: in the background, under the same bound as everybody's hashes. */
import { randomBytes } from "node:crypto";
import { performance } from "node:perf_hooks";
import type { HashTuning } from "@lucchetto/contract";
import type { Measure, TuningWish } from "@lucchetto/core";
import { ALGORITHMS, makeRecord, SALT_LENGTH, tune, tuningSteps, withPepper } from "@lucchetto/core";
import type { FastifyBaseLogger } from "fastify";
import { ProblemReply } from "../../base/problem.ts";
import { NOBODYS } from "../../base/queue/places.ts";
import type { ServiceContext } from "../../records/context.ts";

interface Tuning {
  show(): HashTuning;
  /** Begins, unless one is under way: then that one is shown. */
  begin(wish: { algorithm: string; targetMilliseconds: number; memoryBytes: number }): HashTuning;
  /** Breaks off what is under way, after the hash that is being made. */
  close(): void;
}

const NOTHING: HashTuning = {
  state: "idle",
  done: 0,
  steps: 0,
  algorithm: null,
  targetMilliseconds: null,
  finishedAt: null,
  rows: [],
};

export function createTuning(
  { hashing, clock }: Pick<ServiceContext, "hashing" | "clock">,
  logger: FastifyBaseLogger,
): Tuning {
  let shown = NOTHING;
  const closing = new AbortController();

  const measure: Measure = async (scheme, hashes) => {
    const bare = withPepper(scheme, null);
    const times: number[] = [];
    for (let done = 0; done <= hashes; done += 1) {
      closing.signal.throwIfAborted();
      // Waiting for a turn is no part of a hash's time.
      const took = await hashing.run(NOBODYS, async () => {
        const began = performance.now();
        await makeRecord("a password that nobody has", bare, randomBytes(SALT_LENGTH));
        return performance.now() - began;
      });
      // The first one pays for memory and threads that the process has not held before.
      if (done > 0) times.push(took);
    }
    const sum = times.reduce((total, time) => total + time, 0);
    return { times, perSecond: (times.length * 1_000) / sum };
  };

  const run = async (wish: TuningWish): Promise<void> => {
    const rows = await tune(wish, measure, (done) => (shown = { ...shown, done }));
    shown = { ...shown, state: "done", finishedAt: clock.now().toISOString(), rows };
  };

  return {
    show: () => shown,
    begin({ algorithm: id, targetMilliseconds, memoryBytes }) {
      if (shown.state === "measuring") return shown;
      const algorithm = ALGORITHMS.get(id);
      if (algorithm === undefined) throw new ProblemReply("not-found");
      const wish = { algorithm, targetMilliseconds, memoryBytes, present: withPepper(hashing.scheme, null) };
      shown = { ...NOTHING, state: "measuring", steps: tuningSteps(wish), algorithm: id, targetMilliseconds };
      run(wish).catch((error: unknown) => {
        shown = NOTHING;
        if (closing.signal.aborted) return;
        logger.warn({ err: error }, "the measurement of password schemes was broken off");
      });
      return shown;
    },
    close: () => closing.abort(),
  };
}
