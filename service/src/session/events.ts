/**
 * A stream to a browser that says when its session has ended, whoever ended it. All streams of an instance are answered
 * by one question a second.
 */
import type { ServerResponse } from "node:http";
import type { FastifyBaseLogger } from "fastify";
import type { ServiceContext } from "../context.ts";
import { findLiving } from "./store.ts";

/** Milliseconds between two questions. */
const ASK_EVERY = 1_000;
/** Questions between two signs of life, which keep proxies from closing the stream. */
const LIFE_SIGN_EVERY = 20;
/** Streams of one session, and of one instance. */
const MOST_OF_SESSION = 20;
const MOST_AT_ONCE = 10_000;

export interface SessionStreams {
  /** Keeps a stream. @returns `false` where there are too many. */
  keep(sessionId: string, stream: ServerResponse): boolean;
  /** Ends all of them, as a restarting service does: browsers connect again by themselves. */
  close(): void;
}

/** Begins to ask as soon as there is a stream. */
export function keepStreams(
  { dataSource, clock }: Pick<ServiceContext, "dataSource" | "clock">,
  logger: Pick<FastifyBaseLogger, "debug">,
): SessionStreams {
  const streams = new Map<string, Set<ServerResponse>>();
  let count = 0;
  let asked = 0;
  let isAsking = false;
  let timer: ReturnType<typeof setInterval> | null = null;

  const ask = async (): Promise<void> => {
    if (isAsking) return;
    isAsking = true;
    try {
      asked += 1;
      const ids = [...streams.keys()];
      const living = await findLiving(dataSource, ids, clock.now());
      for (const id of ids) if (!living.has(id)) end(id);
      if (asked % LIFE_SIGN_EVERY === 0)
        for (const stream of [...streams.values()].flatMap((of) => [...of])) stream.write(":\n\n");
    } catch (error) {
      // Nothing is known at the moment; streams stay as they are.
      logger.debug({ err: error }, "the sessions of streams could not be asked for");
    } finally {
      isAsking = false;
    }
  };

  function end(id: string): void {
    for (const stream of streams.get(id) ?? []) stream.end("event: ended\ndata: {}\n\n");
    streams.delete(id);
  }

  function forget(id: string, stream: ServerResponse): void {
    count -= 1;
    const of = streams.get(id);
    of?.delete(stream);
    if (of?.size === 0) streams.delete(id);
    if (count === 0 && timer !== null) {
      clearInterval(timer);
      timer = null;
    }
  }

  return {
    keep(id, stream) {
      const of = streams.get(id) ?? new Set();
      if (count >= MOST_AT_ONCE || of.size >= MOST_OF_SESSION) return false;
      count += 1;
      streams.set(id, of.add(stream));
      stream.once("close", () => forget(id, stream));
      timer ??= setInterval(() => void ask(), ASK_EVERY).unref();
      return true;
    },
    close() {
      if (timer !== null) clearInterval(timer);
      for (const stream of [...streams.values()].flatMap((of) => [...of])) stream.end();
    },
  };
}
