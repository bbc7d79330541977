/**
 * Look-ups that wait at one moment, joined into one question. Nothing is stale: a look-up is only ever answered by a
 * question that was asked after it; what is on its way takes nobody along.
 */

/** Questions under way at once: while the database works on them, the next ones gather. */
const AT_ONCE = 3;
/** Waiting keys that are worth another question beside one under way; fewer are better off together. */
const MIN_PARALLEL_BATCH = 8;
/** Milliseconds that fewer wait for a question under way: one that hangs delays nobody else for long. */
const MAX_WAIT_MS = 20;
/** Keys in one question: few, so that answers and new questions overlap; as many as wait, where that would be too slow. */
const SMALL_BATCH = 32;
const MAX_JOINED = 200;

interface Waiting<Row> {
  readonly key: Buffer;
  readonly answered: Array<{ resolve: (row: Row | null) => void; reject: (error: unknown) => void }>;
}

/**
 * @param ask finds the rows of these keys, in any order.
 * @param keyOf the key that a row was found by.
 * @returns finds the row of one key; `null` if there is none.
 */
export function joinLookUps<Row>(
  ask: (keys: readonly Buffer[]) => Promise<Row[]>,
  keyOf: (row: Row) => Buffer,
): (key: Buffer) => Promise<Row | null> {
  let waiting = new Map<string, Waiting<Row>>();
  let underway = 0;
  let isScheduled = false;
  let impatient: NodeJS.Timeout | null = null;

  function schedule(least = underway === 0 ? 1 : MIN_PARALLEL_BATCH): void {
    if (isScheduled || underway >= AT_ONCE || waiting.size === 0) return;
    if (waiting.size < least) {
      impatient ??= setTimeout(() => {
        impatient = null;
        schedule(1);
      }, MAX_WAIT_MS);
      return;
    }
    isScheduled = true;
    // After whatever else has arrived in this turn of the event loop.
    setImmediate(() => {
      isScheduled = false;
      void askNext();
    });
  }

  async function askNext(): Promise<void> {
    const batch = take();
    if (batch.size === 0) return;
    underway += 1;
    schedule();
    try {
      const rows = await ask([...batch.values()].map(({ key }) => key));
      const found = new Map(rows.map((row) => [nameOf(keyOf(row)), row]));
      for (const [name, { answered }] of batch)
        for (const { resolve } of answered) resolve(found.get(name) ?? null);
    } catch (error) {
      for (const { answered } of batch.values()) for (const { reject } of answered) reject(error);
    } finally {
      underway -= 1;
      schedule();
    }
  }

  function take(): Map<string, Waiting<Row>> {
    const share = waiting.size > SMALL_BATCH * AT_ONCE ? MAX_JOINED : SMALL_BATCH;
    if (waiting.size <= share) {
      const all = waiting;
      waiting = new Map();
      return all;
    }
    const some = new Map([...waiting].slice(0, share));
    for (const name of some.keys()) waiting.delete(name);
    return some;
  }

  return (key) =>
    new Promise((resolve, reject) => {
      const name = nameOf(key);
      const one = waiting.get(name) ?? { key, answered: [] };
      one.answered.push({ resolve, reject });
      waiting.set(name, one);
      schedule();
    });
}

function nameOf(key: Buffer): string {
  return key.toString("latin1");
}
