/** `import-…`: moving in, done where configuration, key ring and database are. Progress goes out as lines of JSON before the result. */
import { appendFileSync, existsSync, writeFileSync } from "node:fs";
import type {
  ExportResult,
  ImportInput,
  ImportResult,
  Intake,
  IntakeCheck,
  RestoreResult,
  Tasks,
} from "@lucchetto/contract";
import type { DataSource } from "typeorm";
import type { MovableClock } from "../../base/clock/clock.ts";
import { createMovableClock } from "../../base/clock/clock.ts";
import type { Configuration } from "../../base/config/index.ts";
import { loadConfiguration } from "../../base/config/index.ts";
import type { IntakeRow } from "../../base/storage/index.ts";
import { isStorageUnavailable, openWithoutDeadline, schemaStatus } from "../../base/storage/index.ts";
import { exportAccounts } from "../../edges/export/export.ts";
import { restoreExport } from "../../edges/export/restore.ts";
import type { OnProgress } from "../../edges/intake/check.ts";
import { checkSource } from "../../edges/intake/check.ts";
import { readMended, writeRefusals } from "../../edges/intake/corrected.ts";
import type { Plan } from "../../edges/intake/plan.ts";
import { readPlan } from "../../edges/intake/plan.ts";
import { reportAll, reportOf } from "../../edges/intake/report.ts";
import { runIntake } from "../../edges/intake/run.ts";
import { identityOf } from "../../edges/intake/source.ts";
import { findIntake, listRefusals } from "../../edges/intake/store.ts";
import { IntakeRefusal } from "../../edges/intake/written.ts";
import { peppersOf } from "../../records/password/hashing.ts";

export async function importCheck(config: string, input: ImportInput): Promise<IntakeCheck> {
  const plan = await planOf(input);
  return withDatabase(config, ({ configuration, dataSource, clock }) => {
    const needs = { dataSource, peppers: peppersOf(configuration.keyRing), now: clock.now() };
    return checkSource(needs, plan, { known: input.known, onProgress: tellNowAndThen() });
  });
}

export async function importRun(config: string, input: ImportInput): Promise<ImportResult> {
  const plan = await planOf(input);
  return withDatabase(config, async (needs) => {
    const { intake, wrapsLater, resumedAt } = await runIntake(needs, plan, {
      ...input,
      onProgress: tellNowAndThen(),
    });
    return { report: await reportOf(needs.dataSource, intake), wrapsLater, resumedAt };
  });
}

/** An export taken back. */
export async function importExport(
  config: string,
  { path, key, unsealed }: Tasks["import-export"]["input"],
): Promise<RestoreResult> {
  return withDatabase(config, async (needs) => {
    const { intake, ...told } = await restoreExport(
      needs,
      { path, key, isUnsealedAllowed: unsealed },
      tellNowAndThen(),
    );
    return { report: await reportOf(needs.dataSource, intake), wrapsLater: false, ...told };
  });
}

export function exportAll(config: string, input: { to: string; key: string | null }): Promise<ExportResult> {
  return withDatabase(config, (needs) => {
    const tell = tellNowAndThen();
    return exportAccounts(needs, input, (rows) => tell({ phase: "write", done: rows, total: 0, rows }));
  });
}

export function importStatus(config: string): Promise<Intake[]> {
  return withDatabase(config, ({ dataSource }) => reportAll(dataSource));
}

/** One of them, with the plan that it was run with. @throws IntakeRefusal. */
export function importShow(
  config: string,
  { id }: { id: string },
): Promise<{ report: Intake; plan: string }> {
  return withDatabase(config, async ({ dataSource }) => {
    const intake = await intakeOf(dataSource, id);
    return { report: await reportOf(dataSource, intake), plan: intake.plan };
  });
}

async function intakeOf(dataSource: DataSource, id: string): Promise<IntakeRow> {
  const intake = UUID.test(id) ? await findIntake(dataSource, id) : null;
  if (intake !== null) return intake;
  throw new IntakeRefusal(`There is no import ${id}; \`lucchetto import status\` lists them.`);
}

const UUID = /^[0-9a-f]{8}(?:-[0-9a-f]{4}){3}-[0-9a-f]{12}$/;

/** Rows that are written at once. */
const AT_ONCE = 1_000;

/** Writes the refused rows of an intake, without their secrets, into a new file. @returns how many. @throws IntakeRefusal. */
export function importRefused(
  config: string,
  { id, to }: { id: string; to: string },
): Promise<{ written: number }> {
  return withDatabase(config, async ({ dataSource }) => {
    await intakeOf(dataSource, id);
    if (existsSync(to)) throw new IntakeRefusal(`${to} already exists.`);
    let written = 0;
    let after = "0";
    let columns: string[] = [];
    for (;;) {
      const rows = await listRefusals(dataSource, id, { after, take: AT_ONCE });
      if (written === 0) {
        columns = [...new Set(rows.flatMap(({ values }) => Object.keys(values)))];
        writeFileSync(to, writeRefusals(rows, columns, true), { flag: "wx", mode: 0o600 });
      } else appendFileSync(to, writeRefusals(rows, columns, false));
      written += rows.length;
      after = rows.at(-1)?.line ?? after;
      if (rows.length < AT_ONCE) return { written };
    }
  });
}

async function planOf({ plan: path, mended }: ImportInput): Promise<Plan> {
  const plan = readPlan(path);
  if (mended === undefined) return plan;
  const file = { path: mended, format: "csv", delimiter: ",", encoding: "utf-8" } as const;
  return { ...plan, mended: await readMended(mended), text: `${plan.text}\n# mended: ${identityOf(file)}` };
}

/** Milliseconds between two words of progress. */
const TELL_EVERY = 250;

function tellNowAndThen(): OnProgress {
  let last = 0;
  let phase = "";
  return (progress) => {
    const now = performance.now();
    if (progress.phase === phase && now - last < TELL_EVERY) return;
    last = now;
    phase = progress.phase;
    process.stdout.write(`${JSON.stringify({ progress })}\n`);
  };
}

async function withDatabase<Result>(
  config: string,
  work: (needs: {
    configuration: Configuration;
    dataSource: DataSource;
    clock: MovableClock;
  }) => Promise<Result>,
): Promise<Result> {
  const configuration = loadConfiguration(config);
  const dataSource = await openWithoutDeadline(configuration);
  try {
    if (!(await schemaStatus(dataSource)).current)
      throw new IntakeRefusal("The database's schema is not up to date. Run: lucchetto schema apply");
    const clock = createMovableClock(dataSource);
    await clock.refresh();
    return await work({ configuration, dataSource, clock });
  } catch (error) {
    if (!isStorageUnavailable(error)) throw error;
    const { message } = error as Error;
    throw new IntakeRefusal(
      `The database is gone or refuses writes: ${message}. Run the same command again: it continues where it stopped.`,
      { cause: error },
    );
  } finally {
    // The result, or the failure before, counts; the process ends with it.
    await dataSource.destroy().catch(() => undefined);
  }
}
