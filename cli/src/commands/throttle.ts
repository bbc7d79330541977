/** As an operator: throttle list, throttle release. */
import type { Open, ThrottleEntry } from "@lucchetto/contract";
import { routes, saidOf } from "@lucchetto/contract";
import type { Command } from "commander";
import type { Connection } from "../connection.ts";
import { connect } from "../connection.ts";
import { Failure } from "../failure.ts";
import { print, printJson, printTable, time } from "../output.ts";
import { problemCodeOf } from "../prove-again.ts";

const KINDS: Readonly<Record<ThrottleEntry["kind"], string>> = {
  "account-strange": "account, unknown devices",
  "account-known": "account, known devices",
  "account-own": "account, inside its sessions",
  "account-factor": "account, second factor",
  "account-factor-known": "account, second factor, known browser",
  "account-factor-reset": "account, attempts after a reset",
  "account-codes-by-mail": "account, codes tried with mailed links",
  "account-usernames": "account, changes of username",
  "account-hashing": "account, new passwords",
  "account-changes": "account, changes of details",
  "account-copies": "account, copies of its data",
  "account-keys": "account, access keys",
  name: "a name as it was typed",
  "undo-link": "an undo link",
  "link-hashing": "a mailed link, new passwords",
  network: "network",
  "network-registrations": "network, registrations",
  "network-mail": "network, mail requests",
  "network-challenges": "network, passkey challenges",
  "address-mail": "mail to an address",
  "device-mail": "mail requested by known devices",
  "app-work": "app, managing accounts",
};

export function defineThrottle(throttle: Command): void {
  throttle
    .command("list")
    .description("list who is blocked for now, or would be after one more failure")
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto throttle list")
    .action(async (options: { json?: boolean }, command: Command) => {
      const connection = connect(command);
      const { body } = await connection.signedIn()(routes.listThrottle);
      if (options.json === true) return printJson(body);
      const rows = await Promise.all(
        body.items.map(async (entry) => [
          saidOf(KINDS, entry.kind, entry.kind),
          await nameOf(connection, entry),
          String(entry.failures),
          entry.state,
          time(entry.waitUntil),
          entry.id.slice(0, 12),
        ]),
      );
      printTable(["what", "who", "failures", "state", "until", "id"], rows, "Nobody is held back.", [
        "until",
        "id",
      ]);
    });

  throttle
    .command("release")
    .description("unblock: reset the count, so that the next attempt is checked immediately")
    .argument(
      "<who>",
      "e-mail address, username, account id, network, or the beginning of an id from the list",
    )
    .addHelpText("after", "\nExample:\n  lucchetto throttle release anna@brina.example")
    .action(async (who: string, _options, command: Command) => {
      const connection = connect(command);
      const { body } = await connection.signedIn()(routes.listThrottle);
      const named = await Promise.all(
        body.items.map(async (entry) => ({ entry, names: [entry.subject, await nameOf(connection, entry)] })),
      );
      const chosen = named.filter(
        ({ entry, names }) => names.includes(who) || (who.length >= 6 && entry.id.startsWith(who)),
      );
      if (chosen.length === 0) throw new Failure(`${who} is not blocked. Run: lucchetto throttle list`);
      const client = connection.signedIn();
      for (const { entry } of chosen)
        await client(routes.releaseThrottle, { params: { id: entry.id } }).catch(wentWithAnother);
      print(`${who} was unblocked.`);
    });
}

/** An account's counts go together: the first release took the others along. */
function wentWithAnother(error: unknown): void {
  if (problemCodeOf(error) !== "not-found") throw error;
}

/** A name that no account has is not kept: a short fingerprint tells it from others. */
async function nameOf(connection: Connection, { id, kind, subject }: Open<ThrottleEntry>): Promise<string> {
  if (subject === null) return `#${id.slice(0, 8)}`;
  if (!(kind.startsWith("account-") || kind === "name")) return subject;
  const { body } = await connection.signedIn()(routes.listAccounts, { query: { search: subject, limit: 1 } });
  const [account] = body.items;
  return account?.email ?? account?.username ?? subject;
}
