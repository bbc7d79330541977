/** As an operator: account list, account show. */
import type { AccountDetail, Open } from "@lucchetto/contract";
import { routes } from "@lucchetto/contract";
import { ALGORITHMS, formatBytes } from "@lucchetto/core";
import type { Command } from "commander";
import { InvalidArgumentError, Option } from "commander";
import { askPassword, askWhether } from "../ask.ts";
import { connect } from "../connection.ts";
import { findId } from "../find-account.ts";
import type { PageOptions } from "../options.ts";
import { pageOf, printMore, withPage } from "../options.ts";
import { bold, print, printJson, printPairs, printTable, time } from "../output.ts";
import { drawRecord } from "../record-drawing.ts";
import { addInviteCommand } from "./invite.ts";

export function defineAccount(account: Command): void {
  addInviteCommand(account);
  addStateCommand(account, "suspend", "suspended", "suspend an account and end its sessions immediately");
  addStateCommand(account, "restore", "active", "restore a suspended account; its old sessions stay ended");
  account
    .command("add")
    .description("add an account; its owner replaces the first password at the first sign-in")
    .option("--email <address>", "e-mail address")
    .option("--username <name>", "username")
    .option("--name <text>", "display name")
    .option("--label <label...>", "labels for the application")
    .option("--reference <id>", "the application's own id for the person")
    .option("--password", "ask for a first password")
    .option("--password-stdin", "read a first password from standard input")
    .option("--keep-password", "do not require a new password at the first sign-in")
    .option("--json", "as JSON")
    .addHelpText(
      "after",
      "\nExample:\n  lucchetto account add --email petra@brina.example --name 'Petra Sasso' --label keeper --password",
    )
    .action(async (options: AddOptions, command: Command) => {
      const { email, username, name: displayName, label: labels, reference } = options;
      const wantsPassword = options.password === true || options.passwordStdin === true;
      const password = wantsPassword
        ? await askPassword(options, "First password", { repeat: true })
        : undefined;
      const mustChangePassword = options.keepPassword === true ? false : undefined;
      const { body } = await connect(command).signedIn()(routes.addAccount, {
        body: { email, username, displayName, labels, reference, password, mustChangePassword },
      });
      if (options.json === true) return printJson(body);
      print(`${body.email ?? body.username ?? body.id} was added (${body.id}).`);
      if (body.scheme === null) print("It has no password yet, so nobody can sign in with one.");
      else if (body.mustChangePassword) print("They will choose a new password at their first sign-in.");
    });
  account
    .command("erase")
    .description("erase an account and everything in it; this cannot be undone")
    .argument("<account>", "e-mail address, username, id or reference")
    .option("--yes", "do not ask")
    .addHelpText("after", "\nExample:\n  lucchetto account erase anna@brina.example")
    .action(async (named: string, options: { yes?: boolean }, command: Command) => {
      const connection = connect(command);
      const id = await findId(connection, named);
      if (options.yes !== true && !(await askWhether(`Erase ${named} (${id}) and all its data?`)))
        return print("Nothing was erased.");
      await connection.signedIn()(routes.eraseAccount, { params: { id } });
      print(
        `${named} was erased. The journal keeps its entries under ${id}, which no longer identifies anybody.`,
      );
    });
  addHelpCommands(account);
  account
    .command("must-change")
    .description("require a new password at the next sign-in and end the sessions immediately")
    .argument("<account>", "e-mail address, username, id or reference")
    .option("--no-longer", "cancel the requirement")
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto account must-change anna@brina.example")
    .action(async (named: string, options: { longer: boolean; json?: boolean }, command: Command) => {
      const connection = connect(command);
      const params = { id: await findId(connection, named) };
      const body = { mustChangePassword: options.longer };
      const reply = await connection.signedIn()(routes.changeAccount, { params, body });
      if (options.json === true) return printJson(reply.body);
      const who = reply.body.email ?? reply.body.username ?? reply.body.id;
      print(
        options.longer
          ? `${who} must choose a new password at the next sign-in.`
          : `${who} can keep the current password.`,
      );
    });
  account
    .command("label")
    .description("set an account's labels, replacing the ones it has")
    .argument("<account>", "e-mail address, username, id or reference")
    .argument("[labels...]", "none: removes all labels")
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto account label bruno@brina.example keeper")
    .action(async (named: string, labels: string[], options: { json?: boolean }, command: Command) => {
      const connection = connect(command);
      const params = { id: await findId(connection, named) };
      const { body } = await connection.signedIn()(routes.changeAccount, { params, body: { labels } });
      if (options.json === true) return printJson(body);
      print(`${body.email ?? body.username ?? body.id} now has: ${body.labels.join(", ") || "no labels"}.`);
    });

  withPage(account.command("list"))
    .description("accounts, newest first")
    .argument("[search]", "the beginning of an address, username or name; a whole id or reference")
    .addOption(
      new Option(
        "--scheme <scheme>",
        "with such a password record: a scheme or its beginning ('$scrypt$ln=13'), an algorithm, or `older`",
      ).argParser(readScheme),
    )
    .addOption(
      new Option(
        "--second-factor <which>",
        "active accounts that have a second factor, have none, or need one and have none",
      ).choices(["present", "none", "missing"]),
    )
    .option("--json", "as JSON")
    .addHelpText(
      "after",
      "\nExamples:\n  lucchetto account list\n  lucchetto account list anna --json\n  lucchetto account list --scheme older\n  lucchetto account list --second-factor missing",
    )
    .action(
      async (
        search: string | undefined,
        options: {
          scheme?: string;
          secondFactor?: "present" | "none" | "missing";
          json?: boolean;
        } & PageOptions,
        command: Command,
      ) => {
        const { scheme, secondFactor } = options;
        const query = { search, scheme, secondFactor, ...pageOf(options) };
        const { body } = await connect(command).signedIn()(routes.listAccounts, { query });
        if (options.json === true) return printJson(body);
        const rows = body.items.map((one) => [
          one.email ?? "–",
          one.username ?? "–",
          one.displayName ?? "–",
          one.state,
          one.labels.join(", ") || "–",
          scheme === undefined ? time(one.createdAt) : (one.scheme ?? "–"),
          one.lastSignInAt === null ? "never" : time(one.lastSignInAt),
          one.id,
        ]);
        const fourth = scheme === undefined ? "created" : "record's scheme";
        const head = ["e-mail", "username", "name", "state", "labels", fourth, "last sign-in", "id"];
        const isWhole = [search, scheme, secondFactor].every((narrowing) => narrowing === undefined);
        printTable(head, rows, isWhole ? "No accounts yet. Run: lucchetto register" : "Nothing matches.", [
          "created",
          "last sign-in",
          "username",
          "labels",
          "name",
        ]);
        printMore(body.next);
      },
    );

  account
    .command("show")
    .description("show one account: details, password record taken apart, sessions")
    .argument("<account>", "e-mail address, username, id or reference")
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto account show anna@brina.example")
    .action(async (named: string, options: { json?: boolean }, command: Command) => {
      const connection = connect(command);
      const id = await findId(connection, named);
      const client = connection.signedIn();
      const { body: detail } = await client(routes.showAccountDetail, { params: { id } });
      const { body: sessions } = await client(routes.listSessions, { query: { accountId: id, limit: 10 } });
      if (options.json === true) return printJson({ ...detail, sessions: sessions.items });
      printDetail(detail);
      print("", bold("Sessions"));
      const rows = sessions.items.map((one) => [
        one.endedAt === null ? "alive" : (one.endReason ?? "ended"),
        one.kind,
        time(one.createdAt),
        time(one.lastSeenAt),
        one.network ?? "–",
        one.id,
      ]);
      printTable(["state", "kind", "began", "last seen", "network", "id"], rows, "Never signed in.", [
        "network",
        "kind",
        "began",
      ]);
    });
}

