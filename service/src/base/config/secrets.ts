/** Secrets: from a variable of the environment or a file of mode 0600, never from the yaml. */
import { readFileSync, statSync } from "node:fs";
import { resolve } from "node:path";
import type { Tree } from "./file.ts";

export type Environment = Readonly<Record<string, string | undefined>>;

/** Each secret's variable; it has no setting of its own. */
export const SECRET_VARIABLES = {
  database: "LUCCHETTO_DATABASE_PASSWORD",
  mail: "LUCCHETTO_MAIL_SMTP_PASSWORD",
  webhooks: "LUCCHETTO_WEBHOOKS_SECRET",
} as const;

/** Where secrets are looked for, and where faults are said. */
export interface SecretPlaces {
  /** Paths of files are relative to it. */
  readonly folder: string;
  readonly environment: Environment;
  readonly faults: string[];
}

/**
 * Reads one.
 * @param setting names the file, and says what is wrong with it. @returns `null` where neither is given, or the file cannot be read.
 */
export function readSecret(
  { folder, environment, faults }: SecretPlaces,
  { variable, file, setting }: { variable?: string; file: string | undefined; setting: string },
): string | null {
  const given = variable === undefined ? undefined : environment[variable];
  // An empty one is what a script leaves that found nothing: the file still counts.
  if (given !== undefined && given !== "") return given;
  return file === undefined ? null : readSecretFile(resolve(folder, file), setting, faults);
}

function readSecretFile(file: string, setting: string, faults: string[]): string | null {
  try {
    const othersMayRead = (statSync(file).mode & 0o077) !== 0;
    if (othersMayRead) faults.push(`${setting}: ${file} can be read by others; run: chmod 600 ${file}`);
    const secret = readFileSync(file, "utf8").trimEnd();
    if (secret === "")
      faults.push(`${setting}: ${file} is empty; put the secret into it, or leave the setting out`);
    return secret;
  } catch (error) {
    faults.push(`${setting}: ${file} cannot be read (${(error as NodeJS.ErrnoException).code ?? "unknown"})`);
    return null;
  }
}

/** What stands in the yaml although it is a secret; it is taken out. */
export function faultsOfSecretsInYaml(tree: Tree): string[] {
  const faults: string[] = faultsOfMailSecrets(tree["mail"]);
  const database = tree["database"];
  if (typeof database !== "object" || database === null) return faults;
  if ("password" in database) {
    delete (database as Tree)["password"];
    faults.push(
      `database.password: secrets do not belong in the yaml; put it into ${SECRET_VARIABLES.database}, or into a file of mode 0600 named by database.passwordFile`,
    );
  }
  const url = (database as Tree)["url"];
  if (typeof url === "string" && URL.canParse(url) && new URL(url).password !== "") {
    faults.push(
      `database.url: it holds a password, and secrets do not belong in the yaml; leave it out there and put it into ${SECRET_VARIABLES.database}, or into a file of mode 0600 named by database.passwordFile`,
    );
  }
  return faults;
}

function faultsOfMailSecrets(mail: unknown): string[] {
  const smtp = typeof mail === "object" && mail !== null ? (mail as Tree)["smtp"] : undefined;
  if (typeof smtp !== "object" || smtp === null) return [];
  const remedy = `secrets do not belong in the yaml; put it into ${SECRET_VARIABLES.mail}, or into a file of mode 0600 named by mail.smtp.passwordFile`;
  const faults: string[] = [];
  if ("password" in smtp) {
    delete (smtp as Tree)["password"];
    faults.push(`mail.smtp.password: ${remedy}`);
  }
  const url = (smtp as Tree)["url"];
  if (typeof url === "string" && URL.canParse(url) && new URL(url).password !== "")
    faults.push(`mail.smtp.url: it holds a password; ${remedy}`);
  return faults;
}
