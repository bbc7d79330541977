/**
 * Places for work that hashes: so many at once, and a line behind them in which nobody's many requests come before somebody else's one.
 * Known browsers go first; networks take turns, and within a network the accounts. A full line sends away the newest of whoever has most in it.
 */
import { performance } from "node:perf_hooks";
import { ProblemReply } from "../problem.ts";

/** Who wants a place. */
export interface Asker {
  /** `null`: it cannot be read. All of these are one. */
  readonly network: string | null;
  /** Whose password it is: an account's id, or what was typed. */
  readonly account: string | null;
  /** A browser in which somebody signed in to this account before. */
  readonly isKnown: boolean;
}

/** The service itself: nobody's network, and never in anybody's way. */
export const NOBODYS: Asker = { network: null, account: null, isKnown: false };

export interface Places {
  /** Does it in a place of its own. @throws SentAway when the line is full, or after the longest wait. */
  run<Result>(asker: Asker, work: () => Promise<Result>): Promise<Result>;
  /** Does what nobody waits for, in a place that nobody else wants. */
  runInBackground<Result>(work: () => Promise<Result>): Promise<Result>;
  /** How many run and wait at this moment. */
  load(): { running: number; waiting: number };
  /** Tells, of everything that was let through, how many seconds it had waited. */
  onWaited(listener: (seconds: number) => void): void;
}

/** Retry-After in seconds when the queue is full. */
const RETRY_AFTER = 1;
const OWN_CROWD = "Too many requests from this network at once. Send them one after the other.";

/** No place was found: 429 for whoever comes with many of their own network while others wait, and 503 for everybody else. */
export class SentAway extends ProblemReply {
  constructor(isOwnCrowd: boolean) {
    super(isOwnCrowd ? "throttled" : "too-busy", {
      retryAfter: RETRY_AFTER,
      ...(isOwnCrowd ? { detail: OWN_CROWD } : {}),
    });
  }
}

interface Waiting {
  readonly asker: Asker;
  readonly letIn: () => void;
  readonly turnAway: () => void;
  /** Whether somebody else of its network was in line meanwhile. */
  isCrowded: boolean;
}

/**
 * @param parallel at once. @param queue how many wait at most. @param wait milliseconds that one waits at most.
 * @param together how many run at most with what nobody waits for; `parallel`, if left out.
 */
export function createPlaces({
  parallel,
  queue,
  wait,
  together = parallel,
}: {
  parallel: number;
  queue: number;
  wait: number;
  together?: number;
}): Places {
  const known = createTurns();
  const strangers = createTurns();
  const turnsOf = ({ isKnown }: Asker): Turns => (isKnown ? known : strangers);
  /** What is done while nobody waits. */
  const beside: Array<() => void> = [];
  const listeners: Array<(seconds: number) => void> = [];
  let running = 0;
  let besides = 0;

  /** Lets in whoever has a place by now. */
  function admit(): void {
    while (running < parallel) {
      const next = known.take() ?? strangers.take();
      if (next === undefined) break;
      running += 1;
      next.letIn();
    }
    while (running + besides < together) {
      const next = beside.shift();
      if (next === undefined) break;
      besides += 1;
      next();
    }
  }

  const doOthersWait = (asker: Asker): boolean => known.holdsOthers(asker) || strangers.holdsOthers(asker);

  /** Makes room for one more, if somebody has more in line than whoever comes. */
  function makeRoom(asker: Asker): void {
    if (known.size + strangers.size < queue) return;
    // Strangers give way first, known browsers to known ones alone.
    const crowded = strangers.size > 0 ? strangers : known;
    const least = crowded === turnsOf(asker) ? crowded.sizeOf(asker) + 1 : 0;
    const newest = asker.isKnown || crowded === strangers ? crowded.newestOfMost(least) : undefined;
    if (newest === undefined) throw new SentAway(crowded.sizeOf(asker) > 0 && doOthersWait(asker));
    newest.turnAway();
  }

  /** @throws SentAway. */
  function waitForTurn(asker: Asker): Promise<void> {
    makeRoom(asker);
    return new Promise((resolve, reject) => {
      const turns = turnsOf(asker);
      // Whoever waits keeps their connection open; this alone keeps no process running.
      const timer = setTimeout(() => one.turnAway(), wait).unref();
      const one: Waiting = {
        asker,
        letIn() {
          clearTimeout(timer);
          resolve();
        },
        turnAway() {
          clearTimeout(timer);
          turns.leave(one);
          reject(new SentAway(one.isCrowded && doOthersWait(asker)));
        },
        isCrowded: false,
      };
      turns.add(one);
    });
  }

  return {
    async run(asker, work) {
      const came = performance.now();
      if (running < parallel) running += 1;
      else await waitForTurn(asker);
      const seconds = (performance.now() - came) / 1_000;
      for (const listener of listeners) listener(seconds);
      try {
        return await work();
      } finally {
        running -= 1;
        admit();
      }
    },
    async runInBackground(work) {
      await new Promise<void>((resolve) => {
        beside.push(resolve);
        admit();
      });
      try {
        return await work();
      } finally {
        besides -= 1;
        admit();
      }
    },
    load: () => ({ running: running + besides, waiting: known.size + strangers.size }),
    onWaited(listener) {
      listeners.push(listener);
    },
  };
}

