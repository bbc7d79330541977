/** As a person in development: the mail that the built-in mailbox caught. */
import type { MailboxItem } from "@lucchetto/contract";
import { routes } from "@lucchetto/contract";
import type { Command } from "commander";
import { connect } from "../connection.ts";
import { Failure } from "../failure.ts";
import { bold, print, printJson, printPairs, printTable, time } from "../output.ts";

export function addMailCommands(program: Command): void {
  const mail = program.command("mail").description("the mailbox that catches mail (development mode only)");
  mail
    .command("list")
    .description("mails, newest first")
    .option("--limit <number>", "how many at most", "25")
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto mail list")
    .action(async (options: { limit: string; json?: boolean }, command: Command) => {
      const query = { limit: Number(options.limit) };
      const { body } = await connect(command).client(routes.listDevelopmentMailbox, { query });
      if (options.json === true) return printJson(body);
      printTable(
        ["when", "to", "subject", "state", "id"],
        body.items.map((one) => [time(one.sentAt), one.to, one.subject, one.state, one.id]),
        "No mail yet. Ask for a link at the page /forgot.",
      );
    });
  mail
    .command("show")
    .description("one mail as text, with its links; the newest if none is named")
    .argument("[id]", "as `mail list` shows it")
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto mail show")
    .action(async (id: string | undefined, options: { json?: boolean }, command: Command) => {
      const found = await find(command, id);
      if (options.json === true) return printJson(found);
      print(bold(found.subject));
      printPairs([
        ["to", found.to],
        ["when", time(found.sentAt)],
        ["state", found.state],
      ]);
      print("", found.text.trimEnd());
    });
}

async function find(command: Command, id: string | undefined): Promise<MailboxItem> {
  const { body } = await connect(command).client(routes.listDevelopmentMailbox, { query: { limit: 100 } });
  const found = id === undefined ? body.items[0] : body.items.find((one) => one.id === id);
  if (found !== undefined) return found;
  throw new Failure(
    id === undefined ? "There is no mail yet." : `There is no mail ${id} among the newest 100.`,
  );
}
