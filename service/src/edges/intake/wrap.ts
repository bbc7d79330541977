/**
 * Old digests that came in sealed, wrapped one after another beside the service's other work: latest seen first, and only while nobody
 * waits for a hash. One instance does an intake; where it ends, another goes on.
 */
import { randomBytes } from "node:crypto";
import { availableParallelism } from "node:os";
import { setTimeout as pause } from "node:timers/promises";
import {
  openDigest,
  readSealedDigest,
  SALT_LENGTH,
  SEALED_DIGEST_PREFIX,
  withRecipe,
  wrapDigest,
} from "@lucchetto/core";
import type { FastifyBaseLogger } from "fastify";
import type { Background } from "../../base/background-work.ts";
import { giveLeaseBack, newId, takeLease } from "../../base/storage/index.ts";
import type { ServiceContext } from "../../records/context.ts";
import { replaceRecord } from "../../records/password/store.ts";

/** Digests that are looked for at once: in the order of their people's last sign-in, which takes a look at all. */
const AT_ONCE = 500;
/** Milliseconds between two looks while there is nothing to wrap. */
const LOOK_EVERY = 10_000;
/** Seconds of a claim; it is renewed after each digest. */
const LEASE_SECONDS = 60;

interface Sealed {
  readonly accountId: string;
  readonly record: string;
}

type Needs = Pick<ServiceContext, "dataSource" | "clock" | "hashing" | "sealingKeys">;

/** Begins to look for them. */
export function wrapSealed(
  context: ServiceContext,
  logger: Pick<FastifyBaseLogger, "warn" | "info">,
): Background {
  const ending = new AbortController();
  const { signal } = ending;
  const work = async (): Promise<void> => {
    while (!signal.aborted) {
      let wrapped = 0;
      try {
        wrapped = await wrapSome(context, signal);
        if (wrapped > 0) logger.info({ wrapped }, "old digests wrapped");
      } catch (error) {
        logger.warn({ err: error }, "old digests could not be wrapped");
      }
      // Ended early when the service stops.
      if (wrapped === 0) await pause(LOOK_EVERY, undefined, { signal, ref: false }).catch(() => undefined);
    }
  };
  const working = work();
  return {
    async close() {
      ending.abort();
      await working;
    },
  };
}

/** Wraps up to some hundred of each intake. @returns how many; `0`: there is nothing to do, or another instance does it. */
async function wrapSome(context: Needs, signal: AbortSignal): Promise<number> {
  const { dataSource } = context;
  let wrapped = 0;
  for (const intakeId of await findIntakesWithSealed(context)) {
    const claim = newId(context.clock.now());
    const lease = { table: "intake", id: intakeId, seconds: LEASE_SECONDS } as const;
    if (!(await takeLease(dataSource, lease, claim))) continue;
    const rows = (await listSealed(context, intakeId)).values();
    // The lanes share what is left, and all stop where the claim is lost.
    const lane = async (): Promise<void> => {
      for (const row of rows) {
        if (signal.aborted || !(await takeLease(dataSource, lease, claim))) return;
        if (await wrapOne(context, row)) wrapped += 1;
      }
    };
    await Promise.all(Array.from({ length: availableParallelism() }, lane));
    await giveLeaseBack(dataSource, lease, claim);
  }
  return wrapped;
}

type Sealing = Pick<Needs, "dataSource" | "sealingKeys">;

/** Those that lie under a key that is here; with the others nothing can be done. */
function isOpenable({ sealingKeys }: Sealing): { condition: string; patterns: string[] } {
  const patterns = [...sealingKeys.keys.keys()].map((id) => `${SEALED_DIGEST_PREFIX}key=${id},%`);
  return { condition: `(${patterns.map(() => "record.scheme LIKE ?").join(" OR ")})`, patterns };
}

async function findIntakesWithSealed(needs: Sealing): Promise<string[]> {
  const { condition, patterns } = isOpenable(needs);
  const rows = await needs.dataSource.query<Array<{ intakeId: string }>>(
    `SELECT DISTINCT recipe.intakeId
       FROM (SELECT DISTINCT scheme FROM password_record record WHERE ${condition}) sealed
       JOIN recipe ON sealed.scheme LIKE CONCAT('%,recipe=', recipe.id)`,
    patterns,
  );
  return rows.map(({ intakeId }) => intakeId);
}

/** Those of an intake, in the order in which they are wrapped. */
export function listSealed(needs: Sealing, intakeId: string): Promise<Sealed[]> {
  const { condition, patterns } = isOpenable(needs);
  return needs.dataSource.query<Sealed[]>(
    `SELECT record.accountId, record.record FROM password_record record
       JOIN imported_password imported ON imported.accountId = record.accountId
       JOIN account ON account.id = record.accountId
      WHERE ${condition} AND imported.intakeId = ?
      ORDER BY account.lastSignInAt DESC LIMIT ${AT_ONCE}`,
    [...patterns, intakeId],
  );
}

/** `false`: it does not open, or its owner was faster. */
async function wrapOne({ dataSource, hashing, sealingKeys, clock }: Needs, row: Sealed): Promise<boolean> {
  const sealed = readSealedDigest(row.record);
  const digest = sealed === null ? null : openDigest(sealingKeys, sealed, row.accountId);
  if (sealed === null || digest === null) return false;
  const scheme = withRecipe(hashing.scheme, sealed.recipe);
  const to = await hashing.runInBackground(() =>
    wrapDigest(digest, scheme, randomBytes(SALT_LENGTH), hashing.peppers),
  );
  const { accountId, record: from } = row;
  return replaceRecord(dataSource.manager, { accountId, from, to, now: clock.now() });
}
