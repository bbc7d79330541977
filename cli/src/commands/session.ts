/** As an operator: session list and end. */
import { routes } from "@lucchetto/contract";
import type { Command } from "commander";
import { connect } from "../connection.ts";
import { findId } from "../find-account.ts";
import type { PageOptions } from "../options.ts";
import { pageOf, printMore, withPage } from "../options.ts";
import { print, printJson, printTable, time } from "../output.ts";

interface ListOptions extends PageOptions {
  readonly account?: string;
  readonly json?: boolean;
}

const ACCOUNT = ["--account <account>", "of one account: e-mail address, username, id or reference"] as const;

export function defineSession(session: Command): void {
  withPage(session.command("list"))
    .description("list sessions, newest first, including ended ones")
    .option(...ACCOUNT)
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto session list --account anna@brina.example")
    .action(async (options: ListOptions, command: Command) => {
      const connection = connect(command);
      const accountId = options.account === undefined ? undefined : await findId(connection, options.account);
      const query = { accountId, ...pageOf(options) };
      const { body } = await connection.signedIn()(routes.listSessions, { query });
      if (options.json === true) return printJson(body);
      const rows = body.items.map((one) => [
        one.endedAt === null ? (one.current ? "active, this one" : "alive") : (one.endReason ?? "ended"),
        one.accountName ?? one.accountId,
        one.kind,
        one.appName ?? "–",
        time(one.createdAt),
        time(one.lastSeenAt),
        one.network ?? "–",
        one.id,
      ]);
      printTable(
        ["state", "whose", "kind", "begun in", "began", "last seen", "network", "id"],
        rows,
        "Nobody has signed in yet.",
        ["kind", "begun in", "began", "network"],
      );
      printMore(body.next);
    });

  session
    .command("end")
    .description("end somebody's session, in every application")
    .argument("<id>", "the session's id")
    .addHelpText("after", "\nExample:\n  lucchetto session end 0198f0c2-…")
    .action(async (id: string, _options, command: Command) => {
      await connect(command).signedIn()(routes.endSession, { params: { id } });
      print("The session was ended.");
    });
}
