/** Users tables taken in by the command, against a running service, and what became of their people. */
import { createHash } from "node:crypto";
import { mkdtempSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import type { Client, Intake, IntakeCheck, Open } from "@lucchetto/contract";
import { routes } from "@lucchetto/contract";
import { callCommand } from "./command.ts";
import type { TestService } from "./service.ts";
import { json, send } from "./service.ts";

/** Letters of hexadecimal. */
export const digest = (name: string, text: string): string => createHash(name).update(text).digest("hex");

/** A plan for a file of CSV with the columns `login` and `mail`. @param ways in yaml. */
export const planOf = (source: string, ways: string, columns = "username: login\n  email: mail"): string =>
  `source:\n  file: ${source}\n  format: csv\ncolumns:\n  ${columns}\npasswords:\n${ways}`;

/** The way of a salted SHA-1. */
export const SALTED = `  - kind: recipe
    column: pw
    recipe: hex(sha1(concat(salt, password)))
    salt: salt
`;

/** Everything for one service, with files in a folder of its own. @param of called once tests run. */
export function importingInto(of: () => TestService) {
  const home = mkdtempSync(join(tmpdir(), "lucchetto-home-"));
  let operator: Client | undefined;

  const env = () => ({
    LUCCHETTO_CONFIG: of().configFile,
    LUCCHETTO_DATABASE_PASSWORD: of().database.password,
  });
  const lucchetto = (args: readonly string[], input = "") => callCommand(home, args, { env: env(), input });
  const importRun = async (plan: string, more: readonly string[] = [], input = "") => {
    const run = await lucchetto(["import", "run", plan, ...more, "--json"], input);
    if (run.status !== 0) throw new Error(run.err);
    return JSON.parse(run.out) as { report: Open<Intake>; wrapsLater: boolean; resumedAt: number };
  };
  return {
    home,
    env,
    lucchetto,
    importRun,

    /** Writes one, and says where. */
    file(name: string, content: string): string {
      const path = join(home, name);
      writeFileSync(path, content);
      return path;
    },

    async importCheck(plan: string, more: readonly string[] = [], input = "") {
      const run = await lucchetto(["import", "check", plan, ...more, "--json"], input);
      return JSON.parse(run.out) as Open<IntakeCheck>;
    },

    async statusOf(id: string): Promise<Open<Intake>> {
      operator ??= of().as(await of().operator());
      const { body } = await operator(routes.listIntakes);
      const found = body.items.find((one) => one.id === id);
      if (found === undefined) throw new Error(`no intake ${id}`);
      return found;
    },

    /** The status of the reply. */
    async signIn(identifier: string, password: string): Promise<number> {
      const { body, headers } = json({ proof: { type: "password", identifier, password }, deliver: "token" });
      return (await send(of(), "POST", "/v1/sign-in", { body, headers })).status;
    },

    async recordOf(username: string): Promise<string> {
      const [row] = await of().dataSource.query<Array<{ record: string }>>(
        "SELECT record FROM password_record JOIN account ON account.id = accountId WHERE usernameKey = ?",
        [username],
      );
      return row?.record ?? "";
    },

    /** Every text of every table that an intake writes. */
    async dump(): Promise<string> {
      const rows = await Promise.all(
        TABLES.map((table) => of().dataSource.query<unknown[]>(`SELECT * FROM ${table}`)),
      );
      return JSON.stringify(rows, (_key, value: unknown) =>
        isBuffer(value) ? Buffer.from(value.data).toString("latin1") : value,
      );
    },
  };
}

const TABLES = [
  ...["account", "password_record", "imported_password", "authenticator"],
  ...["intake", "recipe", "intake_refusal", "journal_entry"],
];

function isBuffer(value: unknown): value is { type: "Buffer"; data: number[] } {
  return typeof value === "object" && value !== null && "type" in value && value.type === "Buffer";
}
