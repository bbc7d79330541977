/** A request and its answer in terms that every framework has. */
import type { IncomingHttpHeaders } from "node:http";

/** A request as the hasp reads it, whatever the framework. */
export interface IncomingRequest {
  readonly method: string;
  /** Path and query as they were asked for. */
  readonly url: string;
  readonly headers: IncomingHttpHeaders;
  /** Where the request comes from; wanted only where people's own passwords are taken as HTTP Basic. */
  readonly address?: string | undefined;
}

/** What to answer. */
export interface Answer {
  readonly status: number;
  readonly headers: Readonly<Record<string, string | string[]>>;
  readonly body: string;
}

/** The path without the query. */
export function pathOf(visit: IncomingRequest): string {
  const mark = visit.url.indexOf("?");
  return mark < 0 ? visit.url : visit.url.slice(0, mark);
}

/** The query's parameters. */
export function queryOf(visit: IncomingRequest): URLSearchParams {
  const mark = visit.url.indexOf("?");
  return new URLSearchParams(mark < 0 ? "" : visit.url.slice(mark + 1));
}

/** Whether nothing is to be changed. What becomes a WebSocket can change anything. */
export function isReading({ method, headers }: IncomingRequest): boolean {
  return (method === "GET" || method === "HEAD") && headers.upgrade === undefined;
}

/** Whether a person's browser asks, rather than a script or a program. */
export function isPage(visit: IncomingRequest): boolean {
  return (visit.headers.accept ?? "").includes("text/html");
}

/** Whether a browser says that a request was sent by this application's own pages (Fetch Metadata; RFC 6454). */
export function hasMatchingOrigin(visit: IncomingRequest, ownOrigin: string): boolean {
  const { origin, "sec-fetch-site": site } = visit.headers;
  return origin === undefined ? site === "same-origin" : origin === ownOrigin;
}

/** Whether a browser says that a request was sent by this application's own pages (or no browser sent it). */
export function isOwnOrigin(visit: IncomingRequest, ownOrigin: string): boolean {
  const { origin, "sec-fetch-site": site } = visit.headers;
  if (origin !== undefined) return origin === ownOrigin;
  return site === undefined || site === "same-origin";
}
