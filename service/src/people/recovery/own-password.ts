/** A password that its owner sets, or perhaps somebody else: what was shown for it is kept with it. */
import type { Grounds } from "@lucchetto/core";
import { endsOthersForGood, hashToken, joinGrounds } from "@lucchetto/core";
import type { AccountRow, Granted } from "../../base/storage/index.ts";
import type { ServiceContext } from "../../records/context.ts";
import type { NewRecord } from "../../records/password/store.ts";
import { setRecord } from "../../records/password/store.ts";
import { endOtherDevices } from "../../records/throttle/store.ts";
import { findBrowser, groundsOfDevice } from "./grounds.ts";

/**
 * Sets it, in the transaction that honours what was shown. Made in a browser, or with a factor, that stood long enough, all other browsers tell
 * nothing any more of who was there before.
 * @param shown what was shown besides the browser. @param mark of the browser in which it is set.
 */
export async function setOwnPassword(
  context: Pick<ServiceContext, "configuration">,
  manager: Granted,
  {
    account: { id: accountId, firstProvedAt },
    made,
    shown,
    mark,
    now,
  }: {
    account: Pick<AccountRow, "id" | "firstProvedAt">;
    made: NewRecord;
    shown: Grounds;
    mark: string | undefined;
    now: Date;
  },
): Promise<void> {
  const device = await findBrowser(manager, accountId, mark);
  const grounds = joinGrounds(shown, groundsOfDevice(context, device, now));
  const browser = hashToken("device-mark", mark);
  await setRecord(manager, { accountId, made, now, set: { grounds, browser } });
  const { standsSince } = grounds;
  if (endsOthersForGood({ setAt: now, standsSince }, firstProvedAt))
    await endOtherDevices(manager, accountId, { except: browser, now });
}
