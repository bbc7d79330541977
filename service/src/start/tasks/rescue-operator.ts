/** `rescue-operator`: lets an operator in again, straight in the database. */
import { createMovableClock } from "../../base/clock/clock.ts";
import { loadConfiguration } from "../../base/config/index.ts";
import { openDatabase } from "../../base/storage/index.ts";
import { rescueOperator } from "../../edges/operator/rescue.ts";

/** @throws OperatorRefusal. */
export async function rescueOperatorByTask(
  config: string,
  wanted: { email: string; password: string },
): Promise<{ id: string; hadFactor: boolean }> {
  const configuration = loadConfiguration(config);
  const dataSource = await openDatabase(configuration);
  try {
    const clock = createMovableClock(dataSource);
    await clock.refresh();
    return await rescueOperator({ configuration, dataSource, clock }, wanted);
  } finally {
    await dataSource.destroy();
  }
}
