/** An intake as people see it. */
import type { Intake } from "@lucchetto/contract";
import type { DataSource } from "typeorm";
import type { IntakeRow } from "../../base/storage/index.ts";
import { countStanding, listIntakes, listRecipes } from "./store.ts";

export async function reportOf(dataSource: DataSource, row: IntakeRow): Promise<Intake> {
  const { id, source, state, taken, filled, refused, firstSignIns, failedAttempts } = row;
  return {
    id,
    source,
    state,
    startedAt: row.startedAt.toISOString(),
    endedAt: row.endedAt?.toISOString() ?? null,
    rows: Number(row.position),
    ...{ taken, filled, refused },
    ...(await countStanding(dataSource, id)),
    ...{ firstSignIns, failedAttempts },
    recipes: (await listRecipes(dataSource, id)).map(({ id: recipe, text, isProven }) => ({
      id: recipe,
      text,
      isProven,
    })),
  };
}

/** All of them, newest first. */
export async function reportAll(dataSource: DataSource): Promise<Intake[]> {
  const reports: Intake[] = [];
  for (const row of await listIntakes(dataSource)) reports.push(await reportOf(dataSource, row));
  return reports;
}
