/** For the one who runs it: an installation from nothing, in one go. Run again it does only what is missing. */
import { existsSync } from "node:fs";
import { resolve } from "node:path";
import { matchTotp, readKeyUri, readTotpCode } from "@lucchetto/core";
import type { Command } from "commander";
import { askCode, askPassword, prompts } from "../ask.ts";
import { Failure } from "../failure.ts";
import { linesToPaste } from "../lines-to-paste.ts";
import { bold, dim, print, printJson, rust, verdigris } from "../output.ts";
import type { StepwiseTask } from "../service-task.ts";
import { startStepwiseTask } from "../service-task.ts";
import { terminal } from "../terminal.ts";

interface SetupOptions {
  readonly config: string;
  readonly siteName?: string;
  readonly publicUrl?: string;
  readonly database?: string;
  readonly admin?: string | false;
  readonly operatorEmail?: string;
  readonly operatorName?: string;
  readonly passwordStdin?: boolean;
  readonly appName?: string;
  readonly appUrl?: string;
  readonly json?: boolean;
  readonly smtp?: string;
  readonly mailFrom?: string;
}

/** With the process that does them. */
interface Steps extends SetupOptions {
  readonly task: StepwiseTask;
}

interface StepDone {
  readonly outcome: "made" | "there" | "kept";
  readonly detail: string;
}
/** Of the first operator, in production. */
interface SecondFactor {
  readonly uri: string;
  readonly picture: string;
  readonly recoveryCodes: readonly string[];
}

interface Found {
  readonly operator: string | null;
  readonly apps: ReadonlyArray<{
    readonly clientId: string;
    readonly name: string;
    readonly redirectUri: string;
  }>;
}
interface AppDone extends StepDone {
  readonly clientId: string;
  readonly key: string | null;
  readonly redirectUri: string;
  readonly service: string;
}

const USUAL = {
  config: "lucchetto.yaml",
  siteName: "This site",
  publicUrl: "http://localhost:8420",
  database: "mariadb://lucchetto@127.0.0.1:3306/lucchetto",
  appName: "My application",
  appUrl: "http://localhost:3000",
} as const;

export function defineSetup(setup: Command): void {
  setup
    .option("--config <file>", "where to write the configuration", USUAL.config)
    .option("--site-name <text>", "the site's name")
    .option(
      "--public-url <address>",
      "the address people see; any but a loopback address means production, and https",
    )
    .option("--database <address>", `such as ${USUAL.database}; without a password`)
    .option(
      "--admin <address>",
      "a database administrator who creates database and user, such as mariadb://root@127.0.0.1:3306",
    )
    .option("--no-admin", "the database and its user already exist")
    .option("--smtp <address>", "the mail server, such as smtps://huts@mail.example:465; without a password")
    .option("--mail-from <sender>", "such as 'Brina Huts <huts@brina.example>'")
    .option("--operator-email <address>", "the first operator")
    .option("--operator-name <text>", "the operator's display name")
    .option("--password-stdin", "read the operator's password from standard input")
    .option("--app-name <text>", "the first application's name")
    .option("--app-url <address>", "its address, such as http://localhost:3000")
    .option("--json", "as JSON")
    .addHelpText(
      "after",
      [
        "",
        "On a terminal, setup asks for whatever is not given. Otherwise it uses the default, or tells you what is missing.",
        "Passwords: the administrator's from LUCCHETTO_ADMIN_PASSWORD, an existing database user's from LUCCHETTO_DATABASE_PASSWORD, the mail server's from LUCCHETTO_MAIL_SMTP_PASSWORD.",
        "",
        "Examples:",
        "  lucchetto setup",
        "  lucchetto setup --admin mariadb://root@localhost/run/mysqld/mysqld.sock --operator-email office@brina.example",
      ].join("\n"),
    )
    .action(setUp);
}

async function setUp(given: SetupOptions): Promise<void> {
  const task = startStepwiseTask("setup", given.config);
  try {
    await takeSteps({ ...given, task });
  } finally {
    task.close();
  }
}

