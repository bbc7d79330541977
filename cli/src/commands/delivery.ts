/** As an operator: notices to the application, and sending one again. */
import { routes } from "@lucchetto/contract";
import type { Command } from "commander";
import { connect } from "../connection.ts";
import { dim, print, printJson, printTable, time } from "../output.ts";

export function defineDelivery(delivery: Command): void {
  delivery
    .command("list")
    .description("notices, newest first, with their tries")
    .option("--state <state>", "waiting, delivered or given-up")
    .option("--limit <number>", "how many at most", "25")
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto delivery list --state given-up")
    .action(async (options: { state?: string; limit: string; json?: boolean }, command: Command) => {
      const state = options.state as "waiting" | "delivered" | "given-up" | undefined;
      const query = { state, limit: Number(options.limit) };
      const { body } = await connect(command).signedIn()(routes.listDeliveries, { query });
      if (options.json === true) return printJson(body);
      printTable(
        ["what", "state", "tries", "last answer", "when", "id"],
        body.items.map((one) => [
          one.type,
          one.state,
          String(one.tries),
          one.lastAnswer ?? "–",
          time(one.createdAt),
          one.id,
        ]),
        "No notices. Name a receiver in the configuration: webhooks.notify.url and webhooks.secretFile.",
      );
      if (body.next !== null) print(dim("There are more; raise --limit (at most 100)."));
    });
  delivery
    .command("repeat")
    .description("send a notice again, at once")
    .argument("<id>", "the notice's id, as `delivery list` shows it")
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto delivery repeat 0190b6a2-5f3e-7c1a-9b2d-3f4e5a6b7c8d")
    .action(async (id: string, options: { json?: boolean }, command: Command) => {
      const { body } = await connect(command).signedIn()(routes.repeatDelivery, { params: { id } });
      if (options.json === true) return printJson(body);
      print(`${body.type} is sent again.`);
    });
}
