/** Telling the owner of a change with a link that undoes it, in the transaction of the change. */
import type { UndoPurpose } from "@lucchetto/core";
import type { EntityManager } from "typeorm";
import type { MailName } from "../../base/mail-text/catalogue.ts";
import type { AccountFacts } from "../../base/storage/index.ts";
import { holdName } from "../../records/account/held.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { listUndoAddresses } from "../../records/mail-link/store.ts";
import {
  addresseeOf,
  MAX_OWNER_MAILS_PER_HOUR,
  OWNER_MAIL_WINDOW,
  tellUnproved,
} from "../../records/mail/owner.ts";
import { countMailsOf } from "../../records/mail/store.ts";
import { sendLink } from "../mail-link/send.ts";

/** The mails that tell of it. */
export type FactorMail =
  | "second-factor-added"
  | "second-factor-removed"
  | "passkey-added"
  | "passkey-removed"
  | "recovery-codes-made";

export interface UndoableChange {
  /** The account before the change, locked. */
  readonly account: AccountFacts;
  readonly visit: RequestOrigin;
  /** When it was made: what is younger is not from before. */
  readonly now: Date;
}

/** Of a factor: the proved address hears, and those changed away from that can still be restored. */
export function tellOfFactor(
  context: ServiceContext,
  manager: EntityManager,
  change: UndoableChange & { mail: FactorMail },
): Promise<void> {
  return tellWithUndo(context, manager, { ...change, purpose: "undo-factor" });
}

/** Of another username: the one before is held for its owner, and the same addresses are told. */
export async function tellOfUsername(
  context: ServiceContext,
  manager: EntityManager,
  change: UndoableChange,
): Promise<void> {
  const { account, now } = change;
  const { id: accountId, usernameKey } = account;
  if (usernameKey === null) return;
  const heldUntil = new Date(now.getTime() + context.configuration.links["undo-change"]);
  await holdName(manager, { kind: "username", key: usernameKey }, { accountId, heldUntil });
  await tellWithUndo(context, manager, { ...change, mail: "username-changed", purpose: "undo-change" });
}

/** Of a closing: the same addresses, with a link that stops the erasing. */
export function tellOfClosing(
  context: ServiceContext,
  manager: EntityManager,
  change: UndoableChange,
): Promise<void> {
  return tellWithUndo(context, manager, { ...change, mail: "account-closed", purpose: "undo-erase" });
}

async function tellWithUndo(
  context: ServiceContext,
  manager: EntityManager,
  { mail, purpose, account, visit, now }: UndoableChange & { mail: MailName; purpose: UndoPurpose },
): Promise<void> {
  const { id: accountId, email, emailKey, emailVerifiedAt } = account;
  const addresses = new Set(await listUndoAddresses(manager, accountId, now));
  if (email !== null && emailVerifiedAt !== null) addresses.add(email);
  // An address that nobody proved gets nothing to undo with.
  else await tellUnproved(context, manager, { account, visit });
  const since = new Date(now.getTime() - OWNER_MAIL_WINDOW);
  const written = await countMailsOf(manager, { accountId, template: mail, since });
  for (const address of addresses) {
    await sendLink(context, manager, {
      purpose,
      mail,
      to: addresseeOf({ ...account, email: address }),
      emailKey: emailKey ?? "",
      newEmail: address,
      browserHash: null,
      former: account,
      visit,
      now,
      // An earlier link takes back more than a later one: a flood of changes hides nothing.
      isWithinLimit: written < MAX_OWNER_MAILS_PER_HOUR * addresses.size,
    });
  }
}
