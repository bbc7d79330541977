/** Hashing under load: so many at once, a bounded queue behind them, and past it an honest "too busy". */
import { randomBytes } from "node:crypto";
import { performance } from "node:perf_hooks";
import type { KeyRing, PasswordRecord, Peppers, Scheme } from "@lucchetto/core";
import { checkRecord, deriveKey, HASH_LENGTH, makeRecord, SALT_LENGTH, withPepper } from "@lucchetto/core";
import type { Configuration } from "../config/index.ts";
import { ProblemReply } from "../problem.ts";
import type { StoredPassword, TypedPassword } from "./checking.ts";

export interface Hashing {
  /** The scheme of new records, with the pepper's key if one is wanted. */
  readonly scheme: Scheme;
  /** The pepper's keys, by id: those of the whole ring. */
  readonly peppers: Peppers;
  /**
   * Milliseconds that one hash of the configured scheme takes on this machine. Measured beside the start, which waits for nothing:
   * whoever needs it in the first second waits for it.
   */
  readonly measured: Promise<number>;
  /** Makes a record of a prepared password. @throws ProblemReply `too-busy`. */
  make(password: string): Promise<string>;
  /** Checks a password; against nothing stored it costs the same and is false. @throws ProblemReply `too-busy`. */
  check(shown: TypedPassword, stored: StoredPassword | null): Promise<boolean>;
  /** Runs other work that hashes under the same bound, as a measurement does. @throws ProblemReply `too-busy`. */
  run<Result>(work: () => Promise<Result>): Promise<Result>;
  /** Runs work that nobody waits for, in a place that nobody else wants: whoever waits goes first, and it is never sent away. */
  runBeside<Result>(work: () => Promise<Result>): Promise<Result>;
  /** How many run and wait at this moment. */
  load(): { running: number; waiting: number };
  /** Tells, of everything that was let through, how many seconds it had waited. */
  onWaited(listener: (seconds: number) => void): void;
}

/** Seconds told to who meets a full queue. */
const RETRY_AFTER = 1;
/** Hashes measured at the start. */
const MEASURED = 3;

/** What new records are made with: the configured scheme, peppered under the ring's current key if that is wanted. */
export function schemeOfNewRecords({
  passwords,
  keyRing,
}: Pick<Configuration, "passwords" | "keyRing">): Scheme {
  const { scheme } = passwords.hashing;
  return passwords.pepper === "on" && keyRing !== null ? withPepper(scheme, keyRing.current) : scheme;
}

/** The pepper's keys: derived from the ring's for this purpose alone. */
export function peppersOf(keyRing: KeyRing | null): Peppers {
  return new Map([...(keyRing?.keys ?? [])].map(([id, key]) => [id, deriveKey(key, "pepper")]));
}

/** Makes the service's hashing, and begins to measure the scheme on this machine. */
export function createHashing(configuration: Pick<Configuration, "passwords" | "keyRing">): Hashing {
  const scheme = schemeOfNewRecords(configuration);
  const peppers = peppersOf(configuration.keyRing);
  const gate = createGate(configuration.passwords.hashing);
  const nobodysRecord: PasswordRecord = {
    scheme,
    salt: randomBytes(SALT_LENGTH),
    hash: randomBytes(HASH_LENGTH),
  };
  const make = (password: string) => makeRecord(password, scheme, randomBytes(SALT_LENGTH), peppers);
  return {
    scheme,
    peppers,
    measured: measure(() => make("a password that nobody has")),
    make: (password) => gate.run(() => make(password)),
    check: (shown, stored) =>
      gate.run(async () => {
        if (stored !== null) return stored.matches(shown);
        await checkRecord(shown.prepared, nobodysRecord, peppers);
        return false;
      }),
    run: gate.run,
    runBeside: gate.runBeside,
    load: gate.load,
    onWaited: gate.onWaited,
  };
}

async function measure(hash: () => Promise<unknown>): Promise<number> {
  const times: number[] = [];
  for (let round = 0; round <= MEASURED; round += 1) {
    const started = performance.now();
    await hash();
    times.push(performance.now() - started);
  }
  // The first one also pays for memory that the process has not held before.
  const [median = 0] = times
    .slice(1)
    .sort((left, right) => left - right)
    .slice(Math.floor(MEASURED / 2));
  return median;
}

interface Waiting {
  readonly letIn: () => void;
  readonly sendAway: () => void;
}

/** Lets `parallel` through at once and keeps up to `queue` waiting, first come first served, none longer than `wait`. */
function createGate({ parallel, queue, wait }: { parallel: number; queue: number; wait: number }) {
  const waiting = new Set<Waiting>();
  /** What is done while nobody waits. */
  const beside: Array<() => void> = [];
  const listeners: Array<(seconds: number) => void> = [];
  let running = 0;

  const leave = (): void => {
    running -= 1;
    const [next] = waiting;
    const letIn = next?.letIn ?? beside.shift();
    if (letIn === undefined) return;
    running += 1;
    letIn();
  };

  /** @throws ProblemReply `too-busy`. */
  function waitForTurn(): Promise<void> {
    return new Promise((resolve, reject) => {
      const end = (): void => {
        waiting.delete(one);
        clearTimeout(timer);
      };
      const one: Waiting = {
        letIn() {
          end();
          resolve();
        },
        sendAway() {
          end();
          reject(new ProblemReply("too-busy", { retryAfter: RETRY_AFTER }));
        },
      };
      const timer = setTimeout(one.sendAway, wait);
      waiting.add(one);
    });
  }

  return {
    async run<Result>(work: () => Promise<Result>): Promise<Result> {
      const came = performance.now();
      if (running < parallel) running += 1;
      else if (waiting.size >= queue) throw new ProblemReply("too-busy", { retryAfter: RETRY_AFTER });
      else await waitForTurn();
      const seconds = (performance.now() - came) / 1_000;
      for (const listener of listeners) listener(seconds);
      try {
        return await work();
      } finally {
        leave();
      }
    },
    async runBeside<Result>(work: () => Promise<Result>): Promise<Result> {
      if (running < parallel) running += 1;
      else await new Promise<void>((resolve) => beside.push(resolve));
      try {
        return await work();
      } finally {
        leave();
      }
    },
    load: () => ({ running, waiting: waiting.size }),
    onWaited: (listener: (seconds: number) => void) => {
      listeners.push(listener);
    },
  };
}