/** What an operator does for somebody who lost everything; each with a reason. */
function addHelpCommands(account: Command): void {
  const reasonOption = ["--reason <text>", "the reason, for the journal and the other operators"] as const;
  account
    .command("remove-factor")
    .description("remove a lost second factor; the next sign-in requires the password and a click in a mail")
    .argument("<account>", "e-mail address, username, id or reference")
    .requiredOption(...reasonOption)
    .option("--json", "as JSON")
    .addHelpText(
      "after",
      "\nExample:\n  lucchetto account remove-factor bruno@brina.example --reason 'lost phone, showed his card'",
    )
    .action(async (named: string, options: { reason: string; json?: boolean }, command: Command) => {
      const connection = connect(command);
      const params = { id: await findId(connection, named) };
      const { reason } = options;
      const { body } = await connection.signedIn()(routes.removeSecondFactor, { params, body: { reason } });
      if (options.json === true) return printJson(body);
      print(
        `${nameOf(body)} no longer has a second factor. The owner and the other operators have been notified.`,
        "The next sign-in requires the password and a click in a mail.",
      );
    });
  account
    .command("correct-email")
    .description(
      "change the address of an account whose owner lost access to the old one; the new one must be confirmed",
    )
    .argument("<account>", "e-mail address, username, id or reference")
    .argument("<address>", "the new address")
    .requiredOption(...reasonOption)
    .option("--json", "as JSON")
    .addHelpText(
      "after",
      "\nExample:\n  lucchetto account correct-email bruno@brina.example bruno.falco@brina.example --reason 'left the old provider'",
    )
    .action(
      async (named: string, email: string, options: { reason: string; json?: boolean }, command: Command) => {
        const connection = connect(command);
        const params = { id: await findId(connection, named) };
        const { reason } = options;
        const { body } = await connection.signedIn()(routes.correctEmail, {
          params,
          body: { email, reason },
        });
        if (options.json === true) return printJson(body);
        print(
          `The address is now ${nameOf(body)}. It must be confirmed with the link in a mail.`,
          "The old address, if it was confirmed, can undo this for 7 days. The other operators have been notified.",
        );
      },
    );
  account
    .command("first-password")
    .description("set a first password, which opens the account once within 7 days")
    .argument("<account>", "e-mail address, username, id or reference")
    .requiredOption(...reasonOption)
    .option("--password-stdin", "read the password from standard input")
    .option("--json", "as JSON")
    .addHelpText(
      "after",
      "\nExample:\n  lucchetto account first-password petra@brina.example --reason 'asked at the counter'",
    )
    .action(
      async (
        named: string,
        options: { reason: string; passwordStdin?: boolean; json?: boolean },
        command: Command,
      ) => {
        const connection = connect(command);
        const params = { id: await findId(connection, named) };
        const password = await askPassword(options, "First password", { repeat: true });
        const { reason } = options;
        const { body } = await connection.signedIn()(routes.giveFirstPassword, {
          params,
          body: { password, reason },
        });
        if (options.json === true) return printJson(body);
        print(
          `${nameOf(body)} can sign in with it once within 7 days, and then chooses a new one.`,
          "The owner and the other operators have been notified.",
        );
      },
    );
}