async function takeSteps(options: Steps): Promise<void> {
  const { config, task } = options;
  const said: StepDone[] = [];
  const say = (...steps: StepDone[]): void => {
    said.push(...steps);
    if (options.json === true) return;
    for (const { outcome, detail } of steps) print(SHOWN[outcome](detail));
  };

  const wish = existsSync(resolve(terminal().cwd, config))
    ? null
    : await until(() => askConfiguration(options));
  say(...(await task.ask<{ steps: StepDone[] }>("configuration", wish)).steps);
  say(...(await until((again) => setUpDatabase(options, again))).steps);
  // Only now the configuration is whole, with the secrets beside it.
  if (wish === null) say(...(await askKept(options)));

  const found = await task.ask<Found>("state", null);
  let operatorsFactor: SecondFactor | null = null;
  if (found.operator !== null) {
    say({ outcome: "there", detail: `operator ${found.operator}` });
    const { operatorEmail } = options;
    if (operatorEmail !== undefined && operatorEmail.toLowerCase() !== found.operator.toLowerCase())
      say({
        outcome: "kept",
        detail: `operator ${operatorEmail} was not created; to add another: lucchetto operator add --email ${operatorEmail}`,
      });
  } else {
    const { secondFactor, ...done } = await until((again) => setUpOperator(options, again));
    say(done);
    if (secondFactor !== null && options.json !== true) await handSecondFactorOver(secondFactor);
    operatorsFactor = secondFactor;
  }

  const app = await until((again) => setUpApp(options, found, again));
  say(app);
  say(...keptApps(options, found));
  if (options.json === true) return printJson({ steps: said, app, operatorsFactor });
  printWhatNext(config, app);
}

const SHOWN: Readonly<Record<StepDone["outcome"], (detail: string) => string>> = {
  made: (detail) => `${verdigris("made ")}  ${detail}`,
  there: (detail) => dim(`there  ${detail}`),
  kept: (detail) => `${rust("kept ")}  ${detail}`,
};

/** Which of the options the configuration that is there does not follow. */
async function askKept({ task, siteName, publicUrl, database, smtp, mailFrom }: Steps): Promise<StepDone[]> {
  const given = { siteName, publicUrl, databaseUrl: database, smtpUrl: smtp, mailFrom };
  return (await task.ask<{ steps: StepDone[] }>("kept", given)).steps;
}

/** Apps that are there already stay as they are. */
function keptApps({ appName, appUrl }: SetupOptions, { apps }: Found): StepDone[] {
  const [first] = apps;
  if (first === undefined || (appName ?? appUrl) === undefined) return [];
  const redirectUri = appUrl === undefined ? undefined : `${appUrl.replace(/\/+$/, "")}/signed-in`;
  const isThere = apps.some(
    (app) => app.name === (appName ?? app.name) && app.redirectUri === (redirectUri ?? app.redirectUri),
  );
  if (isThere) return [];
  const another = `lucchetto app add "${appName ?? USUAL.appName}" --redirect-uri ${redirectUri ?? first.redirectUri}`;
  return [
    { outcome: "kept", detail: `no app besides ${first.clientId} was created; to add another: ${another}` },
  ];
}

/**
 * Does a step, and on a terminal asks again when it was refused, so that a wrong answer can be corrected.
 * @param step told whether it is asked again: then what was given as an option did not do.
 */
async function until<Result>(step: (again: boolean) => Promise<Result>): Promise<Result> {
  for (let again = false; ; again = true) {
    try {
      return await step(again);
    } catch (error) {
      if (!(error instanceof Failure) || terminal().stdin.isTTY !== true) throw error;
      terminal().stderr.write(`\n${error.message}\nTry again:\n`);
    }
  }
}

async function askConfiguration(options: Steps) {
  const names = {
    siteName: await wanted(options.siteName, "What is the site called?", USUAL.siteName),
    publicUrl: await wanted(options.publicUrl, "At what address will people see Lucchetto?", USUAL.publicUrl),
    databaseUrl: await wanted(
      options.database,
      "Where is its database? (without a password)",
      USUAL.database,
    ),
  };
  const wish = { ...names, ...(await askMail(options, names.publicUrl)) };
  await options.task.ask("judge", wish);
  return wish;
}

/** Asked for a public site alone: in development the built-in mailbox catches mail. */
async function askMail({ smtp, mailFrom }: SetupOptions, publicUrl: string) {
  const mayAsk = terminal().stdin.isTTY === true && smtp === undefined && publicUrl.startsWith("https:");
  const smtpUrl = mayAsk
    ? (
        await (
          await prompts()
        ).input({ message: "The mail server, such as smtps://huts@mail.example:465 (leave empty for none)" })
      ).trim()
    : (smtp ?? "");
  if (smtpUrl === "") return { smtpUrl: null, mailFrom: null };
  return {
    smtpUrl,
    mailFrom: await wanted(mailFrom, "Sender of its mails, such as Brina Huts <huts@brina.example>"),
  };
}