type Turns = ReturnType<typeof createTurns>;

/** Those of one network, by accounts. Maps keep the order in which keys came: who had a turn goes to the end. */
interface OfNetwork {
  /** Grows with each turn; whoever comes begins where the others are. The lowest is next. */
  turn: number;
  readonly accounts: Map<string, Set<Waiting>>;
}

/** A line of networks in turn, each a line of accounts in turn. */
function createTurns() {
  const networks = new Map<string, OfNetwork>();
  /** Of the last one that was let in. */
  let turn = 0;
  let size = 0;
  const networkOf = ({ network }: Asker): string => network ?? "";
  const accountOf = ({ account }: Asker): string => account ?? "";

  /** Takes one out; whatever is empty goes. */
  function remove(one: Waiting): void {
    const own = networks.get(networkOf(one.asker));
    const line = own?.accounts.get(accountOf(one.asker));
    if (own === undefined || line === undefined || !line.delete(one)) return;
    size -= 1;
    if (line.size === 0) own.accounts.delete(accountOf(one.asker));
    if (own.accounts.size === 0) networks.delete(networkOf(one.asker));
  }

  const waitingOf = (own: OfNetwork): Waiting[] => [...own.accounts.values()].flatMap((line) => [...line]);

  const sizeOfNetwork = (own: OfNetwork | undefined): number =>
    [...(own?.accounts.values() ?? [])].reduce((sum, line) => sum + line.size, 0);

  return {
    get size() {
      return size;
    },
    add(one: Waiting): void {
      const network = networkOf(one.asker);
      const account = accountOf(one.asker);
      const own = networks.get(network) ?? { turn, accounts: new Map<string, Set<Waiting>>() };
      for (const other of waitingOf(own)) {
        other.isCrowded = true;
        one.isCrowded = true;
      }
      own.accounts.set(account, (own.accounts.get(account) ?? new Set<Waiting>()).add(one));
      networks.set(network, own);
      size += 1;
    },
    leave: remove,
    /** Whose turn it is. */
    take(): Waiting | undefined {
      let next: OfNetwork | undefined;
      for (const own of networks.values()) if (next === undefined || own.turn < next.turn) next = own;
      const [account, line] = next?.accounts.entries().next().value ?? [];
      const one = line?.values().next().value;
      if (next === undefined || account === undefined || line === undefined || one === undefined)
        return undefined;
      remove(one);
      ({ turn } = next);
      next.turn += 1;
      if (next.accounts.delete(account)) next.accounts.set(account, line);
      return one;
    },
    /** Whether anybody of another network waits. */
    holdsOthers: (asker: Asker): boolean => networks.size > (networks.has(networkOf(asker)) ? 1 : 0),
    /** How many of this network wait. */
    sizeOf: (asker: Asker): number => sizeOfNetwork(networks.get(networkOf(asker))),
    /** The newest of the network that has most here; none, unless it has more than `least`. */
    newestOfMost(least: number): Waiting | undefined {
      let most: OfNetwork | undefined;
      let count = least;
      for (const own of networks.values()) {
        const ownSize = sizeOfNetwork(own);
        if (ownSize > count) [most, count] = [own, ownSize];
      }
      // Of accounts that have equally many the one that came last.
      const longest = [...(most?.accounts.values() ?? [])].reduce<ReadonlySet<Waiting> | undefined>(
        (longer, line) => (longer === undefined || line.size >= longer.size ? line : longer),
        undefined,
      );
      return [...(longest ?? [])].at(-1);
    },
  };
}
