/**
 * The service's own process. The `lucchetto` command starts it for the tasks of the one who runs the service:
 *
 *     main.js serve | schema-status | schema-apply | check | add-operator | keys-list | keys-add | keys-promote | keys-retire
 *       --config FILE
 *
 * All but `serve` print one JSON value. Exit status: 0 done, 1 refused or failed, 2 wrong usage.
 */
import { existsSync } from "node:fs";
import { text as readAll } from "node:stream/consumers";
import { parseArgs } from "node:util";
import { KeyRingError } from "@lucchetto/core";
import { addOperator, OperatorRefusal } from "./account/add-operator.ts";
import { createMovableClock } from "./clock/clock.ts";
import { ConfigurationError, keyRingFile, loadConfiguration } from "./config/index.ts";
import { countPepperedUnder } from "./password/store.ts";
import { DatabaseUnavailable, openDatabase } from "./storage/index.ts";
import { check } from "./tasks/check.ts";
import { addKey, KeyRefusal, listKeys, promoteKey, retireKey } from "./tasks/keys.ts";
import { applySchema, readSchemaStatus } from "./tasks/schema.ts";
import { SchemaMismatch, serve } from "./tasks/serve.ts";
import type { ConfigurationWish } from "./tasks/setup.ts";
import {
  judgeConfiguration,
  lookAround,
  setUpApp,
  setUpConfiguration,
  setUpDatabase,
  setUpOperator,
  SetupRefusal,
} from "./tasks/setup.ts";

interface Options {
  readonly config: string;
  readonly email: string;
  readonly displayName: string | null;
  readonly key: string;
}

const TASKS: Readonly<Record<string, (options: Options) => Promise<unknown>>> = {
  serve: async ({ config }) => {
    await serve(loadConfiguration(config), config);
  },
  "schema-status": ({ config }) => readSchemaStatus(loadConfiguration(config)),
  "schema-apply": async ({ config }) => ({ applied: await applySchema(loadConfiguration(config)) }),
  check: async ({ config }) => ({ findings: await check(config) }),
  "keys-list": async ({ config }) => listKeys(keyRingFile(config)),
  "keys-add": async ({ config }) => addKey(keyRingFile(config)),
  "keys-promote": async ({ config, key }) => promoteKey(keyRingFile(config), key),
  "keys-retire": ({ config, key }) =>
    retireKey(keyRingFile(config), key, async (id) => {
      // A ring that lies alone belongs to no database yet.
      if (!existsSync(config)) return 0;
      const dataSource = await openDatabase(loadConfiguration(config));
      try {
        return await countPepperedUnder(dataSource, id);
      } finally {
        await dataSource.destroy();
      }
    }),
  "setup-judge": async ({ config }) => {
    judgeConfiguration(config, await readInput());
    return {};
  },
  "setup-configuration": async ({ config }) => ({
    steps: setUpConfiguration(config, await readInput<ConfigurationWish | null>()),
  }),
  "setup-database": async ({ config }) => ({ steps: await setUpDatabase(config, await readInput()) }),
  "setup-look": ({ config }) => lookAround(config),
  "setup-operator": async ({ config }) => setUpOperator(config, await readInput()),
  "setup-app": async ({ config }) => setUpApp(config, await readInput()),
  "add-operator": async ({ config, email, displayName }) => {
    const configuration = loadConfiguration(config);
    const dataSource = await openDatabase(configuration);
    try {
      const clock = createMovableClock(dataSource);
      await clock.refresh();
      const password = (await readAll(process.stdin)).replace(/\r?\n$/, "");
      return {
        id: await addOperator({ configuration, dataSource, clock }, { email, displayName, password }),
      };
    } finally {
      await dataSource.destroy();
    }
  },
};

/** The JSON value that the command sends on standard input: never on the command line, where others could read it. */
async function readInput<Input>(): Promise<Input> {
  return JSON.parse(await readAll(process.stdin)) as Input;
}

/** Errors whose message is written for the person who started the task. */
const EXPECTED = [
  ConfigurationError,
  DatabaseUnavailable,
  SchemaMismatch,
  OperatorRefusal,
  KeyRefusal,
  KeyRingError,
  SetupRefusal,
];

try {
  const { positionals, values } = parseArgs({
    allowPositionals: true,
    options: {
      config: { type: "string", default: "lucchetto.yaml" },
      email: { type: "string", default: "" },
      "display-name": { type: "string" },
      key: { type: "string", default: "" },
    },
  });
  const task = TASKS[positionals[0] ?? ""];
  if (task === undefined) {
    process.stderr.write(`Tasks: ${Object.keys(TASKS).join(", ")}\n`);
    process.exitCode = 2;
  } else {
    const displayName = values["display-name"] ?? null;
    const result = await task({ config: values.config, email: values.email, displayName, key: values.key });
    if (result !== undefined) process.stdout.write(`${JSON.stringify(result)}\n`);
  }
} catch (error) {
  process.exitCode = 1;
  const code = error instanceof Error && "code" in error ? String(error.code) : "";
  if (EXPECTED.some((kind) => error instanceof kind)) process.stderr.write(`${(error as Error).message}\n`);
  else if (code === "EADDRINUSE") {
    process.stderr.write(
      "The port is in use. Stop what listens there, or set LUCCHETTO_LISTEN_PORT to another.\n",
    );
  } else if (code.startsWith("ERR_PARSE_ARGS")) {
    process.stderr.write(`${(error as Error).message}\n`);
    process.exitCode = 2;
  } else throw error;
}