async function setUpDatabase(options: Steps, again: boolean): Promise<{ steps: StepDone[] }> {
  const given = again ? undefined : options.admin;
  let adminUrl: string | null = typeof given === "string" ? given : null;
  let adminPassword = terminal().env["LUCCHETTO_ADMIN_PASSWORD"] ?? null;
  let password: string | null = null;
  if (terminal().stdin.isTTY === true && given === undefined) {
    // Whatever is there already needs no administrator.
    const asIs = again ? null : await tryDatabase(options);
    if (asIs !== null) return asIs;
    if (
      await (
        await prompts()
      ).confirm({
        message: "Should a database administrator create the database and its user now?",
        default: true,
      })
    ) {
      adminUrl = await (
        await prompts()
      ).input({
        message: "The administrator's address",
        default: "mariadb://root@127.0.0.1:3306",
      });
      const typed = await (
        await prompts()
      ).password({ message: "The administrator's password (leave empty for none)" });
      adminPassword = typed === "" ? null : typed;
    } else password = await (await prompts()).password({ message: "Password of the database user" });
  } else if (adminUrl === null) {
    password = terminal().env["LUCCHETTO_DATABASE_PASSWORD"] ?? null;
  }
  return options.task.ask("database", { adminUrl, adminPassword, password });
}

/** With what is kept from an earlier time. */
async function tryDatabase({ task }: Steps): Promise<{ steps: StepDone[] } | null> {
  try {
    return await task.ask("database", { adminUrl: null, adminPassword: null, password: null });
  } catch (error) {
    if (error instanceof Failure) return null;
    throw error;
  }
}

/** Shown this once: in production operators change nothing without it. On a terminal a first code shows that it was taken over. */
async function handSecondFactorOver({ uri, picture, recoveryCodes }: SecondFactor): Promise<void> {
  print(
    "",
    bold("The operator's second factor"),
    dim("(shown only once; production requires it for operators)"),
    "",
  );
  if (terminal().stdin.isTTY === true) print(picture);
  print(uri, "", "Recovery codes, each of which works once in its place:", "");
  for (const code of recoveryCodes) print(`  ${code}`);
  print("");
  if (terminal().stdin.isTTY !== true) return;
  const { secret, settings } = readKeyUri(uri);
  for (;;) {
    const typed = await askCode("The code your authenticator app shows now (leave empty to skip)");
    const code = readTotpCode(typed, settings.digits);
    if (typed.trim() === "") return;
    if (
      code !== null &&
      matchTotp({ secret, settings, lastStep: null }, code, new Date()).outcome === "right"
    )
      return print("It is right.");
    terminal().stderr.write(
      "That is not the current code. Scan the QR code, or enter the secret manually.\n",
    );
  }
}

async function setUpOperator(
  options: Steps,
  again: boolean,
): Promise<StepDone & { secondFactor: SecondFactor | null }> {
  const email = await wanted(
    again ? undefined : options.operatorEmail,
    "The first operator's e-mail address",
  );
  const password = await askPassword(again ? {} : options, "The operator's password", { repeat: true });
  return options.task.ask("operator", {
    email,
    displayName: options.operatorName ?? null,
    password,
  });
}

async function setUpApp(options: Steps, { apps }: Found, again: boolean): Promise<AppDone> {
  const isThere = apps.length > 0;
  const name = isThere
    ? ""
    : await wanted(options.appName, "What is your application called?", USUAL.appName);
  const url = isThere
    ? ""
    : await wanted(again ? undefined : options.appUrl, "What is its address?", USUAL.appUrl);
  return options.task.ask("app", { name, url });
}

/** What was given, else what is answered on a terminal, else the usual. @throws Failure if there is none. */
async function wanted(given: string | undefined, message: string, usual?: string): Promise<string> {
  if (given !== undefined) return given;
  if (terminal().stdin.isTTY === true) {
    const required = (text: string) => text.trim() !== "" || "This is required.";
    return (
      await (
        await prompts()
      ).input({ message, validate: required, ...(usual === undefined ? {} : { default: usual }) })
    ).trim();
  }
  if (usual !== undefined) return usual;
  throw new Failure(`${message}: there is no terminal to ask on; give it as an option (see --help).`, 2);
}

function printWhatNext(config: string, { clientId, key, redirectUri, service }: AppDone): void {
  print("", bold("The service"), "", `npx lucchetto serve --config ${config}`, "");
  if (key === null)
    print(
      dim(
        `The key of ${clientId} was shown when it was created. For a new one: lucchetto app new-key ${clientId}`,
      ),
      "",
    );
  else
    print(
      bold("The application's environment"),
      dim("(the key is shown only once)"),
      "",
      `LUCCHETTO_APP_KEY=${key}`,
      "",
    );
  const signedOutAddress = redirectUri.replace(/signed-in$/, "signed-out");
  print(...linesToPaste({ service, clientId, returnAddress: redirectUri, signedOutAddress }, "fastify"));
  print(
    "",
    dim("For Express, another language or a proxy: lucchetto app add … --style, or docs/applications.md"),
  );
}
