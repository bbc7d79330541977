/** What an intruder may hold of an account, ended together. */
import type { EntityManager } from "typeorm";
import { deleteAccessKeysOf } from "../access-key/store.ts";
import type { ServiceContext } from "../context.ts";
import { endSessionsOf } from "../session/store.ts";
import { endSignInsOf } from "../sign-in/store.ts";
import { clearCountsOf, forgetDevicesOf } from "../throttle/throttle.ts";
import { voidLinksOf } from "./store.ts";

/** Ends sessions, sign-ins in progress, access keys, known devices and links; those that undo a change of address stay. */
export async function endEverythingOf(
  context: ServiceContext,
  manager: EntityManager,
  { accountId, reason, now }: { accountId: string; reason: string; now: Date },
): Promise<void> {
  await endSessionsOf(manager, accountId, { now, reason });
  await endSignInsOf(manager, accountId, now);
  await deleteAccessKeysOf(manager, accountId);
  await voidLinksOf(manager, accountId, now);
  await forgetDevicesOf(manager, accountId);
  await clearCountsOf(context, manager, accountId, "password");
}
