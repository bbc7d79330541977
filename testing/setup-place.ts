/** Where `lucchetto setup` is tried: an empty folder, and a database server with an administrator. */
import { randomBytes } from "node:crypto";
import { mkdtempSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterEach } from "@jest/globals";
import { callCommand } from "./command.ts";
import { asRoot } from "./database.ts";
import { CHEAP_SCHEME, freePort } from "./service.ts";

/** Of the operator that is made. */
export const OPERATORS_PASSWORD = "brass key, stone door";
export const ADMIN_PASSWORD = "iron gate of the valley";
/** What a hash costs is not the matter here. */
export const CHEAP = { LUCCHETTO_PASSWORDS_HASHING_SCHEME: CHEAP_SCHEME };

/** What is to be done when the test is over, the last one first. */
export const stops: Array<() => Promise<unknown>> = [];
afterEach(async () => {
  for (const stop of stops.splice(0).reverse()) await stop();
});

/** Makes one, with names that nobody has; it goes when the test is over. */
export async function place() {
  const home = mkdtempSync(join(tmpdir(), "lucchetto-setup-"));
  const name = `setup_${randomBytes(5).toString("hex")}`;
  const admin = `${name}_boss`;
  await asRoot(
    `CREATE USER ${admin}@'127.0.0.1' IDENTIFIED BY '${ADMIN_PASSWORD}'; GRANT ALL ON *.* TO ${admin}@'127.0.0.1' WITH GRANT OPTION;`,
  );
  stops.push(() =>
    asRoot(
      `DROP USER ${admin}@'127.0.0.1'; DROP DATABASE IF EXISTS ${name}; DROP USER IF EXISTS ${name}@'127.0.0.1', ${name}@'localhost';`,
    ),
  );
  const server = `127.0.0.1:${process.env["TEST_DATABASE_PORT"]}`;
  const [port, appPort] = [await freePort(), await freePort()];
  const options = [
    "--site-name",
    "Brina Huts",
    "--public-url",
    `http://localhost:${port}`,
    "--database",
    `mariadb://${name}@${server}/${name}`,
    "--admin",
    `mariadb://${admin}@${server}`,
    "--operator-email",
    "office@brina.example",
    "--app-name",
    "Hut book",
    "--app-url",
    `http://localhost:${appPort}`,
  ];
  const run = (
    args: readonly string[] = options,
    env: Record<string, string> = {},
    input = OPERATORS_PASSWORD,
  ) =>
    callCommand(home, ["setup", "--password-stdin", ...args], {
      input,
      env: { ...CHEAP, LUCCHETTO_ADMIN_PASSWORD: ADMIN_PASSWORD, ...env },
    });
  return { home, name, admin, server, port, appPort, options, run };
}

/** The options with another value for one of them. */
export function withOption(options: readonly string[], name: string, value: string): string[] {
  return options.map((one, index) => (options[index - 1] === name ? value : one));
}
