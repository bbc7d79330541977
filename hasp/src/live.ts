/**
 * Open pages that stay true to who is signed in: a browser module, and a stream that says when the session has ended. For
 * all streams of a process Lucchetto is asked once a second.
 */
import { readFileSync } from "node:fs";
import type { EventSink } from "@lucchetto/contract/session-streams";
import {
  EVENT_STREAM_HEADERS,
  EVENT_STREAM_START,
  keepSessionStreams,
} from "@lucchetto/contract/session-streams";
import type { Answer, IncomingRequest } from "./incoming-request.ts";
import type { Lucchetto } from "./service.ts";

const MODULE = readFileSync(new URL("../browser/live.js", import.meta.url), "utf8");

/** Where events are written to: node's response is one. */
export interface EventResponse extends EventSink {
  writeHead(status: number, headers: Record<string, string>): unknown;
}

interface Live {
  /** The browser module. */
  script(): Answer;
  /** Keeps the stream of a visitor until the session ends; ends it at once for a guest. */
  stream(visit: IncomingRequest, response: EventResponse): Promise<void>;
}

/** @param readCheckToken from a Cookie header. */
export function createLive(
  lucchetto: Pick<Lucchetto, "introspect" | "findLiving">,
  readCheckToken: (header: string | undefined) => string | undefined,
): Live {
  const streams = keepSessionStreams(
    (ids) => lucchetto.findLiving(ids),
    // Nothing is known at the moment; streams stay as they are, whatever it was.
    () => undefined,
  );

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
      } catch {
        // Nothing is known at the moment: the browser asks again by itself when the page is loaded anew.
      }
      // 204 tells a browser not to connect again (HTML, section 9.2.3).
      if (id === null || !streams.keep(id, response)) {
        response.writeHead(204, { "cache-control": "no-store" });
        response.end();
        return;
      }
      response.writeHead(200, { ...EVENT_STREAM_HEADERS });
      response.write(EVENT_STREAM_START);
    },
  };
}
