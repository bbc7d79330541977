/**
 * The steps of `setup`, in one process: a line of JSON `{step, input}` on standard input is one step, a line on standard
 * output its `{result}`, or `{refused}` with what to correct. Secrets travel here alone, where nobody else can read them.
 */
import { createInterface } from "node:readline";
import { isExpected } from "./expected.ts";
import type { ConfigurationWish, DatabaseWish, GivenSettings } from "./setup.ts";
import {
  judgeConfiguration,
  keptSettings,
  readSetupState,
  setUpApp,
  setUpConfiguration,
  setUpDatabase,
  setUpOperator,
} from "./setup.ts";

/** What each step takes and does. */
const STEPS: Readonly<Record<string, (config: string, input: never) => unknown>> = {
  judge: (config, wish: ConfigurationWish) => {
    judgeConfiguration(config, wish);
    return {};
  },
  configuration: (config, wish: ConfigurationWish | null) => ({ steps: setUpConfiguration(config, wish) }),
  kept: (config, given: GivenSettings) => ({ steps: keptSettings(config, given) }),
  database: async (config, wish: DatabaseWish) => ({ steps: await setUpDatabase(config, wish) }),
  state: (config) => readSetupState(config),
  operator: setUpOperator,
  app: setUpApp,
};

/** Takes steps until the input ends. */
export async function runSetupSteps(
  config: string,
  { input, output }: { input: NodeJS.ReadableStream; output: NodeJS.WritableStream },
): Promise<void> {
  for await (const line of createInterface({ input })) {
    const asked = JSON.parse(line) as { step: string; input: never };
    output.write(`${JSON.stringify(await answer(config, asked))}\n`);
  }
}

async function answer(config: string, { step, input }: { step: string; input: never }): Promise<object> {
  const run = STEPS[step];
  if (run === undefined) return { refused: `there is no step ${step}` };
  try {
    return { result: await run(config, input) };
  } catch (error) {
    if (!isExpected(error)) throw error;
    return { refused: error.message };
  }
}
