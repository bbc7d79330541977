/** How the hasp reaches Lucchetto: over connections that are kept, with little on top of what Node itself does. */
import type { IncomingMessage, RequestOptions } from "node:http";
import http from "node:http";
import https from "node:https";

/** What came back. */
export interface Received {
  readonly status: number;
  readonly text: string;
}

/** What is sent, to the path below the service's address. */
export interface Sent {
  readonly path: string;
  readonly body: string;
  readonly contentType: string;
  /** Milliseconds until it is given up, tried again or not. */
  readonly timeout: number;
  /** Whether it can be sent again where nothing came back: it changes nothing. */
  readonly isQuestion: boolean;
}

/** Longer answers are none of Lucchetto's. */
const MAX_ANSWER_BYTES = 16 * 1024 * 1024;

/** Makes the sender. @returns what came back, whatever its status. It rejects if nothing whole came in time. */
export function createSender(callsTo: string, authorization: string): (sent: Sent) => Promise<Received> {
  const address = new URL(callsTo);
  const { request, Agent } = address.protocol === "https:" ? https : http;
  const agent = new Agent({ keepAlive: true });
  const common: RequestOptions = {
    agent,
    method: "POST",
    protocol: address.protocol,
    host: address.hostname.replace(/^\[|\]$/g, ""),
    port: address.port,
  };
  const basePath = address.pathname.replace(/\/+$/, "");

  function sendOnce({ path, body, contentType, timeout }: Sent): Promise<Received> {
    return new Promise((resolve, reject) => {
      const sent = request({
        ...common,
        path: basePath + path,
        headers: {
          authorization,
          accept: "application/json",
          "content-type": contentType,
          "content-length": Buffer.byteLength(body),
        },
      });
      let hasBegun = false;
      const late = setTimeout(
        () => sent.destroy(new Error(`no answer within ${Math.round(timeout)} ms`)),
        timeout,
      );
      const fail = (error: Error): void => {
        clearTimeout(late);
        reject(Object.assign(error, { isStale: sent.reusedSocket && !hasBegun }));
      };
      sent.on("error", fail);
      sent.on("response", (response) => {
        hasBegun = true;
        readAll(response, (error, text) => {
          if (error !== null) return fail(error);
          clearTimeout(late);
          resolve({ status: response.statusCode ?? 0, text });
        });
      });
      sent.end(body);
    });
  }

  return async (sent) => {
    const since = performance.now();
    try {
      return await sendOnce(sent);
    } catch (error) {
      // The other side closed a kept connection at the moment when it was used again.
      if (!sent.isQuestion || (error as { isStale?: boolean }).isStale !== true) throw error;
      const left = sent.timeout - (performance.now() - since);
      if (left <= 0) throw error;
      return sendOnce({ ...sent, timeout: left });
    }
  };
}

function readAll(response: IncomingMessage, done: (error: Error | null, text: string) => void): void {
  const parts: Buffer[] = [];
  let bytes = 0;
  response.on("data", (part: Buffer) => {
    bytes += part.length;
    if (bytes > MAX_ANSWER_BYTES) response.destroy(new Error("the answer is far too long"));
    else parts.push(part);
  });
  response.on("error", (error) => done(error, ""));
  response.on("end", () => {
    const [only] = parts;
    const whole = parts.length === 1 && only !== undefined ? only : Buffer.concat(parts);
    done(response.complete ? null : new Error("the answer was cut off"), whole.toString("utf8"));
  });
}
