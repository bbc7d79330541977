/** A developer at work: what the service did for a request. */
import type { Open, RequestTrace } from "@lucchetto/contract";
import { ProblemError, routes, saidOf } from "@lucchetto/contract";
import type { Command } from "commander";
import { connect } from "../connection.ts";
import { Failure } from "../failure.ts";
import { bold, brass, dim, print, printable, printJson, printTable, rust, verdigris } from "../output.ts";
import { drawRecord } from "../record-drawing.ts";
import { terminal } from "../terminal.ts";

interface TraceOptions {
  readonly list?: boolean;
  readonly rows?: boolean;
  readonly statements?: boolean;
  readonly json?: boolean;
}

/** Requests in a list. */
const LISTED = 25;
/** Columns that are used at most. */
const WIDE = 110;
/** Letters of the bar of time. */
const BAR = 48;

export function defineTrace(command: Command): void {
  command
    .argument(
      "[request-id]",
      "from the response's X-Request-Id or a problem; default: the latest that wrote something or was refused",
    )
    .option("--list", "list recent requests, one per line")
    .option("--rows", "show everything written to the rows")
    .option("--statements", "show every database statement")
    .option("--json", "as JSON")
    .addHelpText(
      "after",
      "\nIn development mode only; the last 200 requests are kept in memory.\n\nExamples:\n  lucchetto trace\n  lucchetto trace --list\n  lucchetto trace 0b2f6a3e-6c1d-4a55-9b1f-5f0d0c2a7e11 --statements",
    )
    .action(async (id: string | undefined, options: TraceOptions, self: Command) => {
      const { client, url } = connect(self);
      const explained = (error: unknown): never => {
        if (!(error instanceof ProblemError) || error.problem.code !== "not-found") throw error;
        throw new Failure(
          id === undefined
            ? `${url} does not record its requests: this works in development mode only.`
            : `There is no request ${JSON.stringify(id)} at ${url}. Recent ones: lucchetto trace --list`,
        );
      };
      if (id !== undefined) {
        const { body } = await client(routes.showTrace, { params: { requestId: id } }).catch(explained);
        return options.json === true ? printJson(body) : printTrace(body, options);
      }
      const query = { limit: options.list === true ? LISTED : 200 };
      const { items } = (await client(routes.listTraces, { query }).catch(explained)).body;
      if (options.list === true) return options.json === true ? printJson(items) : printList(items);
      // A page asks for a challenge when it opens: nobody did that.
      const byPeople = items.filter(({ path, status }) => path !== routes.beginPasskey.path || status >= 400);
      const newest = byPeople.find(({ rows, status }) => rows.length > 0 || status >= 400) ?? byPeople[0];
      if (newest === undefined)
        throw new Failure(`No requests to ${url} yet. Open ${url}/sign-in and try something.`);
      return options.json === true ? printJson(newest) : printTrace(newest, options);
    });
}

function printList(items: ReadonlyArray<Open<RequestTrace>>): void {
  printTable(
    ["at", "request", "by", "status", "outcome", "ms", "request id"],
    items.map(({ at, method, path, by, status, outcome, milliseconds, requestId }) => [
      at.slice(11, 19),
      `${method} ${path}`,
      by,
      String(status),
      outcome ?? "",
      milliseconds.toFixed(0),
      requestId,
    ]),
    "No requests yet.",
    ["by", "at", "outcome"],
  );
}

const SIGNS = { well: () => verdigris("✓"), refused: () => rust("✗"), neutral: () => dim("·") };
const CHANGES = { added: "+", changed: "~", removed: "-" };

