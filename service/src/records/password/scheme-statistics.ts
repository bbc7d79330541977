/** The hash fleet: how many records there are of which scheme, now and on every day before. */
import type { HashFleet } from "@lucchetto/contract";
import { floorsMissedBy, readScheme, SchemeError, SEALED_DIGEST_PREFIX } from "@lucchetto/core";
import type { DataSource } from "typeorm";
import type { DailyCount } from "../../base/clock/by-day.ts";
import { countDaily, dayOf } from "../../base/clock/by-day.ts";
import type { Clock } from "../../base/clock/clock.ts";
import { DAY } from "../../base/duration.ts";
import type { Hashing } from "./hashing.ts";
import { findRecipeTexts } from "./imported-store.ts";
import { countSchemes, listSchemeCounts, storeSchemeCounts } from "./store.ts";

/** Where records are counted, and by which time. */
interface Counted {
  readonly dataSource: DataSource;
  readonly clock: Clock;
  readonly hashing: Hashing;
}

/** Days shown. */
const SHOWN_DAYS = 90;

/** Keeps the counts of each day. */
export function createFleetCounter({ dataSource, clock }: Pick<Counted, "dataSource" | "clock">): DailyCount {
  return countDaily(clock, (now) => storeSchemeCounts(dataSource, dayOf(now)));
}

/** The fleet as operators see it; the present figures are counted at this moment. */
export async function showFleet({ dataSource, clock, hashing }: Counted): Promise<HashFleet> {
  const now = clock.now();
  const [present, days] = await Promise.all([
    countSchemes(dataSource),
    listSchemeCounts(dataSource, dayOf(new Date(now.getTime() - SHOWN_DAYS * DAY))),
  ]);
  const recipes = await findRecipeTexts(
    dataSource,
    present.flatMap(({ scheme }) => recipeIdOf(scheme) ?? []),
  );
  const schemes = present.map(({ scheme, records, lastSignInAt }) => ({
    scheme,
    records,
    current: scheme === hashing.scheme.text,
    ...judgeScheme(scheme),
    lastSignInAt: lastSignInAt?.toISOString() ?? null,
    recipe: recipes.get(recipeIdOf(scheme) ?? "") ?? null,
  }));
  const total = schemes.reduce((sum, { records }) => sum + records, 0);
  const current = schemes.find((scheme) => scheme.current)?.records ?? 0;
  const today = schemes.map(({ scheme, records }) => ({ day: dayOf(now), scheme, records }));
  return {
    configured: hashing.scheme.text,
    total,
    current,
    older: total - current,
    schemes: schemes.sort((left, right) => right.records - left.records),
    days: groupByDay([...days.filter(({ day }) => day !== dayOf(now)), ...today]),
  };
}

/** Of a scheme's text; `null` if no old digests went through it. */
function recipeIdOf(scheme: string): string | null {
  return /,recipe=([a-z0-9-]+)$/.exec(scheme)?.[1] ?? null;
}

function judgeScheme(text: string): { algorithm: string; memoryBytes: number | null; belowFloor: boolean } {
  if (text.startsWith(SEALED_DIGEST_PREFIX))
    return { algorithm: "sealed", memoryBytes: null, belowFloor: true };
  try {
    const scheme = readScheme(text);
    const { algorithm, parameters } = scheme;
    return {
      algorithm: algorithm.id,
      memoryBytes: algorithm.memoryBytes(parameters),
      belowFloor: floorsMissedBy(scheme) !== null,
    };
  } catch (error) {
    if (!(error instanceof SchemeError)) throw error;
    return { algorithm: "unreadable", memoryBytes: null, belowFloor: true };
  }
}

function groupByDay(
  rows: ReadonlyArray<{ day: string; scheme: string; records: number }>,
): HashFleet["days"] {
  const days = new Map<string, Array<{ scheme: string; records: number }>>();
  for (const { day, scheme, records } of rows) {
    const counts = days.get(day) ?? [];
    counts.push({ scheme, records });
    days.set(day, counts);
  }
  return [...days].map(([day, counts]) => ({ day, counts }));
}
