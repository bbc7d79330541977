/** As an operator: session list and end, journal list. */
import { routes } from "@lucchetto/contract";
import type { Command } from "commander";
import { connect } from "../connection.ts";
import { findId } from "../find-account.ts";
import { dim, print, printJson, printTable, time } from "../output.ts";

interface ListOptions {
  readonly account?: string;
  readonly limit: string;
  readonly json?: boolean;
}

const ACCOUNT = ["--account <account>", "of one account: e-mail address, username, id or reference"] as const;
const LIMIT = ["--limit <number>", "how many at most", "25"] as const;
const MORE = "There are more; raise --limit (at most 100).";

export function defineSession(session: Command): void {
  session
    .command("list")
    .description("sessions, newest first, ended ones included")
    .option(...ACCOUNT)
    .option(...LIMIT)
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto session list --account anna@brina.example")
    .action(async (options: ListOptions, command: Command) => {
      const connection = connect(command);
      const accountId = options.account === undefined ? undefined : await findId(connection, options.account);
      const query = { accountId, limit: Number(options.limit) };
      const { body } = await connection.signedIn()(routes.listSessions, { query });
      if (options.json === true) return printJson(body);
      const rows = body.items.map((one) => [
        one.endedAt === null ? (one.current ? "alive, this one" : "alive") : (one.endReason ?? "ended"),
        one.kind,
        time(one.createdAt),
        time(one.lastSeenAt),
        one.network ?? "–",
        one.id,
      ]);
      printTable(["state", "kind", "began", "last seen", "network", "id"], rows, "Nobody has signed in yet.");
      if (body.next !== null) print(dim(MORE));
    });

  session
    .command("end")
    .description("end somebody's session, in every application")
    .argument("<id>", "the session's id")
    .addHelpText("after", "\nExample:\n  lucchetto session end 0198f0c2-…")
    .action(async (id: string, _options, command: Command) => {
      await connect(command).signedIn()(routes.endSession, { params: { id } });
      print("The session is ended.");
    });
}

export function defineJournal(journal: Command): void {
  journal
    .command("list")
    .description("events, newest first, with the reasons that replies hide")
    .option(...ACCOUNT)
    .option("--kind <kind>", "of one kind, such as sign-in.refused")
    .option("--request <id>", "of one request")
    .option(...LIMIT)
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto journal list --kind sign-in.refused")
    .action(async (options: ListOptions & { kind?: string; request?: string }, command: Command) => {
      const connection = connect(command);
      const accountId = options.account === undefined ? undefined : await findId(connection, options.account);
      const { kind, request: requestId } = options;
      const query = { accountId, kind, requestId, limit: Number(options.limit) };
      const { body } = await connection.signedIn()(routes.listJournal, { query });
      if (options.json === true) return printJson(body);
      const rows = body.items.map((entry) => [
        time(entry.at),
        entry.kind,
        entry.reason === null ? entry.outcome : `${entry.outcome}: ${entry.reason}`,
        entry.network ?? "–",
        entry.accountId ?? "–",
        entry.actorName ?? (entry.appName === null ? "–" : `app ${entry.appName}`),
      ]);
      printTable(
        ["when", "what", "outcome", "from", "account", "by"],
        rows,
        "Nothing has happened yet that belongs here.",
      );
      if (body.next !== null) print(dim(MORE));
    });
}
