/** For developers: a guarding front before an application written in anything. */
import { isPathPattern, OAUTH_PATHS, routes } from "@lucchetto/contract";
import { isLoopbackHost } from "@lucchetto/core";
import type { Command } from "commander";
import { InvalidArgumentError } from "commander";
import type { Connection } from "../connection.ts";
import { connect } from "../connection.ts";
import { Failure } from "../failure.ts";
import type { Front, FrontOptions } from "../front/front.ts";
import { collect } from "../options.ts";
import { bold, dim, print } from "../output.ts";
import { readPrivately, writePrivately } from "../private-file.ts";
import { terminal } from "../terminal.ts";

/** Where the keys of fronts are kept, by service and address. */
const FRONTS = "fronts.json";

interface FrontCommandOptions {
  readonly app: string;
  readonly listen: string;
  readonly closed: string[];
  readonly open: string[];
  readonly label?: string;
  readonly level?: "2";
  readonly fresh?: string;
  readonly publicAddress?: string;
  readonly clientId?: string;
  readonly under: string;
}

export function defineFront(front: Command): void {
  front
    .requiredOption(
      "--app <address>",
      "where the application listens: http://localhost:5000, or unix:/run/app.sock",
      readApp,
    )
    .option("--listen <[host:]port>", "where the front listens", "127.0.0.1:8080")
    .option(
      "--closed <path>",
      "a closed path, such as /members or /members/*; can be repeated",
      collectPath,
      [],
    )
    .option("--open <path>", "instead: everything is closed but this path; can be repeated", collectPath, [])
    .option("--label <name>", "the closed paths want this label")
    .option("--level <2>", "they want a second factor", readLevel)
    .option("--fresh <seconds>", "they want a proof of the last so many seconds", readSeconds)
    .option(
      "--public-address <address>",
      "how browsers reach the front (default: http://localhost and its port)",
    )
    .option(
      "--under <path>",
      "where the front's own addresses stand, such as /account (default: /sign-in, /sign-out …)",
      readUnder,
      "",
    )
    .option("--client-id <id>", "of an app that is registered already; its key in LUCCHETTO_APP_KEY")
    .addHelpText(
      "after",
      `
The application reads who is there in the headers Lucchetto-Account, -Reference, -Email, -Username, -Name, -Labels, -Session and -Level (empty for
a guest); what comes from outside under these names is taken away. Application and front belong on one machine, and nothing but the front may
reach the application. Without --client-id an operator who is signed in registers the front once; its key is kept beside the sign-in.

Example:
  lucchetto front --app http://localhost:5000 --listen 8080 --closed '/members/*' --closed '/ledger/*'`,
    )
    .action(async (options: FrontCommandOptions, command: Command) => run(options, connect(command)));
}

async function run(options: FrontCommandOptions, connection: Connection): Promise<void> {
  const { host, port } = readListen(options.listen);
  const publicAddress = options.publicAddress ?? `http://localhost:${port}`;
  if (!URL.canParse(publicAddress))
    throw new Failure(`--public-address: ${publicAddress} is no address such as https://huts.example`, 2);
  const { origin } = new URL(publicAddress);
  const guard = guardOf(options);
  const service = await publicAddressOf(connection);
  const registered = await registration(options, connection, origin);
  const { server, stop } = await makeFront({
    app: options.app.startsWith("unix:") ? { socketPath: options.app.slice("unix:".length) } : options.app,
    service,
    internalAddress: connection.url,
    ...registered,
    returnAddress: `${origin}${options.under}/signed-in`,
    signedOutAddress: `${origin}/`,
    paths: pathsUnder(options.under),
    guard,
    warn: (text) => terminal().stderr.write(`${text}\n`),
  });
  await new Promise<void>((resolve, reject) => {
    server.once("error", (error: NodeJS.ErrnoException) =>
      reject(
        new Failure(
          error.code === "EADDRINUSE"
            ? `Something listens on ${options.listen} already; choose another with --listen.`
            : error.message,
        ),
      ),
    );
    server.listen(port, host, resolve);
  });
  print(
    `${bold(`The front is at ${origin}`)}, before ${options.app}.`,
    ...("open" in guard
      ? [`Closed but for: ${guard.open.join(", ") || "nothing"}`]
      : guard.closed.map((one) => `Closed: ${typeof one === "string" ? one : one.path}`)),
    dim(
      `Sign in at ${origin}${options.under}/sign-in, out by POST ${options.under}/sign-out. Ctrl-C stops it.`,
    ),
  );
  await new Promise<void>((resolve) => {
    for (const signal of ["SIGINT", "SIGTERM"] as const)
      process.once(signal, () => {
        stop();
        resolve();
      });
  });
}

/** What the hasp says of options is said as of the command's. */
async function makeFront(options: FrontOptions): Promise<Front> {
  const { createFront } = await import("../front/front.ts");
  try {
    return await createFront(options);
  } catch (error) {
    if ((error as Error).name !== "HaspOptionsError") throw error;
    throw new Failure((error as Error).message, 2);
  }
}

const pathsUnder = (under: string) => ({
  signIn: `${under}/sign-in`,
  register: `${under}/register`,
  signOut: `${under}/sign-out`,
  live: `${under}/hasp-live`,
});

