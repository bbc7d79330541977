/** For the one who runs the service: serve, schema, check, operator, clock. */
import { routes } from "@lucchetto/contract";
import type { Command } from "commander";
import { askPassword } from "../ask.ts";
import { connect } from "../connection.ts";
import { Failure } from "../failure.ts";
import { brass, print, printJson, printPairs, printTable, rust, time, verdigris } from "../output.ts";
import { configurationFile, runService, runTask } from "../service-task.ts";

const CONFIG = [
  "--config <file>",
  "the configuration (default: lucchetto.yaml, then .lucchetto/lucchetto.yaml)",
] as const;

export function addRunningCommands(program: Command): void {
  program
    .command("serve")
    .description("run the service in the foreground until Ctrl-C")
    .option(...CONFIG)
    .addHelpText("after", "\nExample:\n  lucchetto serve --config lucchetto.yaml")
    .action(async (_options, command: Command) => runService(configurationFile(command)));

  addSchema(program);
  addCheck(program);
  addOperator(program);
  addKeys(program);
  addClock(program);
}

interface SchemaStatus {
  readonly migrations: ReadonlyArray<{ name: string; applied: boolean }>;
  readonly unknown: readonly string[];
  readonly current: boolean;
}

function addSchema(program: Command): void {
  const schema = program.command("schema").description("the database's tables");
  schema
    .command("status")
    .description("which migrations the database has; exit 1 if some are missing")
    .option(...CONFIG)
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto schema status")
    .action(async (options: { json?: boolean }, command: Command) => {
      const status = await runTask<SchemaStatus>("schema-status", { config: configurationFile(command) });
      if (!status.current) process.exitCode = 1;
      if (options.json === true) return printJson(status);
      const rows = [
        ...status.migrations.map(({ name, applied }) => [name, applied ? "applied" : "missing"]),
        ...status.unknown.map((name) => [name, "unknown to this version"]),
      ];
      printTable(["migration", "state"], rows, "No migrations.");
      print(status.current ? "The schema is the one this version knows." : "Run: lucchetto schema apply");
    });
  schema
    .command("apply")
    .description("apply the missing migrations; does nothing when none is")
    .option(...CONFIG)
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto schema apply")
    .action(async (options: { json?: boolean }, command: Command) => {
      const result = await runTask<{ applied: string[] }>("schema-apply", {
        config: configurationFile(command),
      });
      if (options.json === true) return printJson(result);
      if (result.applied.length === 0) print("Nothing to do: the schema is current.");
      else print(...result.applied.map((name) => `applied ${name}`));
    });
}

interface Finding {
  readonly subject: string;
  readonly verdict: "ok" | "warning" | "wrong";
  readonly detail: string;
}

const MARKS = { ok: verdigris("ok     "), warning: brass("warning"), wrong: rust("wrong  ") } as const;

function addCheck(program: Command): void {
  program
    .command("check")
    .description("look at configuration, passwords, pages and database; exit 1 if anything is wrong")
    .option(...CONFIG)
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto check")
    .action(async (options: { json?: boolean }, command: Command) => {
      const { findings } = await runTask<{ findings: Finding[] }>("check", {
        config: configurationFile(command),
      });
      if (findings.some(({ verdict }) => verdict === "wrong")) process.exitCode = 1;
      if (options.json === true) return printJson({ findings });
      const width = Math.max(...findings.map(({ subject }) => subject.length));
      print(
        ...findings.map(
          ({ subject, verdict, detail }) => `${MARKS[verdict]}  ${subject.padEnd(width)}  ${detail}`,
        ),
      );
    });
}

