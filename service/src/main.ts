/**
 * The service's process: `serve` and administrator tasks. Options name a configuration; results are one
 * JSON value on standard output, human-readable messages go to stderr. Exit status 0 done, 1 refused, 2 wrong usage.
 *
 * Each task loads only what it needs: most are over before the whole service would have been read.
 */
import { existsSync } from "node:fs";
import { text as readAll } from "node:stream/consumers";
import { parseArgs } from "node:util";
import type { KeyNeeds, TaskName, Tasks } from "@lucchetto/contract";
import { keyRingFile, loadConfiguration } from "./base/config/index.ts";
import { isExpected } from "./start/tasks/expected.ts";

interface Options {
  readonly config: string;
  readonly email: string;
  readonly displayName: string | null;
  readonly key: string;
  readonly giveUp: boolean;
}

/** Those that print one result. */
const TASKS: { readonly [Name in TaskName]: (options: Options) => Promise<Tasks[Name]["result"]> } = {
  "schema-status": async ({ config }) =>
    (await import("./start/tasks/schema.ts")).readSchemaStatus(loadConfiguration(config)),
  "schema-apply": async ({ config }) => ({
    applied: await (await import("./start/tasks/schema.ts")).applySchema(loadConfiguration(config)),
  }),
  check: async ({ config }) => ({ findings: await (await import("./start/tasks/check.ts")).check(config) }),
  "keys-list": async ({ config }) => {
    const ring = (await keys()).listKeys(keyRingFile(config));
    return { ...ring, ...(await countOrSayWhyNot(config, ring.ids)) };
  },
  "keys-add": async ({ config }) => (await keys()).addKey(keyRingFile(config)),
  "keys-promote": async ({ config, key }) => (await keys()).promoteKey(keyRingFile(config), key),
  "keys-retire": async ({ config, key, giveUp }) =>
    (await keys()).retireKey(keyRingFile(config), key, {
      count: (id) => countForOne(config, id),
      giveUp,
    }),
  "keys-needs": async ({ config, key }) => ({
    lost: (await keys()).describeLoss(await countForOne(config, key)),
  }),
  "mail-template": async () => {
    const { name, language } = await readInput<"mail-template">();
    const { BUILT_IN } = await import("./base/mail-text/templates.ts");
    const { MAIL_KINDS, MAIL_NAMES } = await import("./base/mail-text/catalogue.ts");
    const known = MAIL_NAMES.find((one) => one === name);
    return {
      kinds: MAIL_NAMES.map((one) => ({ name: one, ...MAIL_KINDS[one] })),
      source: known === undefined ? null : BUILT_IN[language === "it" ? "it" : "en"][known],
    };
  },
  "import-plan": async () => {
    const { source, writtenAs } = await readInput<"import-plan">();
    const { draftPlan } = await import("./edges/intake/guess.ts");
    return draftPlan(source, writtenAs);
  },
  "import-check": async ({ config }) => {
    const input = await readInput<"import-check">();
    return (await import("./start/tasks/import.ts")).importCheck(config, input);
  },
  "import-run": async ({ config }) => {
    const input = await readInput<"import-run">();
    return (await import("./start/tasks/import.ts")).importRun(config, input);
  },
  "import-export": async ({ config }) => {
    const input = await readInput<"import-export">();
    return (await import("./start/tasks/import.ts")).importExport(config, input);
  },
  export: async ({ config }) => {
    const input = await readInput<"export">();
    return (await import("./start/tasks/import.ts")).exportAll(config, input);
  },
  "import-status": async ({ config }) => (await import("./start/tasks/import.ts")).importStatus(config),
  "import-show": async ({ config }) => {
    const input = await readInput<"import-show">();
    return (await import("./start/tasks/import.ts")).importShow(config, input);
  },
  "import-refused": async ({ config }) => {
    const input = await readInput<"import-refused">();
    return (await import("./start/tasks/import.ts")).importRefused(config, input);
  },
  "add-operator": async ({ config, email, displayName }) => {
    const { addOperatorByTask } = await import("./start/tasks/add-operator.ts");
    const password = (await readAll(process.stdin)).replace(/\r?\n$/, "");
    return { id: await addOperatorByTask(config, { email, displayName, password }) };
  },
  "rescue-operator": async ({ config, email }) => {
    const { rescueOperatorByTask } = await import("./start/tasks/rescue-operator.ts");
    const password = (await readAll(process.stdin)).replace(/\r?\n$/, "");
    return rescueOperatorByTask(config, { email, password });
  },
};

