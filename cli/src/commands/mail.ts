/** The mails: in development for anybody with bodies, in production for operators and without. */
import type { MailboxItem, Open } from "@lucchetto/contract";
import { MAIL_LANGUAGES, MAIL_STATES, ProblemError, routes } from "@lucchetto/contract";
import type { Command } from "commander";
import { connect } from "../connection.ts";
import { Failure } from "../failure.ts";
import type { PageOptions } from "../options.ts";
import { oneOf, pageOf, printMore, withPage } from "../options.ts";
import { bold, print, printJson, printPairs, printTable, time } from "../output.ts";
import { runTask } from "../service-task.ts";

export function defineMail(mail: Command): void {
  withPage(mail.command("list"))
    .description("list mails, newest first")
    .addOption(oneOf("--state <state>", "only these", MAIL_STATES))
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto mail list --state given-up")
    .action(async (options: ListOptions, command: Command) => {
      const body = await listMails(command, { state: options.state, ...pageOf(options) });
      if (options.json === true) return printJson(body);
      printTable(
        ["when", "to", "subject", "state", "status", "id"],
        body.items.map((one) => [time(one.sentAt), one.to, one.subject, one.state, fateOf(one), one.id]),
        options.state === undefined && options.after === undefined
          ? "No mail yet. Request a link at /forgot."
          : "No such mail.",
        ["status", "when", "state"],
      );
      printMore(body.next);
    });
  mail
    .command("show")
    .description("show one mail as text, with its links; by default the newest")
    .argument("[id]", "its id, from `mail list`")
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
      if (found.lastAnswer !== null) print(`  ${found.lastAnswer}`);
      if (found.text !== "") print("", found.text.trimEnd());
    });
  mail
    .command("repeat")
    .description("retry a mail that is waiting or was given up (operators only)")
    .argument("<id>", "its id, from `mail list`")
    .addHelpText("after", "\nExample:\n  lucchetto mail repeat 019b7c2e-6a51-7c3e-9d0f-2b1f0a4c5d6e")
    .action(async (id: string, _options, command: Command) => {
      const { body } = await connect(command).signedIn()(routes.repeatMail, { params: { id } });
      print(`“${body.subject}” to ${body.to} is being sent again now.`);
    });
  mail
    .command("template")
    .description(
      "print a built-in template as a starting point for your own (mail.templates); without a name, list them",
    )
    .argument("[name]", "such as reset")
    .addOption(oneOf("--language <language>", "of the template", MAIL_LANGUAGES).default("en"))
    .addHelpText("after", "\nExample:\n  lucchetto mail template reset --language it > mails/reset.it.txt")
    .action((name: string | undefined, { language }: { language: string }) => showTemplate(name, language));
}

/** What stands in the templates, to begin one's own with. */
async function showTemplate(name: string | undefined, language: string): Promise<void> {
  const input = JSON.stringify({ name: name ?? "", language });
  const { kinds, source } = await runTask("mail-template", {
    config: "none",
    input,
  });
  if (source !== null) return print(source.trimEnd());
  if (name !== undefined)
    throw new Failure(
      `There is no mail ${JSON.stringify(name)}; there are ${kinds.map((one) => one.name).join(", ")}.`,
      2,
    );
  printTable(
    ["template", "sent when", "placeholders"],
    kinds.map((one) => [one.name, one.when, ["site", ...one.says].join(", ")]),
    "",
  );
}

interface ListOptions extends PageOptions {
  readonly state?: MailboxItem["state"];
  readonly json?: boolean;
}

interface Query {
  readonly limit: number;
  readonly cursor?: string | undefined;
  readonly state?: MailboxItem["state"] | undefined;
}

/** Development shows them to anybody on loopback; production to operators. */
async function listMails(
  command: Command,
  query: Query,
): Promise<{ items: Array<Open<MailboxItem>>; next: string | null }> {
  const connection = connect(command);
  try {
    return (await connection.client(routes.listDevelopmentMailbox, { query })).body;
  } catch (error) {
    if (!(error instanceof ProblemError) || error.problem.code !== "not-found") throw error;
    return (await connection.signedIn()(routes.listMailbox, { query })).body;
  }
}

async function find(command: Command, id: string | undefined): Promise<Open<MailboxItem>> {
  const { items } = await listMails(command, { limit: 100 });
  const found = id === undefined ? items[0] : items.find((one) => one.id === id);
  if (found !== undefined) return found;
  throw new Failure(
    id === undefined ? "There is no mail yet." : `There is no mail ${id} among the latest 100.`,
  );
}

/** Why it waits, was given up or held back. */
function fateOf({ heldBecause, lastAnswer, tries }: Open<MailboxItem>): string {
  if (heldBecause !== null) return heldBecause;
  return lastAnswer === null ? "–" : `${lastAnswer}${tries > 1 ? ` (try ${tries})` : ""}`;
}
