/** Hashing under load: so many at once, a bounded queue behind them, and past it an honest "too busy". */
import { randomBytes } from "node:crypto";
import { performance } from "node:perf_hooks";
import type { PasswordRecord, Scheme } from "@lucchetto/core";
import { checkRecord, makeRecord, SALT_LENGTH } from "@lucchetto/core";
import { ProblemReply } from "../http/problem.ts";

export interface Hashing {
  readonly scheme: Scheme;
  /** Milliseconds one hash of the configured scheme took on this machine, measured at the start. */
  readonly millisecondsPerHash: number;
  /** Makes a record of a prepared password. @throws ProblemReply `too-busy`. */
  make(password: string): Promise<string>;
  /** Checks a prepared password; against no record it costs the same and is false. @throws ProblemReply `too-busy`. */
  check(password: string, stored: PasswordRecord | null): Promise<boolean>;
  /** How many run and wait at this moment. */
  load(): { running: number; waiting: number };
}

/** Seconds told to who meets a full queue. */
const RETRY_AFTER = 1;
/** Hashes measured at the start. */
const MEASURED = 3;

/** Makes the service's hashing, after measuring the scheme on this machine. */
export async function createHashing(options: {
  readonly scheme: Scheme;
  readonly parallel: number;
  readonly queue: number;
}): Promise<Hashing> {
  const { scheme } = options;
  const enter = createGate(options);
  const nobodysRecord: PasswordRecord = { scheme, salt: randomBytes(SALT_LENGTH), hash: randomBytes(32) };
  return {
    scheme,
    millisecondsPerHash: await measure(scheme),
    make: (password) => enter.run(() => makeRecord(password, scheme, randomBytes(SALT_LENGTH))),
    check: async (password, stored) => {
      const matches = await enter.run(() => checkRecord(password, stored ?? nobodysRecord));
      return matches && stored !== null;
    },
    load: enter.load,
  };
}

async function measure(scheme: Scheme): Promise<number> {
  const times: number[] = [];
  for (let round = 0; round <= MEASURED; round += 1) {
    const started = performance.now();
    await makeRecord("a password that nobody has", scheme, randomBytes(SALT_LENGTH));
    times.push(performance.now() - started);
  }
  // The first one also pays for memory that the process has not held before.
  const [median = 0] = times
    .slice(1)
    .sort((left, right) => left - right)
    .slice(Math.floor(MEASURED / 2));
  return median;
}

/** Lets `parallel` through at once and keeps up to `queue` waiting, first come first served. */
function createGate({ parallel, queue }: { parallel: number; queue: number }) {
  const waiting: Array<() => void> = [];
  let running = 0;

  const leave = (): void => {
    running -= 1;
    const next = waiting.shift();
    if (next === undefined) return;
    running += 1;
    next();
  };

  return {
    async run<Result>(work: () => Promise<Result>): Promise<Result> {
      if (running < parallel) running += 1;
      else if (waiting.length >= queue) throw new ProblemReply("too-busy", { retryAfter: RETRY_AFTER });
      else await new Promise<void>((resolve) => waiting.push(resolve));
      try {
        return await work();
      } finally {
        leave();
      }
    },
    load: () => ({ running, waiting: waiting.length }),
  };
}
