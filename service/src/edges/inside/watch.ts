/**
 * What the service does for each request, seen from outside: its statements, its look-ups, its hashes, what the application was asked,
 * and what went out. The use cases know nothing of it. In development alone, and in memory alone.
 */
import { AsyncLocalStorage } from "node:async_hooks";
import type { IncomingHttpHeaders, IncomingMessage, ServerResponse } from "node:http";
import { performance } from "node:perf_hooks";
import type { Pool, PoolConnection } from "mysql2";
import type { DataSource } from "typeorm";
import type { Clock } from "../../base/clock/clock.ts";
import type { ServiceContext } from "../../records/context.ts";
import { BEHALF_HEADERS } from "../../records/http/delegation.ts";
import type { FilledIn } from "../../records/webhook/consult.ts";
import type { Said } from "./redacted-response.ts";
import { NOTHING_SAID, saidIn } from "./redacted-response.ts";

/** Something that took its time. Milliseconds since the request came. */
interface Span {
  readonly from: number;
  to: number;
}

export interface Statement extends Span {
  readonly kind: "statement";
  readonly sql: string;
  readonly values: readonly unknown[];
  /** What was found; of a change nothing. */
  rows: ReadonlyArray<Record<string, unknown>> | null;
  /** Rows that a change touched. */
  affected: number | null;
  error: string | null;
}

export interface LookUp extends Span {
  readonly kind: "look-up";
  readonly what: keyof ServiceContext["lookUps"];
  found: unknown;
}

export interface Hash extends Span {
  readonly kind: "hash";
  readonly what: "make" | "check";
  readonly scheme: string;
  /** Whether there was a record to check against. */
  readonly isStored: boolean;
  /** Of a check. */
  fits: boolean | null;
  error: string | null;
}

export interface Asked extends Span {
  readonly kind: "asked";
  readonly event: string;
  /** Why it was refused; `null`: it was not. */
  refusal: string | null;
}

export type Seen = Statement | LookUp | Hash | Asked;

/** One request, as it was watched. */
export interface Watched {
  readonly at: Date;
  readonly began: number;
  readonly method: string;
  readonly url: string;
  /** Who it is for: the browser, also where an application calls for it. */
  readonly visitor: string;
  readonly userAgent: string;
  /** Whether an application showed its key. */
  readonly isOfApp: boolean;
  requestId: string;
  readonly seen: Seen[];
  /** Milliseconds until the answer was given; `null`: it was not yet. */
  answeredAfter: number | null;
  status: number;
  setCookies: readonly string[];
  location: string | null;
  /** Of an answer in JSON. */
  said: Said;
}

/** Requests that are kept. */
const KEPT = 200;
/** Statements and the rest that are kept of one. */
const KEPT_OF_ONE = 400;
/** Bytes of an answer that are read. */
const MAX_ANSWER_LENGTH = 100_000;
/** What applications ask all day: noted by its answer alone, so that looking inside makes nobody slower. */
const OFTEN = /\/(v1\/checks|oauth\/introspect|v1\/proxy-check)$/;
/** Milliseconds after the last request when the watching of promises, which costs all of them, is given up until the next. */
const IDLE = 2_000;
/** What nobody asks about, and streams, which have no end. */
const UNWATCHED =
  /\/(assets|inside|healthz|readyz|metrics|v1\/development|v1\/operator|v1\/session\/events|site)(\/|$|\?)/;

export class Watch {
  readonly #clock: Clock;
  readonly #current = new AsyncLocalStorage<Watched>();
  readonly #kept: Watched[] = [];
  readonly #byRequest = new WeakMap<IncomingMessage, Watched>();
  readonly #watchedConnections = new WeakSet<object>();
  #underWay = 0;
  #idle: NodeJS.Timeout | null = null;

  constructor(clock: Clock) {
    this.#clock = clock;
  }

  /** The requests that are kept and have got their ids, the newest first. */
  get requests(): readonly Watched[] {
    return this.#kept.filter(({ requestId }) => requestId !== "").toReversed();
  }

