/** As an operator: account invite, one by one or many from a CSV file with a report for each line. */
import { readFileSync } from "node:fs";
import { resolve } from "node:path";
import { MAIL_LANGUAGES, ProblemError, routes } from "@lucchetto/contract";
import type { Command } from "commander";
import { CsvError, parse } from "csv-parse/sync";
import type { Connection } from "../connection.ts";
import { connect } from "../connection.ts";
import { Failure } from "../failure.ts";
import { oneOf } from "../options.ts";
import { print, printJson } from "../output.ts";
import { terminal } from "../terminal.ts";

interface InviteOptions {
  readonly username?: string;
  readonly name?: string;
  readonly label?: string[];
  readonly reference?: string;
  readonly language?: (typeof MAIL_LANGUAGES)[number];
  readonly from?: string;
  readonly app?: string;
  readonly page?: string;
  readonly resume?: boolean;
  readonly json?: boolean;
}

/** One who is to be invited, and the line of the file where that stands. */
interface Guest {
  readonly line: number | null;
  readonly email: string;
  readonly username?: string | undefined;
  readonly displayName?: string | undefined;
  readonly labels?: string[] | undefined;
  readonly reference?: string | undefined;
  readonly language?: (typeof MAIL_LANGUAGES)[number] | undefined;
  readonly app?: string | undefined;
  readonly page?: string | undefined;
}

interface Invited {
  readonly line: number | null;
  readonly email: string;
  readonly outcome: "invited" | "invited-again" | "there" | "refused";
  readonly detail: string;
}

const COLUMNS = ["email", "username", "name", "labels", "reference", "language"] as const;

export function addInviteCommand(account: Command): void {
  account
    .command("invite")
    .description("invite people by mail; those already invited get a new link")
    .argument("[address...]", "e-mail addresses")
    .option("--username <name>", "username")
    .option("--name <text>", "display name")
    .option("--label <label...>", "labels for the application")
    .option("--reference <id>", "the application's own id for the person")
    .option("--app <client-id>", "the application where they land when they have accepted")
    .option("--page <address>", "the page of it; its first page if left out")
    .addOption(oneOf("--language <language>", "of the mails", MAIL_LANGUAGES))
    .option(
      "--from <file>",
      `CSV (commas or semicolons) with a header line; columns: ${COLUMNS.join(", ")}; labels are separated by spaces or semicolons`,
    )
    .option("--resume", "skip people who have an account or an invitation")
    .option("--json", "as JSON")
    .addHelpText(
      "after",
      "\nExamples:\n  lucchetto account invite petra@brina.example --name 'Petra Sasso' --label keeper\n  lucchetto account invite --from guests.csv --app hut-book",
    )
    .action(async (addresses: string[], options: InviteOptions, command: Command) => {
      const { app, page } = options;
      const guests = guestsOf(addresses, options).map((guest) => ({ ...guest, app, page }));
      const connection = connect(command);
      const report: Invited[] = [];
      for (const guest of guests) {
        const done = await inviteOne(connection, guest, options.resume === true);
        report.push(done);
        if (options.json !== true) print(lineOf(done, report.length, guests.length));
      }
      if (options.json === true) printJson({ items: report });
      const refused = report.filter(({ outcome }) => outcome === "refused").length;
      if (refused > 0) throw new Failure(`${refused} of ${report.length} could not be invited.`);
    });
}

function guestsOf(addresses: readonly string[], options: InviteOptions): Guest[] {
  if (options.from !== undefined) {
    if (addresses.length > 0) throw new Failure("Give either addresses or --from, not both.", 2);
    return readGuests(options.from);
  }
  if (addresses.length === 0) throw new Failure("Give an address, or a file with --from.", 2);
  if (addresses.length > 1 && (options.username ?? options.name ?? options.reference) !== undefined)
    throw new Failure("--username, --name and --reference are for one address; use --from for many.", 2);
  const { username, name: displayName, label: labels, reference } = options;
  const { language } = options;
  return addresses.map((email) => ({
    line: null,
    email,
    username,
    displayName,
    labels,
    reference,
    language,
  }));
}

