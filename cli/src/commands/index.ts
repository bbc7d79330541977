/** Every noun of the command, in the order of its help. What a noun can do is loaded when it is called. */
import type { Command } from "commander";

export interface Noun {
  readonly name: string;
  readonly group: string;
  readonly description: string;
  /** Gives the noun its verbs, arguments and options. */
  define(noun: Command): Promise<void>;
}

const RUNNING = "For the one who runs the service";
const PERSON = "As a person";
const OPERATOR = "As an operator";
const DEVELOPER = "For a developer at work";

const noun = (
  group: string,
  name: string,
  description: string,
  load: () => Promise<(noun: Command) => void>,
): Noun => ({ group, name, description, define: async (command) => (await load())(command) });

export const NOUNS: readonly Noun[] = [
  noun(
    RUNNING,
    "setup",
    "make an installation from nothing: configuration, keys, database, first operator, first app",
    async () => (await import("./setup.ts")).defineSetup,
  ),
  noun(
    RUNNING,
    "serve",
    "run the service in the foreground until Ctrl-C",
    async () => (await import("./serve.ts")).defineServe,
  ),
  noun(
    RUNNING,
    "check",
    "look at configuration, passwords, pages and database; exit 1 if anything is wrong",
    async () => (await import("./check.ts")).defineCheck,
  ),
  noun(RUNNING, "schema", "the database's tables", async () => (await import("./schema.ts")).defineSchema),
  noun(
    RUNNING,
    "keys",
    "the key ring: keys kept outside the database",
    async () => (await import("./keys.ts")).defineKeys,
  ),
  noun(
    RUNNING,
    "operator",
    "the people who may use the console",
    async () => (await import("./operator.ts")).defineOperator,
  ),
  noun(
    RUNNING,
    "clock",
    "the service's clock (development mode only)",
    async () => (await import("./clock.ts")).defineClock,
  ),
  noun(PERSON, "register", "register an account", async () => (await import("./people.ts")).defineRegister),
  noun(
    PERSON,
    "sign-in",
    "sign in; the commands that follow act for this account",
    async () => (await import("./people.ts")).defineSignIn,
  ),
  noun(
    PERSON,
    "whoami",
    "who is signed in, and until when",
    async () => (await import("./people.ts")).defineWhoAmI,
  ),
  noun(
    PERSON,
    "sign-out",
    "end the session on the server and forget its token",
    async () => (await import("./people.ts")).defineSignOut,
  ),
  noun(
    OPERATOR,
    "account",
    "accounts: list, show, add, invite, change, erase",
    async () => (await import("./account.ts")).defineAccount,
  ),
  noun(OPERATOR, "session", "sessions: list, end", async () => (await import("./session.ts")).defineSession),
  noun(
    OPERATOR,
    "throttle",
    "who is blocked after failed attempts: list, release",
    async () => (await import("./throttle.ts")).defineThrottle,
  ),
  noun(
    OPERATOR,
    "journal",
    "the record of security events: list",
    async () => (await import("./journal.ts")).defineJournal,
  ),
  noun(
    OPERATOR,
    "app",
    "applications that stand behind Lucchetto, and their keys",
    async () => (await import("./app.ts")).defineApp,
  ),
  noun(
    OPERATOR,
    "mail",
    "mails that were sent, are waiting, or were caught (in development for anybody)",
    async () => (await import("./mail.ts")).defineMail,
  ),
  noun(
    OPERATOR,
    "delivery",
    "notices to the application: list, repeat",
    async () => (await import("./delivery.ts")).defineDelivery,
  ),
  noun(
    DEVELOPER,
    "hash",
    "password records, made and read on this machine",
    async () => (await import("./hash.ts")).defineHash,
  ),
  noun(
    DEVELOPER,
    "recipe",
    "how an old system made its password digests, written down and tried",
    async () => (await import("./recipe.ts")).defineRecipe,
  ),
  noun(
    DEVELOPER,
    "import",
    "moving in with the users table of an old system",
    async () => (await import("./import.ts")).defineImport,
  ),
  noun(
    DEVELOPER,
    "export",
    "all accounts, to take them elsewhere",
    async () => (await import("./export.ts")).defineExport,
  ),
  noun(
    DEVELOPER,
    "password-list",
    "the list of compromised passwords that nobody may choose",
    async () => (await import("./password-list.ts")).definePasswordList,
  ),
  noun(
    DEVELOPER,
    "totp",
    "one-time codes of authenticator apps",
    async () => (await import("./totp.ts")).defineTotp,
  ),
  noun(
    DEVELOPER,
    "rehearse",
    "walk through an application as a person would, and see what holds",
    async () => (await import("./rehearse.ts")).defineRehearse,
  ),
  noun(
    DEVELOPER,
    "trace",
    "what the service did for a request: checks, rows, cookies, mails, time (development mode only)",
    async () => (await import("./trace.ts")).defineTrace,
  ),
];
