/** `add-operator`: somebody who may use the console, straight into the database. */
import { addOperator } from "../account/add-operator.ts";
import { createMovableClock } from "../clock/clock.ts";
import { loadConfiguration } from "../config/index.ts";
import { openDatabase } from "../storage/index.ts";

/** @returns the account's id. @throws OperatorRefusal. */
export async function addOperatorByTask(
  config: string,
  wanted: { email: string; displayName: string | null; password: string },
): Promise<string> {
  const configuration = loadConfiguration(config);
  const dataSource = await openDatabase(configuration);
  try {
    const clock = createMovableClock(dataSource);
    await clock.refresh();
    return (await addOperator({ configuration, dataSource, clock }, wanted)).id;
  } finally {
    await dataSource.destroy();
  }
}