/** Reads all of it before anybody is invited. */
function readGuests(file: string): Guest[] {
  let text: string;
  try {
    text = new TextDecoder("utf-8", { fatal: true }).decode(readFileSync(resolve(terminal().cwd, file)));
  } catch (error) {
    const code = (error as NodeJS.ErrnoException).code;
    throw new Failure(
      code === "ERR_ENCODING_INVALID_ENCODED_DATA"
        ? `${file} is not UTF-8.`
        : `${file} cannot be read (${code ?? "unknown"}).`,
      2,
    );
  }
  const rows = parseCsv(file, text);
  const unknown = Object.keys(rows[0]?.record ?? {}).filter(
    (name) => !(COLUMNS as readonly string[]).includes(name),
  );
  if (unknown.length > 0)
    throw new Failure(`${file}: no such column: ${unknown.join(", ")}; there are ${COLUMNS.join(", ")}.`, 2);
  if (rows.length === 0 || rows[0]?.record["email"] === undefined)
    throw new Failure(
      `${file}: expected a header line with the column email, and a line for each person.`,
      2,
    );
  return rows.map(({ record, line }) => {
    const given = (name: (typeof COLUMNS)[number]) => {
      const value = record[name]?.trim() ?? "";
      return value === "" ? undefined : value;
    };
    return {
      line,
      email: given("email") ?? "",
      username: given("username"),
      displayName: given("name"),
      labels: given("labels")?.split(/[\s;,]+/),
      reference: given("reference"),
      language: readLanguage(given("language"), `${file}, line ${line}`),
    };
  });
}

function parseCsv(file: string, text: string): Array<{ record: Record<string, string>; line: number }> {
  try {
    const parsed = parse(text, {
      // Spreadsheets write semicolons where commas stand in numbers.
      delimiter: /^[^,\n]*;/.test(text) ? ";" : ",",
      columns: true,
      bom: true,
      skip_empty_lines: true,
      trim: true,
      info: true,
    });
    return (parsed as unknown as Array<{ record: Record<string, string>; info: { lines: number } }>).map(
      ({ record, info }) => ({ record, line: info.lines }),
    );
  } catch (error) {
    if (error instanceof CsvError) throw new Failure(`${file}: ${error.message}`, 2);
    throw error;
  }
}

function readLanguage(text: string | undefined, where: string): (typeof MAIL_LANGUAGES)[number] | undefined {
  const found = MAIL_LANGUAGES.find((one) => one === text);
  if (text === undefined || found !== undefined) return found;
  throw new Failure(
    `${where}: found language ${JSON.stringify(text)}, expected ${MAIL_LANGUAGES.join(" or ")}.`,
    2,
  );
}

async function inviteOne(connection: Connection, guest: Guest, resumes: boolean): Promise<Invited> {
  const { line, ...body } = guest;
  const { email } = guest;
  try {
    const client = connection.signedIn();
    if (resumes && email !== "") {
      const { body: found } = await client(routes.listAccounts, { query: { search: email } });
      const known = found.items.find((one) => one.email?.toLowerCase() === email.toLowerCase());
      if (known !== undefined) return { line, email, outcome: "there", detail: known.state };
    }
    const reply = await client(routes.inviteAccount, { body });
    const outcome = reply.status === 201 ? "invited" : "invited-again";
    return { line, email, outcome, detail: reply.body.id };
  } catch (error) {
    // Whoever may not invite, or cannot reach the service, need not be told for each line.
    if (!(error instanceof ProblemError) || [401, 403, 429, 503].includes(error.problem.status)) throw error;
    return { line, email, outcome: "refused", detail: error.problem.detail };
  }
}

const WORDS = {
  invited: "invited",
  "invited-again": "a new link was sent",
  there: "skipped",
  refused: "refused",
} as const;

function lineOf({ line, email, outcome, detail }: Invited, done: number, all: number): string {
  const count = all > 1 ? `${String(done).padStart(String(all).length)}/${all}  ` : "";
  const where = line === null ? "" : `line ${line}: `;
  return `${count}${where}${email || "(no address)"}: ${WORDS[outcome]} (${detail})`;
}
