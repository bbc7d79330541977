/** `add-operator`: somebody who may use the console, straight into the database. */
import { createMovableClock } from "../../base/clock/clock.ts";
import { loadConfiguration } from "../../base/config/index.ts";
import { openDatabase } from "../../base/storage/index.ts";
import { addOperator } from "../../flows/registration/add-operator.ts";

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