async function serve({ config }: Options): Promise<void> {
  const configuration = loadConfiguration(config);
  const task = await import("./start/tasks/serve.ts");
  await task.serve(configuration, config);
}

/** Those that go on until they are ended. */
const LASTING: Readonly<Record<string, (options: Options) => Promise<void>>> = {
  serve,
  // As `npm run dev` starts it: what a change brought to the schema is applied first.
  develop: async (options) => {
    const configuration = loadConfiguration(options.config);
    const { applyWhileDeveloping } = await import("./start/tasks/schema.ts");
    await applyWhileDeveloping(configuration, (text) => process.stderr.write(`${text}\n`));
    await serve(options);
  },
  setup: async ({ config }) => {
    const { runSetupSteps } = await import("./start/tasks/setup-steps.ts");
    await runSetupSteps(config, { input: process.stdin, output: process.stdout });
  },
};

const keys = () => import("./start/tasks/keys.ts");

const NOTHING: KeyNeeds = { records: 0, sealed: 0, authenticators: 0, recoveryCodes: 0, entries: 0 };

async function countForOne(config: string, keyId: string): Promise<KeyNeeds> {
  return (await countKeyUse(config, [keyId]))[keyId] ?? NOTHING;
}

/** The ring can be read without its database. */
async function countOrSayWhyNot(
  config: string,
  keyIds: readonly string[],
): Promise<{ needs: Readonly<Record<string, KeyNeeds>> | null; notCounted?: string }> {
  try {
    return { needs: await countKeyUse(config, keyIds) };
  } catch (error) {
    if (!isExpected(error)) throw error;
    return { needs: null, notCounted: error.message };
  }
}

/** What stands under each of these keys. */
async function countKeyUse(
  config: string,
  keyIds: readonly string[],
): Promise<Readonly<Record<string, KeyNeeds>>> {
  // A ring that lies alone belongs to no database yet.
  if (!existsSync(config) || keyIds.length === 0) return {};
  const { openWithoutDeadline } = await import("./base/storage/index.ts");
  const { countPepperedUnder } = await import("./records/password/store.ts");
  const { countSealedUnder } = await import("./records/mail/store.ts");
  const { countUnderKey } = await import("./records/second-factor/store.ts");
  const { countChainedUnder } = await import("./records/journal/chain-store.ts");
  const dataSource = await openWithoutDeadline(loadConfiguration(config));
  try {
    const needs: Record<string, KeyNeeds> = {};
    for (const keyId of keyIds)
      needs[keyId] = {
        records: await countPepperedUnder(dataSource, keyId),
        sealed: await countSealedUnder(dataSource, keyId),
        ...(await countUnderKey(dataSource, keyId)),
        entries: await countChainedUnder(dataSource, keyId),
      };
    return needs;
  } finally {
    await dataSource.destroy();
  }
}

/** The JSON value that the command sends on standard input: never on the command line, where others could read it. */
async function readInput<Name extends TaskName>(): Promise<Tasks[Name]["input"]> {
  return JSON.parse(await readAll(process.stdin)) as Tasks[Name]["input"];
}

const isTask = (name: string): name is TaskName => Object.hasOwn(TASKS, name);

/** Does what the command line says. @throws Error that nothing here expects. */
async function run(): Promise<void> {
  try {
    const { positionals, values } = parseArgs({
      allowPositionals: true,
      options: {
        config: { type: "string", default: "lucchetto.yaml" },
        email: { type: "string", default: "" },
        "display-name": { type: "string" },
        key: { type: "string", default: "" },
        "give-up": { type: "boolean", default: false },
      },
    });
    const name = positionals[0] ?? "";
    const task = isTask(name) ? TASKS[name] : LASTING[name];
    if (task === undefined) {
      process.stderr.write(`Tasks: ${[...Object.keys(LASTING), ...Object.keys(TASKS)].join(", ")}\n`);
      process.exitCode = 2;
    } else {
      const displayName = values["display-name"] ?? null;
      const { config, email, key, "give-up": giveUp } = values;
      const result = await task({ config, email, displayName, key, giveUp });
      if (result !== undefined) process.stdout.write(`${JSON.stringify(result)}\n`);
    }
  } catch (error) {
    process.exitCode = 1;
    const code = error instanceof Error && "code" in error ? String(error.code) : "";
    if (isExpected(error)) process.stderr.write(`${error.message}\n`);
    else if (code.startsWith("ERR_PARSE_ARGS")) {
      process.stderr.write(`${(error as Error).message}\n`);
      process.exitCode = 2;
    } else {
      const { withoutValues } = await import("./base/storage/without-values.ts");
      throw withoutValues(error);
    }
  }
}

void run();
