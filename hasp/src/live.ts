/**
 * Open pages that stay true to who is signed in: a browser module, and a stream that says when the session has ended. For
 * all streams of a process Lucchetto is asked once a second.
 */
import { readFileSync } from "node:fs";
import type { Lucchetto } from "./lucchetto.ts";
import { LucchettoUnreachable } from "./lucchetto.ts";
import type { Answer, Visit } from "./visit.ts";

const ASK_EVERY = 1_000;
/** Questions between two signs of life, which keep proxies from closing the stream. */
const LIFE_SIGN_EVERY = 20;
const MOST_AT_ONCE = 10_000;

const MODULE = readFileSync(new URL("../browser/live.js", import.meta.url), "utf8");

/** Where events are written to: node's response is one. */
export interface EventSink {
  writeHead(status: number, headers: Record<string, string>): unknown;
  write(text: string): unknown;
  end(text?: string): unknown;
  once(event: "close", listener: () => void): unknown;
}

export interface Live {
  /** The browser module. */
  script(): Answer;
  /** Keeps the stream of a visitor until the session ends; ends it at once for a guest. */
  stream(visit: Visit, response: EventSink): Promise<void>;
}

/** @param readCheckToken from a Cookie header. */
export function createLive(
  lucchetto: Pick<Lucchetto, "introspect" | "findLiving">,
  readCheckToken: (header: string | undefined) => string | undefined,
): Live {
  const streams = new Map<string, Set<EventSink>>();
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
      const living = await lucchetto.findLiving(ids);
      for (const id of ids) if (!living.has(id)) end(id);
      if (asked % LIFE_SIGN_EVERY === 0)
        for (const stream of [...streams.values()].flatMap((of) => [...of])) stream.write(":\n\n");
    } catch (error) {
      // Nothing is known at the moment; streams stay as they are.
      if (!(error instanceof LucchettoUnreachable)) throw error;
    } finally {
      isAsking = false;
    }
  };

  function end(id: string): void {
    for (const stream of streams.get(id) ?? []) stream.end("event: ended\ndata: {}\n\n");
    streams.delete(id);
  }

  function keep(id: string, stream: EventSink): void {
    count += 1;
    streams.set(id, (streams.get(id) ?? new Set()).add(stream));
    timer ??= setInterval(() => void ask(), ASK_EVERY).unref();
    stream.once("close", () => {
      count -= 1;
      const of = streams.get(id);
      of?.delete(stream);
      if (of?.size === 0) streams.delete(id);
      if (count === 0 && timer !== null) {
        clearInterval(timer);
        timer = null;
      }
    });
  }

  return {
    script: () => ({
      status: 200,
      headers: {
        "content-type": "text/javascript; charset=utf-8",
        "cache-control": "no-cache",
        "x-content-type-options": "nosniff",
      },
      body: MODULE,
    }),
    async stream(visit, response) {
      const token = readCheckToken(visit.headers.cookie);
      let id: string | null = null;
      try {
        id = token === undefined ? null : ((await lucchetto.introspect(token))?.sid ?? null);
      } catch (error) {
        if (!(error instanceof LucchettoUnreachable)) throw error;
      }
      // 204 tells a browser not to connect again (HTML, section 9.2.3).
      if (id === null || count >= MOST_AT_ONCE) {
        response.writeHead(204, { "cache-control": "no-store" });
        response.end();
        return;
      }
      response.writeHead(200, {
        "content-type": "text/event-stream",
        "cache-control": "no-store",
        // Proxies that gather replies would keep the event back.
        "x-accel-buffering": "no",
      });
      response.write("retry: 3000\n\n");
      keep(id, response);
    },
  };
}