function addOperator(program: Command): void {
  program
    .command("operator")
    .description("the people who may use the console")
    .command("add")
    .description("add an operator straight into the database (the first one, or when none can sign in)")
    .requiredOption("--email <address>", "their e-mail address")
    .option("--name <text>", "their display name")
    .option("--password-stdin", "read the password from standard input")
    .option(...CONFIG)
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto operator add --email office@brina.example")
    .action(
      async (
        options: { email: string; name?: string; passwordStdin?: boolean; json?: boolean },
        command: Command,
      ) => {
        const config = configurationFile(command);
        const input = await askPassword(options, "Password of the operator", { repeat: true });
        const args = [
          "--email",
          options.email,
          ...(options.name === undefined ? [] : ["--display-name", options.name]),
        ];
        const added = await runTask<{ id: string }>("add-operator", { config, args, input });
        if (options.json === true) return printJson(added);
        print(`${options.email} is an operator now (${added.id}).`);
      },
    );
}

interface KeyRingShown {
  readonly file: string;
  readonly current: string | null;
  readonly ids: readonly string[];
}

function addKeys(program: Command): void {
  const keys = program.command("keys").description("the key ring: keys kept outside the database");
  const verb = (name: string, description: string, example: string, takesKey: boolean): void => {
    const command = keys.command(name).description(description);
    if (takesKey) command.argument("<id>", "the key's id");
    command
      .option(...CONFIG)
      .option("--json", "as JSON")
      .addHelpText("after", `\nExample:\n  lucchetto keys ${example}`)
      .action(async (...given: unknown[]) => {
        const self = given.at(-1) as Command;
        const args = takesKey ? ["--key", String(given[0])] : [];
        const shown = await runTask<KeyRingShown>(`keys-${name}`, { config: configurationFile(self), args });
        if (self.opts<{ json?: boolean }>().json === true) return printJson(shown);
        const rows = shown.ids.map((id) => [id, id === shown.current ? "current" : "kept"]);
        printTable(["key", "state"], rows, "No key yet. Run: lucchetto keys add");
        print(`The ring is in ${shown.file}.`);
      });
  };
  verb("list", "the ids, never the keys", "list", false);
  verb("add", "add a random key; the first one is current at once", "add", false);
  verb("promote", "make a key current, once every instance has it", "promote k2", true);
  verb("retire", "remove a key that is not current", "retire k1", true);
}

const UNITS: Readonly<Record<string, number>> = { s: 1_000, m: 60_000, h: 3_600_000, d: 86_400_000 };

function readDuration(text: string): number {
  const match = /^(-?)([0-9]{1,6})([smhd])$/.exec(text);
  const unit = UNITS[match?.[3] ?? ""];
  if (match === null || unit === undefined) {
    throw new Failure(`found ${JSON.stringify(text)}, expected a duration such as 90s, 31m, 12h or 30d`, 2);
  }
  return Number(match[2]) * unit * (match[1] === "-" ? -1 : 1);
}

function addClock(program: Command): void {
  const clock = program.command("clock").description("the service's clock (development mode only)");
  const show = ({ now, movedBy }: { now: string; movedBy: number }, json: boolean | undefined): void => {
    if (json === true) return printJson({ now, movedBy });
    const moved =
      movedBy === 0 ? "not moved" : `${Math.round(movedBy / 1_000)} s ${movedBy > 0 ? "ahead" : "behind"}`;
    printPairs([
      ["now", time(now)],
      ["moved", moved],
    ]);
  };
  clock
    .command("show")
    .description("what time the service believes it is")
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto clock show")
    .action(async (options: { json?: boolean }, command: Command) => {
      show((await connect(command).client(routes.showClock)).body, options.json);
    });
  clock
    .command("advance")
    .description("move the clock on, so that expiry can be tried without waiting")
    .argument("<duration>", "such as 31m or 12h")
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto clock advance 31m")
    .action(async (duration: string, options: { json?: boolean }, command: Command) => {
      const body = { milliseconds: readDuration(duration) };
      show((await connect(command).client(routes.advanceClock, { body })).body, options.json);
    });
  clock
    .command("reset")
    .description("set the clock right again")
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto clock reset")
    .action(async (options: { json?: boolean }, command: Command) => {
      show((await connect(command).client(routes.resetClock)).body, options.json);
    });
}
