/** As an operator: totp import, authenticator apps from another system by their key URIs. */
import { readFile } from "node:fs/promises";
import { resolve } from "node:path";
import type { TotpImportOutcome } from "@lucchetto/contract";
import { routes, saidOf } from "@lucchetto/contract";
import type { Command } from "commander";
import { connect } from "../connection.ts";
import { Failure } from "../failure.ts";
import { print, printJson, printTable } from "../output.ts";
import { terminal } from "../terminal.ts";

/** Columns by which accounts are found. */
const MATCHES = ["email", "username", "reference"] as const;
type Match = (typeof MATCHES)[number];

/** Lines that travel in one call. */
const AT_ONCE = 50;

const WORDS: Readonly<Record<TotpImportOutcome, string>> = {
  imported: "imported",
  "imported-short": "imported, to be renewed at the next sign-in",
  "account-unknown": "no such account",
  "has-one-already": "already has an authenticator app, not changed",
  "of-operators": "an operator's account, not changed",
  unreadable: "not readable",
  "too-short": "secret too short, refused",
  "short-not-accepted": "secret under 128 bits; import it with --accept-short",
};

interface Options {
  readonly match: string;
  readonly uriColumn: string;
  readonly acceptShort?: boolean;
  readonly json?: boolean;
}

interface Line {
  /** In the file, the header being the first. */
  readonly line: number;
  readonly account: string;
  readonly uri: string;
}

export function defineTotpImport(totp: Command): void {
  totp
    .command("import")
    .description(
      "import authenticator apps from a CSV file with key URIs (otpauth://…); they work immediately",
    )
    .argument("<file>", "CSV with a header line")
    .requiredOption(
      "--match <column>",
      `what identifies the account: ${MATCHES.join(", ")}; in the column of that name`,
    )
    .option("--uri-column <name>", "the column with the key URI", "uri")
    .option("--accept-short", "also import secrets of 80 to 127 bits, to be renewed at the next sign-in")
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto totp import authenticators.csv --match email")
    .action(async (file: string, options: Options, command: Command) => {
      const match = MATCHES.find((one) => one === options.match);
      if (match === undefined) throw new Failure(`--match is one of ${MATCHES.join(", ")}`, 2);
      const lines = await readLines(file, match, options.uriColumn);
      const call = connect(command).signedIn();
      const reports: Array<{
        line: number;
        account: string;
        outcome: string;
        detail: string | null;
      }> = [];
      const readable = lines.filter(({ account, uri }) => isSendable(account, 254) && isSendable(uri, 1_000));
      for (const { line, account } of lines.filter((one) => !readable.includes(one)))
        reports.push({ line, account, outcome: "unreadable", detail: "a column is empty or too long" });
      for (let from = 0; from < readable.length; from += AT_ONCE) {
        const some = readable.slice(from, from + AT_ONCE);
        const { body } = await call(routes.importAuthenticators, {
          body: {
            match,
            acceptShort: options.acceptShort === true,
            items: some.map(({ account, uri }) => ({ account, uri })),
          },
        });
        for (const [index, { line, account }] of some.entries()) {
          const { outcome = "unreadable", detail = null } = body.items[index] ?? {};
          reports.push({ line, account, outcome, detail });
        }
        if (lines.length > AT_ONCE) terminal().stderr.write(`${reports.length} of ${lines.length}\n`);
      }
      reports.sort((left, right) => left.line - right.line);
      if (options.json === true) return printJson({ items: reports });
      const rows = reports.map(({ line, account, outcome, detail }) => [
        String(line),
        account,
        [saidOf(WORDS, outcome, outcome), ...(detail === null ? [] : [`(${detail})`])].join(" "),
      ]);
      printTable(["line", match, "status"], rows, "The file has no lines.");
      const done = reports.filter(({ outcome }) => outcome.startsWith("imported")).length;
      print(`${done} of ${reports.length} imported. You can run it again: existing ones are not changed.`);
    });
}

function isSendable(text: string, most: number): boolean {
  return text !== "" && text.length <= most;
}

/** @throws Failure for a file that is none, or has not the columns. */
async function readLines(file: string, match: Match, uriColumn: string): Promise<Line[]> {
  const path = resolve(terminal().cwd, file);
  const text = await readFile(path, "utf8").catch(() => {
    throw new Failure(`${file} cannot be read`, 2);
  });
  const { parse } = await import("csv-parse/sync");
  let rows: Array<Record<string, string>>;
  try {
    rows = parse(text, { columns: true, bom: true, trim: true, skip_empty_lines: true });
  } catch (error) {
    throw new Failure(`${file}: ${(error as Error).message}`, 2);
  }
  const [first = {}] = rows;
  for (const column of [match, uriColumn])
    if (rows.length > 0 && !Object.hasOwn(first, column))
      throw new Failure(
        `${file} has no column ${column}; it has ${Object.keys(first).join(", ")}. Choose another with ${column === match ? "--match" : "--uri-column"}`,
        2,
      );
  return rows.map((row, index) => ({
    line: index + 2,
    account: row[match] ?? "",
    uri: row[uriColumn] ?? "",
  }));
}