function guardOf({ closed, open, label, level, fresh }: FrontCommandOptions) {
  const wanted = {
    ...(label === undefined ? {} : { label }),
    ...(level === undefined ? {} : { level: 2 as const }),
    ...(fresh === undefined ? {} : { freshWithin: Number(fresh) }),
  };
  if (open.length > 0) {
    if (closed.length > 0 || Object.keys(wanted).length > 0)
      throw new Failure(
        "--open closes everything else; it does not go with --closed, --label, --level or --fresh.",
        2,
      );
    return { open };
  }
  if (closed.length === 0)
    throw new Failure(
      "Nothing would be closed. Name paths with --closed '/members/*', or close everything but --open /.",
      2,
    );
  return { closed: closed.map((path) => ({ path, ...wanted })) };
}

/** The key that was given; else the one that was kept; else a new registration. */
async function registration(
  { clientId, under }: FrontCommandOptions,
  connection: Connection,
  origin: string,
): Promise<Registered> {
  const given = terminal().env["LUCCHETTO_APP_KEY"];
  if (clientId !== undefined) {
    if (given === undefined) throw new Failure("--client-id wants the app's key in LUCCHETTO_APP_KEY.", 2);
    return { clientId, appKey: given };
  }
  const name = `${connection.url} ${origin}${under}`;
  const kept = readPrivately<Registered>(FRONTS);
  const known = kept[name];
  if (known !== undefined && (await isKnown(connection, known))) return known;
  const { body } = await connection.signedIn()(routes.addApp, {
    body: {
      name: `Front at ${new URL(origin).host}`,
      clientId: `front-${new URL(origin).host.replace(/[^a-z0-9]+/g, "-")}-${Date.now().toString(36)}`,
      redirectUris: [`${origin}${under}/signed-in`],
      signedOutUris: [`${origin}/`],
      home: `${origin}/`,
      initiateLoginUri: `${origin}${under}/sign-in`,
    },
  });
  const made = { clientId: body.app.clientId, appKey: body.key };
  writePrivately(FRONTS, { ...kept, [name]: made });
  print(dim(`Registered as ${made.clientId}; remove it with: lucchetto app remove ${made.clientId}`));
  return made;
}

interface Registered {
  readonly clientId: string;
  readonly appKey: string;
}

/** Whether the service still knows the app by this key. */
async function isKnown({ url }: Connection, { clientId, appKey }: Registered): Promise<boolean> {
  const authorization = `Basic ${Buffer.from(`${clientId}:${appKey}`).toString("base64")}`;
  const body = new URLSearchParams({ token: "lck_none" });
  const { status } = await fetch(url + OAUTH_PATHS.introspect, {
    method: "POST",
    headers: { authorization },
    body,
  });
  return status !== 401;
}

/** The service's public address (RFC 8414), which browsers are sent to. @throws Failure if it cannot be reached. */
async function publicAddressOf({ url }: Connection): Promise<string> {
  const { origin, pathname } = new URL(url);
  const path = pathname === "/" ? "" : pathname;
  try {
    const reply = await fetch(`${origin}/.well-known/oauth-authorization-server${path}`);
    const { issuer } = (await reply.json()) as { issuer?: unknown };
    if (typeof issuer === "string") return issuer;
  } catch {
    // Said below, whatever it was.
  }
  throw new Failure(`Lucchetto does not answer at ${url}. Is it running? Name another address with --url.`);
}

function readApp(text: string): string {
  if (text.startsWith("unix:/")) return text;
  const url = URL.canParse(text) ? new URL(text) : null;
  if (url?.protocol !== "http:")
    throw new InvalidArgumentError("Expected http://localhost:PORT or unix:/PATH.");
  if (!isLoopbackHost(url.hostname))
    throw new InvalidArgumentError(
      "The application has to be on this machine, so that nobody reaches it past the front: http://localhost:PORT or unix:/PATH.",
    );
  return url.origin;
}

/** Said before anything is registered. */
function collectPath(text: string, before: readonly string[]): string[] {
  if (isPathPattern(text)) return collect(text, before);
  throw new InvalidArgumentError("Expected a path such as /members or /members/*.");
}

function readUnder(text: string): string {
  if (/^(?:\/[\w.~-]+)+$/.test(text)) return text;
  throw new InvalidArgumentError("Expected a path such as /account.");
}

function readLevel(text: string): string {
  if (text !== "2") throw new InvalidArgumentError("Only 2 can be asked for.");
  return text;
}

function readSeconds(text: string): string {
  if (!/^[0-9]{1,9}$/.test(text) || Number(text) < 60)
    throw new InvalidArgumentError("Expected seconds, 60 at least.");
  return text;
}

function readListen(text: string): { host: string; port: number } {
  const [, host = "127.0.0.1", port = ""] = /^(?:(.+):)?(\d{1,5})$/.exec(text) ?? [];
  if (port === "" || Number(port) > 65_535)
    throw new Failure(`--listen: ${text} is no port such as 8080 or 127.0.0.1:8080`, 2);
  return { host: host.replace(/^\[|\]$/g, ""), port: Number(port) };
}
