/** As an operator: app add, list, show, change, remove, and its keys. */
import type { App, AppRight } from "@lucchetto/contract";
import { APP_RIGHTS, MAILED_LINKS, routes } from "@lucchetto/contract";
import type { Command } from "commander";
import { InvalidArgumentError, Option } from "commander";
import { askWhether } from "../ask.ts";
import type { Connection } from "../connection.ts";
import { connect } from "../connection.ts";
import { Failure } from "../failure.ts";
import type { Style } from "../lines-to-paste.ts";
import { linesToPaste, STYLES } from "../lines-to-paste.ts";
import { collect } from "../options.ts";
import { bold, dim, print, printJson, printPairs, printTable, time } from "../output.ts";

function addRight(value: string, before: AppRight[] = []): AppRight[] {
  const right = APP_RIGHTS.find((one) => one === value);
  if (right === undefined) throw new InvalidArgumentError(`Allowed: ${APP_RIGHTS.join(", ")}.`);
  return [...before, right];
}

const HOME = ["--home <address>", "its first page, to which people's pages lead back"] as const;
const INITIATE_LOGIN = [
  "--initiate-login-uri <address>",
  "where people begin to sign in at it, so that Lucchetto can lead them to the page they wanted; of the hasp: its /sign-in",
] as const;

const LINK_ADDRESS = [
  "--link-address <purpose=address>",
  `own page for a mailed link (${MAILED_LINKS.join(", ")}); can be repeated`,
] as const;
type LinkAddresses = Readonly<Record<string, string>>;

function addLinkAddress(value: string, before: LinkAddresses = {}): LinkAddresses {
  const [, purpose, address] = /^([a-z-]+)=(.+)$/.exec(value) ?? [];
  if (purpose === undefined || address === undefined)
    throw new InvalidArgumentError(
      "Expected a purpose and an address, as in reset=https://huts.example/new-password.",
    );
  if (!MAILED_LINKS.some((one) => one === purpose))
    throw new InvalidArgumentError(`Allowed: ${MAILED_LINKS.join(", ")}.`);
  return { ...before, [purpose]: address };
}