function printTrace(trace: Open<RequestTrace>, { rows = false, statements = false }: TraceOptions): void {
  const { method, path, status, outcome, milliseconds, at, by, requestId } = trace;
  print(
    `${bold(`${method} ${printable(path)}`)}  ${status} ${printable(outcome ?? "")}`.trimEnd(),
    dim(
      `${at.slice(0, 19).replace("T", " ")} UTC, ${milliseconds} ms, by ${by === "app" ? "an" : "a"} ${by}, request ${requestId}`,
    ),
  );
  printTime(trace);
  section("Checks", checkLines(trace));
  section(
    "Rows",
    trace.rows.flatMap((row) => rowLines(row, rows)),
  );
  section(
    "Cookies",
    trace.cookies.map(({ name, value, attributes }) =>
      value === null ? `- ${name}  removed` : `+ ${name}=${value}  ${dim(attributes.join("; "))}`,
    ),
  );
  section(
    "Mails",
    trace.mails.map(
      ({ id, to, subject }) =>
        `${printable(subject)}, to ${printable(to)}  ${dim(`lucchetto mail show ${id}`)}`,
    ),
  );
  section(
    "Webhooks",
    trace.webhooks.map(
      ({ kind, event, answer }) => `${kind}  ${event}${answer === null ? "" : `  ${answer}`}`,
    ),
  );
  section("The application was told", trace.told.map(printable));
  if (statements)
    section(
      "Statements",
      trace.statements.map(
        ({ text, milliseconds: took, rows, error }) =>
          `${took.toFixed(1).padStart(7)} ms  ${String(rows ?? "").padStart(3)}  ${printable(text)}${error === null ? "" : rust(`  ${error}`)}`,
      ),
    );
}

function section(title: string, lines: readonly string[]): void {
  if (lines.length > 0) print("", bold(title), ...lines.map((line) => `  ${line}`));
}

function checkLines({ checks, milliseconds }: Open<RequestTrace>): string[] {
  const width = Math.max(0, ...checks.map(({ what }) => what.length));
  let isAfter = false;
  return checks.flatMap(({ what, found, state, at }) => {
    const line = `${saidOf(SIGNS, state, SIGNS.neutral)()} ${dim(`${at.toFixed(1).padStart(7)} ms`)}  ${what.padEnd(width)}  ${printable(found)}`;
    if (isAfter || at <= milliseconds) return [line];
    isAfter = true;
    return [dim("after the reply"), line];
  });
}

/** A line for each row, with as many of its values as fit; with all of them only where that is wanted. */
function rowLines(row: Open<RequestTrace>["rows"][number], isWhole: boolean): string[] {
  const { change, table, count, values, record } = row;
  const more = count > 1 ? dim(`  ${count} rows`) : "";
  const room = "    ";
  const pairs = values.map(
    ({ name, value }) => [`${name} ${printable(value)}`, `${dim(name)} ${printable(value)}`] as const,
  );
  const drawn = record === null ? [] : drawRecord(record).map((line) => room + line);
  const head = `${saidOf(CHANGES, change, change)} ${brass(table)}${more}`;
  if (isWhole) return [head, ...drawn, ...inLines(pairs).map((line) => room + line)];
  const [first, ...others] = inLines(pairs, table.length + 2);
  return [`${head}  ${first ?? ""}${others.length > 0 ? dim(" …") : ""}`, ...drawn];
}

/** Pairs beside each other, as many as fit. @param pairs each without colours, for its width, and with them. @param taken columns that are taken already. */
function inLines(pairs: ReadonlyArray<readonly [plain: string, coloured: string]>, taken = 0): string[] {
  const room = Math.min(terminal().stdout.columns ?? WIDE, WIDE) - 8 - taken;
  const lines: string[] = [];
  let left = 0;
  for (const [plain, coloured] of pairs) {
    const gap = "   ";
    if (lines.length > 0 && plain.length + gap.length <= left) {
      lines[lines.length - 1] += gap + coloured;
      left -= plain.length + gap.length;
    } else {
      lines.push(coloured);
      left = room - plain.length;
    }
  }
  return lines;
}

/** A bar of where the time went, with its legend. */
function printTime({ time, milliseconds }: Open<RequestTrace>): void {
  const letters = ["█", "▓", "▒", "░"];
  const parts = time.map((part, index) => ({ ...part, letter: letters[index] ?? "·" }));
  const bar = parts
    .map(({ letter, milliseconds: took }) =>
      letter.repeat(Math.round((took / Math.max(milliseconds, 0.1)) * BAR)),
    )
    .join("");
  const legend = parts.map(
    ({ letter, what, milliseconds: took, count }) =>
      `${letter} ${what} ${took} ms${count === null ? "" : dim(` (${count})`)}`,
  );
  print(brass(bar), legend.join("   "));
}
