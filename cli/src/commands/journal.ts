/** As an operator: journal list. */
import { routes } from "@lucchetto/contract";
import type { JournalKind } from "@lucchetto/core";
import { JOURNAL_KINDS } from "@lucchetto/core";
import type { Command } from "commander";
import type { Connection } from "../connection.ts";
import { connect } from "../connection.ts";
import { findId } from "../find-account.ts";
import type { PageOptions } from "../options.ts";
import { oneOf, pageOf, printMore, withPage } from "../options.ts";
import { printJson, printTable, time } from "../output.ts";

interface ListOptions extends PageOptions {
  readonly account?: string;
  readonly kind?: JournalKind;
  readonly request?: string;
  readonly json?: boolean;
}

export function defineJournal(journal: Command): void {
  withPage(journal.command("list"))
    .description("list events, newest first, with reasons that responses do not reveal")
    .option("--account <account>", "of one account: e-mail address, username, id or reference")
    .addOption(oneOf("--kind <kind>", "of one kind", JOURNAL_KINDS))
    .option("--request <id>", "of one request")
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto journal list --kind sign-in.refused")
    .action(async (options: ListOptions, command: Command) => {
      const connection = connect(command);
      const accountId =
        options.account === undefined ? undefined : await findJournalled(connection, options.account);
      const { kind, request: requestId } = options;
      const query = { accountId, kind, requestId, ...pageOf(options) };
      const { body } = await connection.signedIn()(routes.listJournal, { query });
      if (options.json === true) return printJson(body);
      const rows = body.items.map((entry) => [
        time(entry.at),
        entry.kind,
        entry.reason === null ? entry.outcome : `${entry.outcome}: ${entry.reason}`,
        entry.network ?? "–",
        entry.accountName ?? entry.accountId ?? "–",
        entry.actorName ?? (entry.appName === null ? "–" : `app ${entry.appName}`),
      ]);
      printTable(["when", "what", "outcome", "from", "account", "by"], rows, "No such events yet.", [
        "by",
        "from",
        "account",
      ]);
      printMore(body.next);
    });
}

const UUID = /^[0-9a-f]{8}(?:-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i;

/** The journal keeps ids of accounts that are gone; no list knows them any more. */
function findJournalled(connection: Connection, named: string): Promise<string> | string {
  return UUID.test(named) ? named : findId(connection, named);
}
