/** The end of every sign-in: a session, the journal, the counts cleared, and the browser remembered. */
import { joinGrounds, proofsOf } from "@lucchetto/core";
import type { EntityManager } from "typeorm";
import type { AccountRow, KnownDeviceRow } from "../../base/storage/index.ts";
import { findBrowser, groundsOfDevice } from "../../people/recovery/grounds.ts";
import type { Beginning, BegunSession } from "../../people/session/session.ts";
import { beginSession } from "../../people/session/session.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { recordAndTell } from "../../records/journal/mails.ts";
import { hasImported } from "../../records/password/imported-store.ts";
import type { LiveSession } from "../../records/session/store.ts";
import { hasSessionFrom } from "../../records/session/store.ts";
import { clearCountsOf, rememberThisDevice } from "../../records/throttle/throttle.ts";

/** Where somebody signs in. */
export interface Device {
  /** Whether it is a browser, which is remembered. */
  readonly isBrowser: boolean;
  /** The known-device mark that it brought along. */
  readonly mark: string | undefined;
  /** The living session of the same browser, which the new one takes the place of. */
  readonly replaces: LiveSession | null;
}

/** Where a proof is shown. */
export interface Here {
  readonly visit: RequestOrigin;
  readonly device: Device;
}

/** A session begun, and the mark by which the browser is known from now on. */
export interface SignedInHere extends BegunSession {
  readonly mark: string | null;
}

/** Completes a sign-in inside the transaction that spent its last proof. */
export async function completeSignIn(
  context: ServiceContext,
  manager: EntityManager,
  { visit, device, ...beginning }: Omit<Beginning, "replaces"> & { visit: RequestOrigin; device: Device },
): Promise<SignedInHere> {
  const { account } = beginning;
  const now = context.clock.now();
  const there = await findBrowser(manager, account.id, device.mark);
  const isNew = await isNewHere(manager, account, { visit, device, there });
  const grounds = joinGrounds(beginning.grounds, groundsOfDevice(context, there, now));
  const begun = await beginSession(
    context,
    manager,
    { ...beginning, grounds, replaces: device.replaces },
    visit,
  );
  const event = {
    kind: "sign-in.completed",
    // How: the counts of the ways in are taken from it.
    reason: proofsOf(beginning.amr).join(" "),
    accountId: account.id,
    sessionId: begun.session.id,
  } as const;
  await recordAndTell(context, manager, {
    event,
    readers: { owner: isNew ? account : undefined },
    visit,
    now,
  });
  await clearCountsOf(context, manager, account);
  const mark = device.isBrowser
    ? await rememberThisDevice(context, manager, { accountId: account.id, mark: device.mark, grounds, there })
    : null;
  return { ...begun, mark };
}

/**
 * A browser is known by its mark, a program by its network. The very first sign-in of an account is new to nobody, unless the account
 * was imported: its owner may not have made it.
 */
async function isNewHere(
  manager: EntityManager,
  { id, lastSignInAt }: AccountRow,
  { visit, device, there }: { visit: RequestOrigin; device: Device; there: KnownDeviceRow | null },
): Promise<boolean> {
  if (lastSignInAt === null) return hasImported(manager, id);
  if (device.isBrowser) return there === null || there.forgottenAt !== null;
  return !(await hasSessionFrom(manager, id, visit.network));
}