  /** Handles a request under watch. */
  around(request: IncomingMessage, response: ServerResponse, handle: () => void): void {
    const { method = "GET", url = "/", headers, socket } = request;
    if (UNWATCHED.test(url)) return handle();
    const watched: Watched = {
      at: this.#clock.now(),
      began: performance.now(),
      method,
      url,
      ...visitorOf(headers, socket.remoteAddress ?? ""),
      isOfApp: /^basic /i.test(headers.authorization ?? "") || headers[BEHALF_HEADERS.appKey] !== undefined,
      requestId: "",
      seen: [],
      answeredAfter: null,
      status: 0,
      setCookies: [],
      location: null,
      said: NOTHING_SAID,
    };
    this.#kept.push(watched);
    this.#byRequest.set(request, watched);
    if (this.#kept.length > KEPT) this.#kept.shift();
    readAnswer(response, watched);
    if (OFTEN.test(url)) return handle();
    this.#underWay += 1;
    response.once("close", () => {
      this.#underWay -= 1;
      this.#idle?.close();
      this.#idle = setTimeout(() => this.#underWay === 0 && this.#current.disable(), IDLE).unref();
    });
    this.#current.run(watched, handle);
  }

  /** The id under which a request is asked for: the one of its reply. */
  named(idOf: (request: IncomingMessage) => string): (request: IncomingMessage) => string {
    return (request) => {
      const id = idOf(request);
      const watched = this.#byRequest.get(request);
      if (watched !== undefined) watched.requestId = id;
      return id;
    };
  }

  /** The same context, watched. */
  context(context: ServiceContext): ServiceContext {
    this.#watchStatements(context.dataSource);
    const { hashing, consult, lookUps } = context;
    const isAsked = context.configuration.webhooks.consult.url !== undefined;
    return {
      ...context,
      hashing: {
        ...hashing,
        make: (password, asker) =>
          this.#during<Hash, string>(
            {
              kind: "hash",
              what: "make",
              scheme: hashing.scheme.text,
              isStored: false,
              fits: null,
              error: null,
            },
            () => hashing.make(password, asker),
          ),
        check: (shown, stored, asker) =>
          this.#during<Hash, boolean>(
            {
              kind: "hash",
              what: "check",
              scheme: stored?.schemeText ?? hashing.scheme.text,
              isStored: stored !== null,
              fits: null,
              error: null,
            },
            () => hashing.check(shown, stored, asker),
            (hash, fits) => (hash.fits = fits),
          ),
      },
      consult: !isAsked
        ? consult
        : (question, asker) =>
            this.#during<Asked, FilledIn>({ kind: "asked", event: question.type, refusal: null }, () =>
              consult(question, asker),
            ),
      lookUps: Object.fromEntries(
        Object.entries(lookUps).map(([what, find]) => [
          what,
          (key: Buffer) =>
            this.#during<LookUp, unknown>(
              { kind: "look-up", what: what as LookUp["what"], found: null },
              () => (find as (key: Buffer) => Promise<unknown>)(key),
              (lookUp, found) => (lookUp.found = found),
            ),
        ]),
      ) as unknown as ServiceContext["lookUps"],
    };
  }

  /** Notes something, with the time that it takes. */
  async #during<One extends LookUp | Hash | Asked, Result>(
    noted: Omit<One, "from" | "to">,
    work: () => Promise<Result>,
    came?: (one: One, result: Result) => void,
  ): Promise<Result> {
    const one = this.#note(noted);
    if (one === null) return work();
    try {
      const result = await work();
      came?.(one, result);
      return result;
    } catch (error) {
      const code = codeOf(error);
      if (one.kind === "asked") one.refusal = code;
      if (one.kind === "hash") one.error = code;
      throw error;
    } finally {
      this.#end(one);
    }
  }

  #note<One extends Seen>(noted: Omit<One, "from" | "to">): One | null {
    const watched = this.#current.getStore();
    if (watched === undefined || watched.seen.length >= KEPT_OF_ONE) return null;
    const from = performance.now() - watched.began;
    const one = { ...noted, from, to: from } as unknown as One;
    watched.seen.push(one);
    return one;
  }

  #end(one: Seen): void {
    const watched = this.#current.getStore();
    if (watched !== undefined) one.to = performance.now() - watched.began;
  }

  /** Every connection of the pool, from its first use on. */
  #watchStatements(dataSource: DataSource): void {
    const { pool } = dataSource.driver as unknown as { pool: Pool };
    const get = pool.getConnection.bind(pool);
    pool.getConnection = (done) =>
      get(
        AsyncLocalStorage.bind((error: NodeJS.ErrnoException | null, connection: PoolConnection) => {
          if (error === null && !this.#watchedConnections.has(connection)) {
            this.#watchedConnections.add(connection);
            this.#watchConnection(connection);
          }
          done(error, connection);
        }),
      );
  }

  #watchConnection(connection: PoolConnection): void {
    type Done = (error: unknown, ...answer: unknown[]) => void;
    const ask = connection.query.bind(connection) as (...given: unknown[]) => unknown;
    const query = (sql: unknown, ...rest: unknown[]) => {
      const done = rest.at(-1);
      const text = typeof sql === "string" ? sql : String((sql as { sql?: unknown } | null)?.sql ?? "");
      const values = rest.length > 1 && Array.isArray(rest[0]) ? (rest[0] as unknown[]) : [];
      const statement =
        typeof done !== "function"
          ? null
          : this.#note<Statement>({
              kind: "statement",
              sql: text,
              values,
              rows: null,
              affected: null,
              error: null,
            });
      if (statement === null) return ask(sql, ...rest);
      const noted: Done = AsyncLocalStorage.bind((error: unknown, ...answer: unknown[]) => {
        this.#end(statement);
        const [result] = answer;
        if (Array.isArray(result)) statement.rows = (result as Array<Record<string, unknown>>).slice(0, 20);
        else if (typeof result === "object" && result !== null && "affectedRows" in result)
          statement.affected = Number(result.affectedRows);
        if (error !== null && error !== undefined) statement.error = codeOf(error);
        (done as Done)(error, ...answer);
      });
      return ask(sql, ...rest.slice(0, -1), noted);
    };
    connection.query = query as PoolConnection["query"];
  }
}

