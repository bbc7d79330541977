/** A typed password against a stored record. */
import { preparePassword } from "@lucchetto/core";
import type { Asker } from "../../base/queue/places.ts";
import type { PasswordRecordRow } from "../../base/storage/index.ts";
import type { ServiceContext } from "../../records/context.ts";
import { findRecord } from "../../records/password/store.ts";
import { checkable, readStored } from "./stored.ts";

/** What was typed, and who waits for what it says. */
interface Typed {
  readonly typed: string;
  readonly asker: Asker;
}

/**
 * Whether it matches. A record that is none, or cannot be computed, costs the same and matches nothing.
 * @param accountId whose record it is, or was; `null`: of a registration that waits. @throws ProblemReply `too-busy`.
 */
export async function matchesRecord(
  context: Pick<ServiceContext, "hashing" | "dataSource" | "sealingKeys">,
  { record, accountId }: { record: string | null; accountId: string | null },
  { typed, asker }: Typed,
): Promise<boolean> {
  const prepared = preparePassword(typed);
  const stored = record === null ? null : checkable(await readStored(context, { record, accountId }));
  return prepared.ok && context.hashing.check({ prepared: prepared.text, typed }, stored, asker);
}

/** The account's password record, if this is its password at present. @throws ProblemReply `too-busy`. */
export async function findIfRight(
  context: ServiceContext,
  accountId: string,
  shown: Typed,
): Promise<PasswordRecordRow | null> {
  const row = await findRecord(context.dataSource, accountId);
  return (await matchesRecord(context, { record: row?.record ?? null, accountId }, shown)) ? row : null;
}