export function defineApp(app: Command): void {
  app
    .command("add")
    .description("register an application; its key is shown only once")
    .argument("<name>", "the name people see")
    .requiredOption("--redirect-uri <address>", "return address after sign-in; can be repeated", collect, [])
    .option(
      "--signed-out-uri <address>",
      "where people may land after signing out; can be repeated",
      collect,
      [],
    )
    .option(...HOME)
    .option(...INITIATE_LOGIN)
    .option(...LINK_ADDRESS, addLinkAddress)
    .option("--client-id <id>", "default: derived from the name")
    .option("--own-forms", "let it sign people in with its own forms, so it sees their passwords")
    .option("--basic-passwords", "let it check people's own passwords that scripts send as HTTP Basic")
    .option(
      "--rights <name>",
      "accounts: let its server find, add, invite and change accounts, except operators'",
      addRight,
    )
    .addOption(
      new Option("--style <name>", "which program to print: other means any other language")
        .choices(STYLES)
        .default("fastify"),
    )
    .option("--json", "as JSON")
    .addHelpText(
      "after",
      "\nExample:\n  lucchetto app add 'Hut book' --redirect-uri http://localhost:8421/signed-in --signed-out-uri http://localhost:8421/signed-out --home http://localhost:8421/ --initiate-login-uri http://localhost:8421/sign-in",
    )
    .action(
      async (
        name: string,
        options: {
          redirectUri: string[];
          signedOutUri: string[];
          clientId?: string;
          home?: string;
          initiateLoginUri?: string;
          linkAddress?: LinkAddresses;
          ownForms?: boolean;
          basicPasswords?: boolean;
          rights?: AppRight[];
          style: Style;
          json?: boolean;
        },
        command: Command,
      ) => {
        const { redirectUri: redirectUris, signedOutUri: signedOutUris, clientId } = options;
        const { ownForms, basicPasswords, rights, home, initiateLoginUri } = options;
        const connection = connect(command);
        const { body } = await connection.signedIn()(routes.addApp, {
          body: {
            name,
            clientId,
            redirectUris,
            signedOutUris,
            ownForms,
            basicPasswords,
            rights,
            home,
            initiateLoginUri,
            linkAddresses: options.linkAddress,
          },
        });
        if (options.json === true) return printJson(body);
        printPairs([
          ["client id", body.app.clientId],
          ["app key", body.key],
        ]);
        print(dim("The key is shown only once. Put it into the application's environment."), "");
        const { url: service } = connection;
        const [returnAddress = "", signedOutAddress] = [redirectUris[0], signedOutUris[0]];
        print(
          ...linesToPaste(
            {
              ...{ service, clientId: body.app.clientId, returnAddress, signedOutAddress },
              ...{ basicPasswords, ownForms },
            },
            options.style,
          ),
        );
      },
    );

  app
    .command("list")
    .description("list registered applications")
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto app list")
    .action(async (options: { json?: boolean }, command: Command) => {
      const { body } = await connect(command).signedIn()(routes.listApps, { query: { limit: 100 } });
      if (options.json === true) return printJson(body);
      const rows = body.items.map((one) => [
        one.clientId,
        one.name,
        one.redirectUris.join(" "),
        mayOf(one),
        String(one.keys.length),
        String(one.asked.reduce((sum, { today }) => sum + today, 0)),
        time(
          one.keys
            .map(({ lastUsedAt }) => lastUsedAt)
            .sort()
            .at(-1) ?? null,
        ),
      ]);
      const empty = "No application yet. Run: lucchetto app add NAME --redirect-uri ADDRESS";
      printTable(
        ["client id", "name", "return addresses", "may", "keys", "asked today", "last asked"],
        rows,
        empty,
        ["last asked", "asked today", "may", "keys", "return addresses"],
      );
    });

  app
    .command("show")
    .description("show one application: addresses, rights, and keys with their ids")
    .argument("<client-id>")
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto app show hut-book")
    .action(async (clientId: string, options: { json?: boolean }, command: Command) => {
      const found = await findApp(connect(command), clientId);
      if (options.json === true) return printJson(found);
      printApp(found);
      print(
        "",
        found.keys.length === 0
          ? "It has no key, so it cannot call the service: lucchetto app new-key"
          : bold("Keys"),
      );
      // Whole, however narrow the terminal is: they are what retire-key takes.
      for (const { id: key, createdAt, lastUsedAt } of found.keys)
        print(`${key}  ${dim(`made ${time(createdAt)}, last used ${time(lastUsedAt)}`)}`);
    });

  app
    .command("change")
    .description("change an application; the given values replace the old ones")
    .argument("<client-id>")
    .option("--name <text>", "the name people see")
    .option(...HOME)
    .option("--no-home", "none any more")
    .option(...INITIATE_LOGIN)
    .option("--no-initiate-login-uri", "none any more")
    .option(...LINK_ADDRESS, addLinkAddress)
    .option("--no-link-address", "none any more")
    .option(
      "--redirect-uri <address>",
      "return address after sign-in; repeat to give the complete list",
      collect,
      [],
    )
    .option(
      "--signed-out-uri <address>",
      "where people may land after signing out; repeat to give the complete list",
      collect,
      [],
    )
    .option("--own-forms", "let it sign people in with its own forms, so it sees their passwords")
    .option("--no-own-forms", "withdraw that")
    .option("--basic-passwords", "let it check people's own passwords that scripts send as HTTP Basic")
    .option("--no-basic-passwords", "withdraw that")
    .option("--rights <name>", "accounts: let its server manage accounts, except operators'", addRight)
    .option("--no-rights", "withdraw them")
    .option("--json", "as JSON")
    .addHelpText(
      "after",
      "\nIts client id and keys do not change.\n\nExample:\n  lucchetto app change hut-book --redirect-uri http://localhost:3000/signed-in",
    )
    .action(async (clientId: string, options: ChangeOptions, command: Command) => {
      const connection = connect(command);
      const body = changeOf(options);
      if (Object.keys(body).length === 0)
        throw new Failure("Nothing to change was given. See: lucchetto app change --help", 2);
      const { id } = await findApp(connection, clientId);
      const { body: changed } = await connection.signedIn()(routes.changeApp, { params: { id }, body });
      return options.json === true ? printJson(changed) : printApp(changed);
    });

  app
    .command("remove")
    .description("remove an application and end its check tokens")
    .argument("<client-id>")
    .option("--yes", "do not ask")
    .addHelpText("after", "\nExample:\n  lucchetto app remove hut-book")
    .action(async (clientId: string, options: { yes?: boolean }, command: Command) => {
      const connection = connect(command);
      const { id, name } = await findApp(connection, clientId);
      if (
        options.yes !== true &&
        !(await askWhether(`Remove ${name} (${clientId})? Everybody will be signed out of it.`))
      )
        return print("Nothing was removed.");
      await connection.signedIn()(routes.removeApp, { params: { id } });
      print(`${clientId} was removed.`);
    });

  app
    .command("new-key")
    .description("create another key for an application; the old ones work until they are retired")
    .argument("<client-id>")
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto app new-key hut-book")
    .action(async (clientId: string, options: { json?: boolean }, command: Command) => {
      const connection = connect(command);
      const { id } = await findApp(connection, clientId);
      const { body } = await connection.signedIn()(routes.addAppKey, { params: { id } });
      if (options.json === true) return printJson(body);
      printPairs([["app key", body.key]]);
      const old = body.app.keys.slice(0, -1).map((key) => `  lucchetto app retire-key ${clientId} ${key.id}`);
      print(dim("Shown only once. When the application uses it, retire the old one:"), ...old);
    });

  app
    .command("retire-key")
    .description("retire one of an application's keys immediately")
    .argument("<client-id>")
    .argument("<key-id>")
    .addHelpText("after", "\nExample:\n  lucchetto app retire-key hut-book 0198f0c2-…")
    .action(async (clientId: string, keyId: string, _options, command: Command) => {
      const connection = connect(command);
      const { id } = await findApp(connection, clientId);
      await connection.signedIn()(routes.retireAppKey, { params: { id, keyId } });
      print("The key was retired.");
    });
}