function codeOf(error: unknown): string {
  const code = (error as { code?: unknown } | null)?.code;
  return typeof code === "string" ? code : "error";
}

/** By address and user agent; all addresses of this machine are one. */
export function visitorOf(
  headers: IncomingHttpHeaders,
  from: string,
): Pick<Watched, "visitor" | "userAgent"> {
  const told = (name: string): string | undefined => headers[name] as string | undefined;
  const userAgent = told(BEHALF_HEADERS.agent) ?? headers["user-agent"] ?? "";
  const address = told(BEHALF_HEADERS.address) ?? from;
  return { visitor: `${/^(::1|(::ffff:)?127\.)/.test(address) ? "here" : address} ${userAgent}`, userAgent };
}

/** Takes status, cookies and what was said from an answer as it is given. */
function readAnswer(response: ServerResponse, watched: Watched): void {
  let cookies: unknown[] = [];
  let text = "";
  const writeHead = response.writeHead.bind(response) as (...given: unknown[]) => ServerResponse;
  response.writeHead = ((...given: unknown[]) => {
    const headers = given.at(-1);
    if (typeof headers === "object" && headers !== null) {
      const named = Array.isArray(headers)
        ? pairsOf(headers)
        : Object.entries(headers as Record<string, unknown>);
      for (const [name, value] of named) {
        if (name.toLowerCase() === "set-cookie") cookies = cookies.concat(value);
        if (name.toLowerCase() === "location") watched.location = String(value);
      }
    }
    return writeHead(...given);
  }) as ServerResponse["writeHead"];
  const end = response.end.bind(response) as (...given: unknown[]) => ServerResponse;
  response.end = ((...given: unknown[]) => {
    const [chunk] = given;
    if ((typeof chunk === "string" || Buffer.isBuffer(chunk)) && chunk.length <= MAX_ANSWER_LENGTH)
      text = chunk.toString();
    return end(...given);
  }) as ServerResponse["end"];
  response.once("close", () => {
    watched.answeredAfter ??= performance.now() - watched.began;
  });
  response.once("finish", () => {
    watched.answeredAfter = performance.now() - watched.began;
    watched.status = response.statusCode;
    watched.setCookies = cookies.concat(response.getHeader("set-cookie") ?? []).map(String);
    watched.location ??= (response.getHeader("location") as string | undefined) ?? null;
    if (text.startsWith("{")) watched.said = saidIn(text);
  });
}

function pairsOf(list: readonly unknown[]): Array<[string, unknown]> {
  return Array.from({ length: Math.floor(list.length / 2) }, (_, index) => [
    String(list[2 * index]),
    list[2 * index + 1],
  ]);
}