function nameOf({
  email,
  username,
  id,
}: {
  email: string | null;
  username: string | null;
  id: string;
}): string {
  return email ?? username ?? id;
}

interface AddOptions {
  readonly email?: string;
  readonly username?: string;
  readonly name?: string;
  readonly label?: string[];
  readonly reference?: string;
  readonly password?: boolean;
  readonly passwordStdin?: boolean;
  readonly keepPassword?: boolean;
  readonly json?: boolean;
}

/** `account suspend` and `account restore`. */
function addStateCommand(
  account: Command,
  name: string,
  state: "active" | "suspended",
  description: string,
): void {
  account
    .command(name)
    .description(description)
    .argument("<account>", "e-mail address, username, id or reference")
    .option("--json", "as JSON")
    .addHelpText("after", `\nExample:\n  lucchetto account ${name} anna@brina.example`)
    .action(async (named: string, options: { json?: boolean }, command: Command) => {
      const connection = connect(command);
      const params = { id: await findId(connection, named) };
      const { body } = await connection.signedIn()(routes.changeAccount, { params, body: { state } });
      if (options.json === true) return printJson(body);
      print(`${body.email ?? body.username ?? body.id} is ${body.state}.`);
    });
}

function inWords({
  authenticators,
  passkeys,
  recoveryCodesLeft: left,
}: Open<AccountDetail>["secondFactor"]): string {
  if (authenticators.length + passkeys.length === 0) return "none";
  const used = (lastUsedAt: string | null) =>
    lastUsedAt === null ? "never used" : `last used ${time(lastUsedAt)}`;
  const names = [
    ...passkeys.map(
      ({ name, kind, backedUp, signCount, lastUsedAt }) =>
        `${name} (passkey, ${kind}, ${backedUp ? "backed up" : "no backup"}, counter ${signCount}, ${used(lastUsedAt)})`,
    ),
    ...authenticators.map(
      ({ name, driftSeconds, lastUsedAt }) =>
        `${name} (authenticator app, ${driftSeconds === 0 ? "" : `clock off by ${driftSeconds} s, `}${used(lastUsedAt)})`,
    ),
  ];
  return `${names.join(", ")}; ${left} recovery ${left === 1 ? "code" : "codes"} left`;
}

function printDetail({ account, password, secondFactor }: Open<AccountDetail>): void {
  print(bold("Account"));
  printPairs([
    ["id", account.id],
    [
      "e-mail",
      account.email === null
        ? "–"
        : `${account.email} (${account.emailVerified ? "verified" : "not verified"})`,
    ],
    ["username", account.username ?? "–"],
    ["name", account.displayName ?? "–"],
    ["reference", account.reference ?? "–"],
    ["state", account.state],
    ["labels", account.labels.join(", ") || "–"],
    ["created", time(account.createdAt)],
    ["last sign-in", account.lastSignInAt === null ? "never" : time(account.lastSignInAt)],
    ["second factor", inWords(secondFactor)],
    ...(account.mustChangePassword
      ? [["next", "a new password is required at the next sign-in"] as const]
      : []),
  ]);
  print("", bold("Password record"));
  if (password === null) return print("This account has no password.");
  if ("unreadable" in password)
    return print(`The stored text is not a valid record: ${password.unreadable}.`);
  print(...drawRecord(password.segments), "");
  printPairs([
    [
      "scheme",
      password.current ? `${password.scheme} (current)` : `${password.scheme} (older than configured)`,
    ],
    ["configured", password.configuredScheme],
    [
      "one check",
      `${password.millisecondsHere === null ? "" : `about ${Math.round(password.millisecondsHere)} ms and `}${formatBytes(password.memoryBytes)} on the service's machine`,
    ],
    ["password set", time(password.setAt)],
    ["record made", time(password.recordMadeAt)],
  ]);
}

/** Names that the service knows; a beginning is judged by nobody. */
function readScheme(text: string): string {
  if (text === "older" || text === "sealed" || text.startsWith("$") || ALGORITHMS.has(text)) return text;
  throw new InvalidArgumentError(
    `Expected older, a scheme such as '$scrypt$ln=15,r=8,p=3', or one of ${[...ALGORITHMS.keys()].join(", ")}.`,
  );
}
