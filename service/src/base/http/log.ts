/** One line of log for each request. */
import type { FastifyBaseLogger, FastifyInstance } from "fastify";
import type { Configuration } from "../config/index.ts";

/** An answer for the log: never its query, its headers or its body. */
interface LoggedAnswer {
  readonly method: string;
  /** The route's pattern: an address that met no route may hold anything, a token too. */
  readonly route: string;
  readonly status: number;
  readonly seconds: number;
}

/** One line a request. @returns writes one for an answer that was given outside the framework. */
export function logRequests(
  app: FastifyInstance,
  level: Configuration["log"]["level"],
): (answer: LoggedAnswer & { readonly requestId: string }) => void {
  if (level !== "debug" && level !== "info") return () => undefined;
  const say = (log: FastifyBaseLogger, { method, route: path, status, seconds }: LoggedAnswer, more = {}) =>
    log.info({ ...more, method, path, status, milliseconds: Math.round(seconds * 1_000) }, "answered");
  app.addHook("onResponse", ({ log, method, routeOptions }, { statusCode: status, elapsedTime }, done) => {
    say(log, { method, route: routeOptions.url ?? "(no route)", status, seconds: elapsedTime / 1_000 });
    done();
  });
  return (answer) => say(app.log, answer, { requestId: answer.requestId });
}
