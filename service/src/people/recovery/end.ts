/** What ends of an account, by the table of recovery rules and by nothing else. */
import type { Ending, RecoveryEvent } from "@lucchetto/core";
import { RECOVERY_RULES } from "@lucchetto/core";
import type { Granted } from "../../base/storage/index.ts";
import { deleteAccessKeysOf } from "../../records/access-key/store.ts";
import { lockAccount } from "../../records/account/store.ts";
import type { ServiceContext } from "../../records/context.ts";
import { voidLinksOf } from "../../records/mail-link/store.ts";
import { deleteRecord, lockRecord } from "../../records/password/store.ts";
import { endSessionsOf } from "../../records/session/store.ts";
import { endSignInsOf } from "../../records/sign-in/store.ts";
import { forgetDevices } from "../../records/throttle/store.ts";
import { clearCountsOf } from "../../records/throttle/throttle.ts";

interface Ended {
  readonly accountId: string;
  readonly event: RecoveryEvent;
  readonly now: Date;
  /** What came since then is the owner's, and stays; left out, nothing is. */
  readonly ownSince?: Date | null;
  /** A sign-in that goes on. */
  readonly exceptSignIn?: string | null;
  /** What stays all the same. */
  readonly keeps?: readonly Ending[];
}

type Step = (context: ServiceContext, manager: Granted, ended: Ended) => Promise<unknown>;

const STEPS: Readonly<Record<Ending, Step>> = {
  sessions: (_context, manager, { accountId, event, now }) =>
    endSessionsOf(manager, accountId, { now, reason: event }),
  "sign-ins": (_context, manager, { accountId, now, exceptSignIn = null }) =>
    endSignInsOf(manager, accountId, now, exceptSignIn === null ? {} : { except: exceptSignIn }),
  "access-keys": (_context, manager, { accountId, ownSince = null }) =>
    deleteAccessKeysOf(manager, accountId, { before: ownSince }),
  "known-devices": (_context, manager, { accountId, now }) => forgetDevices(manager, accountId, now),
  links: (_context, manager, { accountId, now }) => voidLinksOf(manager, accountId, now),
  "password-count": async (context, manager, { accountId }) => {
    const account = await lockAccount(manager, accountId);
    if (account !== null) await clearCountsOf(context, manager, account, "password");
  },
  async password(_context, manager, { accountId, now, ownSince = null }) {
    const stands = await lockRecord(manager, accountId);
    const isOwn = stands !== null && ownSince !== null && stands.setAt >= ownSince;
    if (!isOwn) await deleteRecord(manager, accountId, now);
  },
};

/** Ends what the table says, in the transaction of what happened. */
export async function applyRecoveryRule(
  context: ServiceContext,
  manager: Granted,
  ended: Ended,
): Promise<void> {
  // One after the other: they share the transaction's connection.
  for (const what of RECOVERY_RULES[ended.event].ends)
    if (ended.keeps?.includes(what) !== true) await STEPS[what](context, manager, ended);
}
