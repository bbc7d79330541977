/** Ways in to an application: its programs in other languages, and signing in there by redirects alone. */
import type { ChildProcessByStdio } from "node:child_process";
import { spawn } from "node:child_process";
import type { Readable } from "node:stream";
import { fileURLToPath } from "node:url";
import { routes } from "@lucchetto/contract";
import { eventually } from "./eventually.ts";
import type { TestService } from "./service.ts";
import { freePort, send } from "./service.ts";

const example = (name: string) => fileURLToPath(new URL(`../docs/examples/${name}`, import.meta.url));

/** Languages with a module to copy, and how its small application is started. */
export const LANGUAGES = [
  { language: "Python", program: "python3", argumentsAt: () => [example("huts.py")] },
  {
    language: "PHP",
    program: "php",
    argumentsAt: (port: number) => ["-S", `127.0.0.1:${port}`, example("huts.php")],
  },
] as const;

export interface TestProgram {
  readonly url: string;
  readonly clientId: string;
  readonly child: ChildProcessByStdio<null, null, Readable>;
  /** What it wrote to its log. */
  said(): string;
}

/** Starts the small application of a language, registered as its developer would. @param more environment, instead of the usual. */
export async function startHuts(
  service: TestService,
  { language, program, argumentsAt }: (typeof LANGUAGES)[number],
  more: Readonly<Record<string, string>> = {},
): Promise<TestProgram> {
  const port = await freePort();
  const url = `http://localhost:${port}`;
  const { body } = await service.as(await service.operator())(routes.addApp, {
    body: {
      name: `Huts in ${language}`,
      clientId: `huts-${port}`,
      redirectUris: [`${url}/signed-in`],
      signedOutUris: [`${url}/`],
      initiateLoginUri: `${url}/sign-in`,
    },
  });
  return startProgram(url, program, argumentsAt(port), {
    LUCCHETTO: service.configuration.publicUrl,
    CLIENT_ID: body.app.clientId,
    LUCCHETTO_APP_KEY: body.key,
    PORT: String(port),
    ...more,
  });
}

/** Starts a program, and waits until it answers at its address. */
export async function startProgram(
  url: string,
  program: string,
  args: readonly string[],
  environment: Readonly<Record<string, string>>,
): Promise<TestProgram> {
  const child = spawn(program, args, {
    env: { ...process.env, PYTHONDONTWRITEBYTECODE: "1", ...environment },
    stdio: ["ignore", "ignore", "pipe"],
  });
  let said = "";
  child.stderr.on("data", (chunk: Buffer) => (said += chunk.toString()));
  await eventually(async () => {
    if (child.exitCode !== null) throw new Error(`${program} does not answer: ${said}`);
    return (await fetch(url).catch(() => null)) !== null;
  }, program);
  return { url, clientId: environment["CLIENT_ID"] ?? "", child, said: () => said };
}

/** The cookies that a reply sets, for the next request. */
export const cookiesOf = (headers: Headers): string =>
  headers
    .getSetCookie()
    .map((line) => line.split(";", 1)[0] ?? "")
    .filter((pair) => !pair.endsWith("=") && !pair.endsWith("=deleted"))
    .join("; ");

/** The cookie of our own pages that somebody in a session has. */
export const ownCookie = ({ url }: Pick<TestService, "url">, token: string): string =>
  `lucchetto-${new URL(url).port}=${token}`;

/**
 * Signs somebody with an own token in at an application, by redirects alone.
 * @param path to which the way leads back. @param from where it begins: there, as at a closed page, unless said otherwise.
 * @returns the application's cookies.
 */
export async function enter(
  service: Pick<TestService, "url">,
  { url, token, path, from = path }: { url: string; token: string; path: string; from?: string },
): Promise<string> {
  const leaving = await send({ url }, "GET", from, { headers: { accept: "text/html" } });
  if (leaving.status !== 303) throw new Error(`${from} answered ${leaving.status}: ${leaving.text}`);
  const away = new URL(leaving.headers.get("location") ?? "");
  const answered = await send({ url: away.origin }, "GET", away.pathname + away.search, {
    headers: { accept: "text/html", cookie: ownCookie(service, token) },
  });
  const back = new URL(answered.headers.get("location") ?? "", away);
  const arrived = await send({ url }, "GET", back.pathname + back.search, {
    headers: { accept: "text/html", cookie: cookiesOf(leaving.headers) },
  });
  if (arrived.headers.get("location") !== path)
    throw new Error(`back at ${back.href} it went to ${arrived.headers.get("location")}: ${arrived.text}`);
  return cookiesOf(arrived.headers);
}
