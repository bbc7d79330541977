/** A watched request, told as somebody reads it who wants to know what was done. */
import type { RequestTrace } from "@lucchetto/contract";
import type { Scheme } from "@lucchetto/core";
import { explainRecord } from "@lucchetto/core";
import { checksOf, tenth } from "./checks.ts";
import type { Change, Written } from "./statement.ts";
import { changeOf, lineOf } from "./statement.ts";
import type { Seen, Statement, Watched } from "./watch.ts";

/** Characters that a value is shown with. */
const MAX_VALUE_LENGTH = 60;
/** Characters that a secret is shown with. */
const OF_A_SECRET = 8;
const SECRET = /secret|token|hash|sealed|codeverifier|record$|^value$/i;

/** @param scheme the configured one, against which records are explained. */
export function traceOf(watched: Watched, scheme: Scheme): RequestTrace {
  const { requestId, at, method, url, status, answeredAfter, seen, said } = watched;
  const statements = seen.filter((one): one is Statement => one.kind === "statement");
  return {
    requestId,
    at: at.toISOString(),
    method,
    path: url.split("?", 1)[0] ?? "",
    status,
    milliseconds: tenth(answeredAfter ?? 0),
    by: askedBy(watched),
    outcome: outcomeOf(watched),
    checks: checksOf(watched),
    rows: rowsIn(statements, scheme),
    cookies: watched.setCookies.map(cookieOf),
    mails: mailsIn(statements),
    webhooks: webhooksIn(seen),
    told: [...said.told],
    time: timeOf(seen, answeredAfter ?? 0),
    statements: statements.map((statement) => ({
      text: lineOf(statement),
      milliseconds: tenth(statement.to - statement.from),
      rows: statement.affected ?? statement.rows?.length ?? null,
      error: statement.error,
    })),
  };
}

/** Sessions that a request had to do with. */
export function sessionsOf({ seen, said }: Watched): string[] {
  const found = new Set<unknown>(said.sessions);
  for (const one of seen) {
    if (one.kind === "look-up") found.add((one.found as { session?: { id?: unknown } } | null)?.session?.id);
    const change = one.kind === "statement" ? changeOf(one) : null;
    const id = change?.values.get(change.table === "session" ? "id" : "sessionId");
    if (id !== undefined && "value" in id) found.add(id.value);
  }
  return [...found].filter((id) => typeof id === "string");
}

/** Applications show their key; browsers say that they are one. */
function askedBy({ isOfApp, userAgent }: Watched): RequestTrace["by"] {
  if (isOfApp) return "app";
  return userAgent.includes("Mozilla/") ? "browser" : "program";
}

function outcomeOf({ said, location }: Watched): string | null {
  if (said.outcome !== null) return said.outcome;
  return location === null ? null : `on to ${location.split("?", 1)[0] ?? ""}`;
}

/** What was written. A row that was changed as soon as it was there is told once, as it was then. */
function rowsIn(statements: readonly Statement[], scheme: Scheme): RequestTrace["rows"] {
  const rows: RequestTrace["rows"] = [];
  for (const statement of statements) {
    const change = changeOf(statement);
    if (change === null || change.count === 0 || statement.error !== null) continue;
    const row = rowOf(change, scheme);
    const last = rows.at(-1);
    if (row.change === "changed" && last?.change === "added" && last.table === row.table) {
      const later = new Map(row.values.map((one) => [one.name, one]));
      last.values = last.values.map((one) => later.get(one.name) ?? one);
    } else rows.push(row);
  }
  return rows;
}

function rowOf({ change, table, count, values }: Change, scheme: Scheme): RequestTrace["rows"][number] {
  const record = values.get("record");
  return {
    change,
    table,
    count,
    values: [...values]
      .filter(([name, one]) => name !== "record" && !("value" in one && one.value === null))
      .map(([name, one]) => ({ name, value: shown(name, one) })),
    record: record !== undefined && "value" in record ? takenApart(record.value, scheme) : null,
  };
}

function takenApart(record: unknown, scheme: Scheme): RequestTrace["rows"][number]["record"] {
  if (typeof record !== "string") return null;
  try {
    return [...explainRecord(record, scheme).segments];
  } catch {
    // A damaged record has no parts to show.
    return null;
  }
}

/** A value, short; secrets are cut, and bytes counted. */
function shown(name: string, written: Written): string {
  if ("text" in written) return written.text;
  const { value } = written;
  if (Buffer.isBuffer(value)) return `${value.length} bytes, ${value.toString("hex").slice(0, OF_A_SECRET)}…`;
  if (value instanceof Date) return value.toISOString();
  const text = typeof value === "string" ? value : (JSON.stringify(value) ?? "");
  if (SECRET.test(name) && text.length > OF_A_SECRET)
    return `${text.slice(0, OF_A_SECRET)}… (${text.length} characters)`;
  return text.length > MAX_VALUE_LENGTH ? `${text.slice(0, MAX_VALUE_LENGTH)}…` : text;
}

function cookieOf(header: string): RequestTrace["cookies"][number] {
  const [pair = "", ...attributes] = header.split(/; */);
  const [name = "", value = ""] = pair.split("=", 2);
  const isRemoved = value === "" || attributes.some((one) => /^max-age=0$/i.test(one));
  return { name, value: isRemoved ? null : `${value.slice(0, OF_A_SECRET)}…`, attributes };
}

function mailsIn(statements: readonly Statement[]): RequestTrace["mails"] {
  return statements.flatMap((statement) => {
    const change = changeOf(statement);
    if (change?.table !== "mail" || change.change !== "added") return [];
    const [id, to, subject] = ["id", "toAddress", "subject"].map((name) => textIn(change.values.get(name)));
    return [{ id: id ?? "", to: to ?? "", subject: subject ?? "" }];
  });
}

function webhooksIn(seen: readonly Seen[]): RequestTrace["webhooks"] {
  return seen.flatMap((one): RequestTrace["webhooks"] => {
    if (one.kind === "asked") return [{ kind: "asked", event: one.event, answer: one.refusal }];
    const change = one.kind === "statement" ? changeOf(one) : null;
    if (change?.table !== "delivery" || change.change !== "added") return [];
    return [{ kind: "told", event: textIn(change.values.get("type")), answer: null }];
  });
}

const textIn = (written: Written | undefined): string =>
  written !== undefined && "value" in written && typeof written.value === "string" ? written.value : "";

/** Each moment counts once, for what began last. */
function timeOf(seen: readonly Seen[], whole: number): RequestTrace["time"] {
  const sums = { hashing: 0, database: 0, webhook: 0 };
  const counts = { hashing: 0, database: 0, webhook: 0 };
  const spans = seen
    .filter((one) => one.kind !== "look-up" && one.from < whole)
    .map(({ kind, from, to }) => ({ what: PART_OF[kind], from, to: Math.min(to, whole) }))
    .toSorted((left, right) => left.from - right.from);
  let reached = 0;
  for (const { what, from, to } of spans) {
    if (what === null) continue;
    counts[what] += 1;
    sums[what] += Math.max(0, to - Math.max(from, reached));
    reached = Math.max(reached, to);
  }
  const used = sums.hashing + sums.database + sums.webhook;
  const parts = (["hashing", "database", "webhook"] as const)
    .filter((what) => counts[what] > 0)
    .map((what) => ({ what, milliseconds: tenth(sums[what]), count: counts[what] }));
  return [...parts, { what: "rest", milliseconds: tenth(Math.max(0, whole - used)), count: null }];
}

const PART_OF = { hash: "hashing", statement: "database", asked: "webhook", "look-up": null } as const;
