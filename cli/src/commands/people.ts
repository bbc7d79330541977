/** As a person: register, sign-in, whoami, sign-out. */
import type { Account, Open, ProofWanted, Session } from "@lucchetto/contract";
import { createClient, routes } from "@lucchetto/contract";
import type { Command } from "commander";
import { askAgain, askCode, askPassword, takeLine } from "../ask.ts";
import type { Connection } from "../connection.ts";
import { connect } from "../connection.ts";
import { Failure } from "../failure.ts";
import { print, printJson, printPairs, time } from "../output.ts";
import { askSecondFactor } from "../prove-again.ts";
import { terminal } from "../terminal.ts";

interface PasswordOption {
  readonly passwordStdin?: boolean;
  readonly json?: boolean;
}

export function defineRegister(register: Command): void {
  register
    .option("--email <address>", "e-mail address")
    .option("--username <name>", "username")
    .option("--name <text>", "display name")
    .option("--password-stdin", "read the password from standard input")
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto register --email anna@brina.example --name 'Anna Larice'")
    .action(
      async (
        options: PasswordOption & { email?: string; username?: string; name?: string },
        command: Command,
      ) => {
        if (options.email === undefined && options.username === undefined) {
          throw new Failure("Give --email, --username, or both.", 2);
        }
        const connection = connect(command);
        const password = await askPassword(options, "Password", { repeat: true });
        const { email, username, name: displayName } = options;
        const body = { email, username, displayName, password, deliver: "token" } as const;
        const reply = await connection.client(routes.register, { body });
        if (reply.status === 202) {
          if (options.json === true) return printJson(reply.body);
          return print("Check your mail for the next step.");
        }
        const { token, ...shown } = reply.body;
        if (token !== undefined) await connection.keepInstead(token);
        if (options.json === true) return printJson(shown);
        print(`Registered and signed in at ${connection.url}.`);
        printWho(shown);
      },
    );
}

export function defineSignIn(signIn: Command): void {
  signIn
    .argument("<identifier>", "e-mail address or username")
    .option("--remember", "stay signed in longer")
    .option("--by-mail", "without a password: we mail a link that shows a code to enter here")
    .option(
      "--password-stdin",
      "read the password from the first line of standard input, and a code, if needed, from the second",
    )
    .option("--json", "as JSON")
    .addHelpText(
      "after",
      "\nExample:\n  lucchetto sign-in office@brina.example\n  lucchetto sign-in anna.larice@brina.example --by-mail",
    )
    .action(
      async (
        identifier: string,
        options: PasswordOption & { remember?: boolean; byMail?: boolean },
        command: Command,
      ) => {
        const connection = connect(command);
        const begin = options.byMail === true ? beginByMail : beginByPassword;
        const begun = await begin(connection, identifier, options);
        const reply = await showWhatIsWanted(connection, begun, options);
        const { token, ...shown } = reply.body;
        if (token !== undefined) await connection.keepInstead(token);
        if (options.json === true) return printJson(shown);
        print(`Signed in at ${connection.url}.`);
        printWho(shown);
      },
    );
}

export function defineWhoAmI(whoAmI: Command): void {
  whoAmI
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto whoami --json")
    .action(async (options: { json?: boolean }, command: Command) => {
      const { body } = await connect(command).signedIn()(routes.showSession);
      if (options.json === true) return printJson(body);
      printWho(body);
    });
}

export function defineSignOut(signOut: Command): void {
  signOut
    .addHelpText("after", "\nExample:\n  lucchetto sign-out")
    .action(async (_options, command: Command) => {
      const connection = connect(command);
      await connection.signedIn()(routes.signOut);
      connection.forget();
      print("Signed out.");
    });
}

async function beginByPassword(
  connection: Connection,
  identifier: string,
  options: PasswordOption & { remember?: boolean },
) {
  // A code may follow in the next line.
  const password = options.passwordStdin === true ? await takeLine() : await askPassword(options);
  const { remember } = options;
  const proof = { type: "password", identifier, password } as const;
  return connection.client(routes.signIn, { body: { proof, remember, deliver: "token" } });
}

