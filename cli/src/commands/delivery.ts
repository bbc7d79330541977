/** As an operator: notices to the application, and sending one again. */
import type { DeliveryState } from "@lucchetto/contract";
import { DELIVERY_STATES, routes } from "@lucchetto/contract";
import type { Command } from "commander";
import { connect } from "../connection.ts";
import type { PageOptions } from "../options.ts";
import { oneOf, pageOf, printMore, withPage } from "../options.ts";
import { print, printJson, printTable, time } from "../output.ts";

interface ListOptions extends PageOptions {
  readonly state?: DeliveryState;
  readonly json?: boolean;
}

export function defineDelivery(delivery: Command): void {
  withPage(delivery.command("list"))
    .description("list notices with their attempts, newest first")
    .addOption(oneOf("--state <state>", "only these", DELIVERY_STATES))
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto delivery list --state given-up")
    .action(async (options: ListOptions, command: Command) => {
      const query = { state: options.state, ...pageOf(options) };
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
        // Nobody knows from here whether a receiver is named.
        options.state === undefined && options.after === undefined
          ? "No notices yet. Set their receiver in the configuration: webhooks.notify.url"
          : "No such notices.",
        ["when", "tries", "last answer"],
      );
      printMore(body.next);
    });
  delivery
    .command("repeat")
    .description("send a notice again now")
    .argument("<id>", "the notice's id, from `delivery list`")
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto delivery repeat 0190b6a2-5f3e-7c1a-9b2d-3f4e5a6b7c8d")
    .action(async (id: string, options: { json?: boolean }, command: Command) => {
      const { body } = await connect(command).signedIn()(routes.repeatDelivery, { params: { id } });
      if (options.json === true) return printJson(body);
      print(`${body.type} will be sent again.`);
    });
}