/** Of an application whatever is to change; several of a kind in their order. */
interface ChangeOptions {
  readonly name?: string;
  readonly redirectUri: string[];
  readonly signedOutUri: string[];
  /** `false`: none any more. */
  readonly home?: string | false;
  readonly initiateLoginUri?: string | false;
  readonly linkAddress?: LinkAddresses | false;
  readonly ownForms?: boolean;
  readonly basicPasswords?: boolean;
  /** `false`: none any more. */
  readonly rights?: AppRight[] | false;
  readonly json?: boolean;
}

/** What was given, and no more. */
function changeOf({
  name,
  redirectUri,
  signedOutUri,
  home,
  initiateLoginUri,
  linkAddress,
  ownForms,
  basicPasswords,
  rights,
}: ChangeOptions) {
  return {
    ...(name === undefined ? {} : { name }),
    ...(redirectUri.length === 0 ? {} : { redirectUris: redirectUri }),
    ...(signedOutUri.length === 0 ? {} : { signedOutUris: signedOutUri }),
    ...(home === undefined ? {} : { home: home === false ? null : home }),
    ...(initiateLoginUri === undefined
      ? {}
      : { initiateLoginUri: initiateLoginUri === false ? null : initiateLoginUri }),
    ...(linkAddress === undefined ? {} : { linkAddresses: linkAddress === false ? {} : linkAddress }),
    ...(ownForms === undefined ? {} : { ownForms }),
    ...(basicPasswords === undefined ? {} : { basicPasswords }),
    ...(rights === undefined ? {} : { rights: rights === false ? [] : rights }),
  };
}

function printApp(found: App): void {
  printPairs([
    ["client id", found.clientId],
    ["name", found.name],
    ["home", found.home ?? "–"],
    ["sign-in begins at", found.initiateLoginUri ?? "–"],
    ...Object.entries(found.linkAddresses).map(([purpose, address]): [string, string] => [
      `mailed ${purpose} links`,
      address,
    ]),
    ["return addresses", found.redirectUris.join(" ")],
    ["after signing out", found.signedOutUris.join(" ") || "–"],
    ["may", mayOf(found)],
    ["since", time(found.createdAt)],
  ]);
}

/** What an application may besides asking who is there. */
function mayOf({ ownForms, basicPasswords, rights }: App): string {
  const may = [...(ownForms ? ["own forms"] : []), ...(basicPasswords ? ["passwords"] : []), ...rights];
  return may.length === 0 ? "–" : may.join(", ");
}

async function findApp(connection: Connection, clientId: string): Promise<App> {
  const { body } = await connection.signedIn()(routes.listApps, { query: { limit: 100 } });
  const found = body.items.find((one) => one.clientId === clientId);
  if (found === undefined)
    throw new Failure(`No application has the client id ${clientId}. Run: lucchetto app list`);
  return found;
}