/** The code comes from the keyboard, or as a line of standard input. */
async function beginByMail(connection: Connection, identifier: string, { remember }: { remember?: boolean }) {
  const wish = { purpose: "sign-in", identifier, remember, deliver: "token" } as const;
  const asked = await connection.client(routes.askForLink, { body: wish });
  const { token } = asked.body;
  if (token === undefined) throw new Failure("The service did not start a sign-in.");
  terminal().stderr.write(
    "If there is such an account, a link is on its way. Open it and enter the code it shows.\n",
  );
  const client = createClient({ baseUrl: connection.url, token });
  const reply = await askAgain(async () =>
    client(routes.addProof, { body: { proof: { type: "mail-code", code: await askCode() } } }),
  );
  if (reply.status === 201) return reply;
  return { ...reply, body: { ...reply.body, token } };
}

type Begun = Awaited<ReturnType<typeof beginByPassword>>;

/** Shows one thing after the other, until there is a session. */
async function showWhatIsWanted(connection: Connection, begun: Begun, options: PasswordOption) {
  let reply = begun;
  const { token } = begun.body;
  while (reply.status === 202) {
    const { wanted } = reply.body;
    if (wanted.includes("new-password")) reply = await showNewPassword(connection, { token }, options);
    else if (wanted.includes("totp")) reply = await showSecondFactor(connection, { token });
    else if (wanted.includes("mail-code")) reply = await showMailCode(connection, { token });
    else if (wanted.includes("password")) reply = await showPassword(connection, { token });
    else throw new Failure("This sign-in needs more than this command supports. Sign in on the page.");
  }
  return reply;
}

/** A code of the authenticator app, or a recovery code, told apart by their look. */
async function showSecondFactor(connection: Connection, { token }: Pick<ProofWanted, "token">) {
  const client = createClient({ baseUrl: connection.url, ...(token === undefined ? {} : { token }) });
  return askAgain(async () => client(routes.addProof, { body: { proof: await askSecondFactor() } }));
}

/** The service wants to hear from the mailbox too: the link shows a code wherever it is opened. */
async function showMailCode(connection: Connection, { token }: Pick<ProofWanted, "token">) {
  terminal().stderr.write(
    "A mail is on its way to the account's address. Open its link and enter the code it shows.\n",
  );
  const client = createClient({ baseUrl: connection.url, ...(token === undefined ? {} : { token }) });
  return askAgain(async () => {
    const code = await askCode();
    if (code === "") throw new Failure("A code from the mail is needed. Sign in from a terminal.");
    return client(routes.addProof, { body: { proof: { type: "mail-code", code } } });
  });
}

/** Beside another proof: an operator removed the second factor, and the account was begun by mail. */
async function showPassword(connection: Connection, { token }: Pick<ProofWanted, "token">) {
  const password = await askPassword({});
  const client = createClient({ baseUrl: connection.url, ...(token === undefined ? {} : { token }) });
  return client(routes.addProof, { body: { proof: { type: "password", password } } });
}

/** An operator wants the password replaced before there is a session. */
async function showNewPassword(
  connection: Connection,
  { token }: Pick<ProofWanted, "token">,
  options: PasswordOption,
) {
  if (options.passwordStdin === true) {
    throw new Failure(
      "You must choose a new password first. Sign in on a terminal or on the page to choose one.",
    );
  }
  print("The password is right, but you must choose a new one.");
  const password = await askPassword({}, "New password", { repeat: true });
  const client = createClient({ baseUrl: connection.url, ...(token === undefined ? {} : { token }) });
  return client(routes.addProof, { body: { proof: { type: "new-password", password } } });
}

function printWho({ account, session }: { account: Open<Account>; session: Open<Session> }): void {
  printPairs([
    ["account", account.id],
    ["e-mail", account.email ?? "–"],
    ["username", account.username ?? "–"],
    ["name", account.displayName ?? "–"],
    ["labels", account.labels.join(", ") || "–"],
    ["session", `${session.id} (${session.kind}, level ${session.aal}: ${session.amr.join(", ")})`],
    ["expires if idle", time(session.idleEndsAt)],
    ["ends", time(session.endsAt)],
  ]);
}
