/** Every noun of the command, in the order of its help. What a noun can do is loaded when it is called. */
import type { Command } from "commander";

export interface Noun {
  readonly name: string;
  readonly group: string;
  readonly description: string;
  /** Gives the noun its verbs, arguments and options. */
  define(noun: Command): Promise<void>;
}

const RUNNING = "Running the service";
const PERSON = "Your own account";
const OPERATOR = "As an operator";
const DEVELOPER = "For developers";

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
    "create an installation: configuration, keys, database, first operator, first app",
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
    "check configuration, passwords, pages and database; exit 1 if anything is wrong",
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
    "sign in; later commands act for this account",
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
    "end the session on the server and delete its token",
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
    "the record of security events: list, follow, verify",
    async () => (await import("./journal.ts")).defineJournal,
  ),
  noun(
    OPERATOR,
    "app",
    "applications that use Lucchetto, and their keys",
    async () => (await import("./app.ts")).defineApp,
  ),
  noun(
    OPERATOR,
    "mail",
    "mails: list, show, retry; templates (in development, no sign-in needed)",
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
    "map",
    "an application's routes: which are closed, and which nobody said anything of",
    async () => (await import("./map.ts")).defineMap,
  ),
  noun(
    DEVELOPER,
    "front",
    "stand guard before an application written in anything",
    async () => (await import("./front.ts")).defineFront,
  ),
  noun(
    DEVELOPER,
    "hash",
    "password records: make, check, explain, tune",
    async () => (await import("./hash.ts")).defineHash,
  ),
  noun(
    DEVELOPER,
    "recipe",
    "test how an old system made its password digests",
    async () => (await import("./recipe.ts")).defineRecipe,
  ),
  noun(
    DEVELOPER,
    "import",
    "import an old system's users table",
    async () => (await import("./import.ts")).defineImport,
  ),
  noun(DEVELOPER, "export", "export all accounts", async () => (await import("./export.ts")).defineExport),
  noun(
    DEVELOPER,
    "password-list",
    "the list of compromised passwords",
    async () => (await import("./password-list.ts")).definePasswordList,
  ),
  noun(
    DEVELOPER,
    "totp",
    "one-time codes for authenticator apps",
    async () => (await import("./totp.ts")).defineTotp,
  ),
  noun(
    DEVELOPER,
    "rehearse",
    "test an application the way a visitor and an attacker would",
    async () => (await import("./rehearse.ts")).defineRehearse,
  ),
  noun(
    DEVELOPER,
    "trace",
    "what the service did for a request: checks, rows, cookies, mails, time (development mode only)",
    async () => (await import("./trace.ts")).defineTrace,
  ),
];
