/** One call over HTTP, without a schema: what every client shares. */
import type { Problem } from "./shapes/people.ts";
import { isOlder, VERSION, VERSION_HEADER } from "./version.ts";

/** How a client reaches the service, and as whom it calls. */
export interface ClientOptions {
  /** The service's public address, without a slash at the end; empty in its own pages. */
  readonly baseUrl: string;
  /** Own token, for programs. Browsers use their cookie. */
  readonly token?: string;
  /** Headers that go along with every call. */
  readonly headers?: Readonly<Record<string, string>>;
  /** Hears the headers of every reply. */
  readonly onReply?: (headers: Headers) => void;
  /** Milliseconds until a call is given up. 30 seconds unless said otherwise. */
  readonly timeout?: number;
}

/** The service answered with a problem. */
export class ProblemError extends Error {
  override readonly name = "ProblemError";
  readonly problem: Problem;
  constructor(received: Problem) {
    super(received.detail);
    this.problem = received;
  }
}

/** No answer, or one that this contract does not know. */
export class UnreachableError extends Error {
  override readonly name = "UnreachableError";
}

const DEFAULT_TIMEOUT = 30_000;

/** What is called. */
export interface Target {
  readonly method: string;
  readonly path: string;
}

export interface CallParts {
  readonly params?: Readonly<Record<string, unknown>>;
  readonly query?: Readonly<Record<string, unknown>>;
  readonly body?: unknown;
}

/**
 * Sends, and reads the reply's JSON.
 * @throws UnreachableError if nothing answers, or something that is not JSON.
 */
export async function exchange(
  options: ClientOptions,
  target: Target,
  parts: CallParts,
): Promise<{ status: number; body: unknown; version: string | null }> {
  const { status, headers, text } = await send(options, target, parts);
  options.onReply?.(headers);
  const body = text === "" ? undefined : parseJson(text, options.baseUrl);
  return { status, body, version: headers.get(VERSION_HEADER) };
}

/**
 * The error for a problem. One about a member that the service does not know says so where the service is older than this client.
 * @param version of the service, as its reply named it.
 */
export function problemError(received: Problem, version: string | null): ProblemError {
  const unknown = (received.errors ?? [])
    .filter(({ code }) => code === "unknown-field")
    .map(({ path }) => path);
  if (unknown.length === 0 || (version !== null && !isOlder(version, VERSION)))
    return new ProblemError(received);
  const said = `The service ${version === null ? "does not name its version" : `is version ${version}`} and does not know ${unknown.join(", ")}, which this program of version ${VERSION} sends. Upgrade the service, or leave that out.`;
  return new ProblemError({ ...received, detail: `${received.detail} ${said}` });
}

/** For an answer that is none of Lucchetto's. */
export function foreignAnswer({ baseUrl }: ClientOptions, status: number): UnreachableError {
  return new UnreachableError(
    `${baseUrl} answered ${status}, but not as Lucchetto does. Is this the right address?`,
  );
}

/** The reply, whole: one that breaks off is none. */
async function send(
  options: ClientOptions,
  target: Target,
  parts: CallParts,
): Promise<{ status: number; headers: Headers; text: string }> {
  const headers = new Headers({ ...options.headers, accept: "application/json" });
  if (options.token !== undefined) headers.set("authorization", `Bearer ${options.token}`);
  if (parts.body !== undefined) headers.set("content-type", "application/json");
  try {
    const response = await fetch(
      options.baseUrl + fillPath(target.path, parts.params) + queryString(parts.query),
      {
        method: target.method,
        headers,
        ...(parts.body === undefined ? {} : { body: JSON.stringify(parts.body) }),
        signal: AbortSignal.timeout(options.timeout ?? DEFAULT_TIMEOUT),
        redirect: "error",
      },
    );
    return { status: response.status, headers: response.headers, text: await response.text() };
  } catch (error) {
    throw new UnreachableError(`No answer from ${options.baseUrl || "the service"}. Is it running?`, {
      cause: error,
    });
  }
}

function fillPath(path: string, params: CallParts["params"] = {}): string {
  return path.replace(/:([A-Za-z]+)/g, (_, name: string) => encodeURIComponent(String(params[name])));
}

function queryString(query: CallParts["query"] = {}): string {
  const given = Object.entries(query).filter(([, value]) => value !== undefined && value !== "");
  if (given.length === 0) return "";
  return `?${new URLSearchParams(given.map(([name, value]): [string, string] => [name, String(value)])).toString()}`;
}

function parseJson(text: string, baseUrl: string): unknown {
  try {
    return JSON.parse(text);
  } catch (error) {
    throw new UnreachableError(`${baseUrl} answered something that is not JSON. Is this the right address?`, {
      cause: error,
    });
  }
}
