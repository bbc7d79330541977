/**
 * How an intake is written, whatever its rows come from: begun once, then part after part, each in one transaction with the place up to
 * which it is done, then ended. Whoever kills it and runs it again goes on from there: nothing twice, nothing left out.
 */
import type { EntityManager } from "typeorm";
import type { IntakeRefusalRow, IntakeRow } from "../../base/storage/index.ts";
import { inTransaction, newId } from "../../base/storage/index.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { BY_COMMAND } from "../../records/context.ts";
import { mayGoOn } from "../../records/granting/actor.ts";
import { record as journal } from "../../records/journal/journal.ts";
import type { LiveSession } from "../../records/session/store.ts";
import type { AccountRows, Fill } from "./store.ts";
import {
  advancePosition,
  endIntake,
  fillAccount,
  insertAccounts,
  insertIntake,
  insertMany,
} from "./store.ts";

/** Why an intake is not begun, or does not go on, for the person at the keyboard. */
export class IntakeRefusal extends Error {
  override readonly name = "IntakeRefusal";
}

/** What intakes and exports are done with. */
export type IntakeNeeds = Pick<ServiceContext, "configuration" | "dataSource" | "clock">;

/** Who began it in the console; `undefined`: whoever runs the service, on its machine. */
export type BegunBy = { readonly operator: LiveSession; readonly visit: RequestOrigin } | undefined;

/** Begins one. @param within what is written in the same transaction. @throws IntakeRefusal. */
export async function beginIntake(
  needs: IntakeNeeds,
  { by, ...said }: Pick<IntakeRow, "source" | "plan" | "fingerprint"> & { readonly by: BegunBy },
  within: (manager: EntityManager, intake: IntakeRow) => Promise<void> = () => Promise.resolve(),
): Promise<IntakeRow> {
  const now = needs.clock.now();
  const intake: IntakeRow = {
    id: newId(now),
    ...said,
    state: "running",
    startedAt: now,
    endedAt: null,
    position: "0",
    ...{ taken: 0, filled: 0, refused: 0, firstSignIns: 0, failedAttempts: 0 },
    ...{ claim: null, claimedUntil: null },
  };
  await inTransaction(needs.dataSource, async (manager) => {
    await assertMayGoOn(manager, by);
    await insertIntake(manager, intake);
    await within(manager, intake);
    await journalOf(needs, manager, { kind: "intake.begun", intake, by, now });
  });
  return intake;
}

/** What one part of it comes to. */
export interface Part {
  readonly taken: readonly AccountRows[];
  readonly fills?: readonly Fill[];
  readonly refused: ReadonlyArray<Omit<IntakeRefusalRow, "intakeId">>;
}

/**
 * Writes one part.
 * @param by must still be allowed to, which is held from before anything is looked up. @param place up to which rows are done, before and after.
 * @param make says what there is to write.
 * @throws IntakeRefusal where another run has written it meanwhile.
 */
export async function writePart(
  manager: EntityManager,
  { intake: { id }, by }: { readonly intake: IntakeRow; readonly by: BegunBy },
  place: { readonly from: number; readonly to: number },
  make: () => Promise<Part>,
): Promise<void> {
  await assertMayGoOn(manager, by);
  const { taken, fills = [], refused } = await make();
  const counts = { taken: taken.length, filled: fills.length, refused: refused.length };
  if (!(await advancePosition(manager, id, { ...place, ...counts })))
    throw new IntakeRefusal("Another run of the same import is in progress, so this one has stopped.");
  await insertAccounts(manager, taken);
  for (const fill of fills) await fillAccount(manager, fill);
  await insertMany(
    manager,
    "intake_refusal",
    refused.map((one): IntakeRefusalRow => ({ ...one, intakeId: id })),
  );
}

/** Notes that all of it is done. */
export async function finishIntake(needs: IntakeNeeds, intake: IntakeRow, by: BegunBy): Promise<void> {
  const now = needs.clock.now();
  await inTransaction(needs.dataSource, async (manager) => {
    await endIntake(manager, intake.id, now);
    await journalOf(needs, manager, { kind: "intake.ended", intake, by, now });
  });
}

/** Whoever began it may have been put out meanwhile: then nothing more of it is taken in. */
async function assertMayGoOn(manager: EntityManager, by: BegunBy): Promise<void> {
  if (by === undefined || (await mayGoOn(manager, by.operator))) return;
  throw new IntakeRefusal(
    "Whoever began this import is no longer an operator or was signed out, so it has stopped. What was taken in stays; run it again to go on.",
  );
}

function journalOf(
  { configuration }: IntakeNeeds,
  manager: EntityManager,
  {
    kind,
    intake,
    by,
    now,
  }: { kind: "intake.begun" | "intake.ended"; intake: IntakeRow; by: BegunBy; now: Date },
): Promise<void> {
  const event = { kind, reason: intake.id, actorId: by?.operator.account.id ?? null };
  return journal({ configuration }, manager, { event, visit: by?.visit ?? BY_COMMAND, now });
}
