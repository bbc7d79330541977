/**
 * Streams to browsers that say when a session has ended (`text/event-stream`). All streams of a process are answered by one
 * question a second. The service keeps its own pages' streams so, and the hasp those of an application's pages.
 */

/** Milliseconds between two questions. */
const ASK_EVERY = 1_000;
/** Turns between two signs of life, which keep proxies from closing the stream: also while nobody can be asked. */
const LIFE_SIGN_EVERY = 20;
/** Streams of one session, and of one process. */
const MAX_PER_SESSION = 20;
const MAX_AT_ONCE = 10_000;

/** Headers of such a stream. */
export const EVENT_STREAM_HEADERS = {
  "content-type": "text/event-stream",
  "cache-control": "no-store",
  // Proxies that gather replies would keep the event back.
  "x-accel-buffering": "no",
} as const;

/** What a stream begins with: how long a browser waits before it connects again. */
export const EVENT_STREAM_START = "retry: 3000\n\n";

/** Where events are written to: node's response is one. */
export interface EventSink {
  /** Its client is gone. */
  readonly destroyed?: boolean;
  write(text: string): unknown;
  end(text?: string): unknown;
  once(event: "close", listener: () => void): unknown;
}

export interface SessionStreams {
  /** Keeps a stream until its session ends or its client goes. @returns `false` where there are too many, or the client has gone. */
  keep(sessionId: string, stream: EventSink): boolean;
  /** Streams that are kept. */
  count(): number;
  /** Ends all of them, as a restarting process does: browsers connect again by themselves. */
  close(): void;
}

/**
 * Begins to ask as soon as there is a stream.
 * @param findLiving which of these sessions still live. @param failed is told of a question that could not be asked; streams stay as they are.
 */
export function keepSessionStreams(
  findLiving: (sessionIds: readonly string[]) => Promise<ReadonlySet<string>>,
  failed: (error: unknown) => void,
): SessionStreams {
  const streams = new Map<string, Set<EventSink>>();
  let count = 0;
  let turns = 0;
  let isAsking = false;
  let timer: ReturnType<typeof setInterval> | null = null;

  const all = (): EventSink[] => [...streams.values()].flatMap((of) => [...of]);

  function turn(): void {
    turns += 1;
    if (turns % LIFE_SIGN_EVERY === 0) for (const stream of all()) stream.write(":\n\n");
    void ask();
  }

  async function ask(): Promise<void> {
    if (isAsking) return;
    isAsking = true;
    try {
      const ids = [...streams.keys()];
      const living = await findLiving(ids);
      for (const id of ids) if (!living.has(id)) end(id);
    } catch (error) {
      failed(error);
    } finally {
      isAsking = false;
    }
  }

  function end(id: string): void {
    for (const stream of streams.get(id) ?? []) stream.end("event: ended\ndata: {}\n\n");
    streams.delete(id);
  }

  function forget(id: string, stream: EventSink): void {
    count -= 1;
    const of = streams.get(id);
    of?.delete(stream);
    if (of?.size === 0) streams.delete(id);
    if (count === 0) stop();
  }

  function stop(): void {
    if (timer !== null) clearInterval(timer);
    timer = null;
  }

  return {
    keep(id, stream) {
      const of = streams.get(id) ?? new Set();
      // One that is gone already would never say so.
      if (stream.destroyed === true || count >= MAX_AT_ONCE || of.size >= MAX_PER_SESSION) return false;
      count += 1;
      streams.set(id, of.add(stream));
      stream.once("close", () => forget(id, stream));
      timer ??= setInterval(turn, ASK_EVERY).unref();
      return true;
    },
    count: () => count,
    close() {
      stop();
      for (const stream of all()) stream.end();
    },
  };
}
