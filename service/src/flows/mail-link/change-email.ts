/** Another address for an account: asked for in a session, confirmed by a link to it. */
import type { Identifier } from "@lucchetto/core";
import { hashToken, isSessionAlive, readEmail } from "@lucchetto/core";
import type { EntityManager } from "typeorm";
import { ProblemReply } from "../../base/problem.ts";
import type { AccountFacts, Granted, MailLinkRow } from "../../base/storage/index.ts";
import { inTransaction, isDuplicateOf } from "../../base/storage/index.ts";
import { consultOrRecord } from "../../people/account/consult.ts";
import { readNewEmail } from "../../people/account/fields.ts";
import { sendLink } from "../../people/mail-link/send.ts";
import { applyRecoveryRule } from "../../people/recovery/end.ts";
import type { UndoableChange } from "../../people/recovery/undo-link.ts";
import { holdName, isHeldFrom } from "../../records/account/held.ts";
import { deleteRegistrationsOf } from "../../records/account/registration-store.ts";
import { findAccount, findByIdentifier, lockAccount, updateAccount } from "../../records/account/store.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { assertFresh } from "../../records/granting/fresh.ts";
import { record } from "../../records/journal/journal.ts";
import { spendLink } from "../../records/mail-link/store.ts";
import { addresseeOf, tellUnproved } from "../../records/mail/owner.ts";
import type { LiveSession } from "../../records/session/store.ts";
import { lockSession } from "../../records/session/store.ts";
import { countMailFor } from "../../records/throttle/throttle.ts";
import type { Settle } from "./ask.ts";
import { nameForStrangers } from "./name-for-strangers.ts";
import type { LinkOfAccount } from "./new-password.ts";
import type { Redeemed, Redemption } from "./redemption.ts";

/** A change that was asked for and may go ahead. */
export interface AskedEmail {
  readonly accountId: string;
  readonly sessionId: string;
  /** As typed. */
  readonly email: string;
  readonly visit: RequestOrigin;
  readonly mark: string | undefined;
}

/**
 * Asks for it. The reply is the same for a free and a taken address.
 * @throws ProblemReply `reauthenticate`, `invalid-fields`, `refused-by-application`, `application-unresponsive`, `mail-missing`.
 */
export async function askForEmail(
  context: ServiceContext,
  { session, account }: LiveSession,
  { email: typed, visit, mark }: { email: string; visit: RequestOrigin; mark: string | undefined },
): Promise<AskedEmail> {
  const { configuration } = context;
  if (configuration.mail.via === "none") throw new ProblemReply("mail-missing");
  await assertFresh(context, { session, account });
  const email = readNewEmail(configuration, account, typed);
  const question = { type: "account.change", by: "person", account, change: { email: email.shown } } as const;
  await consultOrRecord(context, question, visit);
  return { accountId: account.id, sessionId: session.id, email: email.shown, visit, mark };
}

/** Sends the link to the new address, unless it is somebody's: that is told to nobody. To be done after the reply. */
export async function sendChange(
  context: ServiceContext,
  { accountId, sessionId, email: asked, visit, mark }: AskedEmail,
  settle: Settle,
): Promise<void> {
  const { dataSource } = context;
  const email = readEmail(asked);
  const account = await findAccount(dataSource, accountId);
  if (email === null || account?.state !== "active") return;
  if ((await findByIdentifier(dataSource, { kind: "email", key: email.key })) !== null) return;
  const now = context.clock.now();
  if (await isHeldFrom(dataSource, { kind: "email", key: email.key }, { accountId, now })) return;
  // Not in the budget of the asker's own device: the address may be anybody's.
  const isWithinLimit = await countMailFor(context, { emailKey: email.key, accountId: null, mark });
  await inTransaction(dataSource, async (manager) => {
    await settle(manager);
    // The change lapses with the session that asked: nobody is sent a link that does nothing. The account first, as everywhere.
    const locked = await lockAccount(manager, accountId);
    const session = await lockSession(manager, sessionId);
    if (locked?.state !== "active" || session === null || !isSessionAlive(session, now)) return;
    await sendLink(context, manager, {
      purpose: "change-email",
      to: addresseeOf({ ...account, email: email.shown }),
      emailKey: account.emailKey ?? "",
      newEmail: email.shown,
      sessionId,
      account: nameForStrangers(account),
      browserHash: hashToken("device-mark", mark),
      visit,
      isWithinLimit,
    });
  });
}

/** The link was used in the session that asked. @throws ProblemReply `address-taken`, `link-…`. */
export async function changeEmailBy(
  context: ServiceContext,
  { link, account }: LinkOfAccount,
  { visit }: Redemption,
): Promise<Redeemed> {
  if (account === null) throw new ProblemReply("link-unknown");
  const { email } = await applyChange(context, { link, account }, visit, (manager) =>
    spendLink(manager, link.id, context.clock.now()),
  );
  return { outcome: "email-changed", email };
}

/**
 * The new address counts from now on. The one before is told and can undo it, if it was proved: a mistyped one gives
 * whoever reads it nothing.
 * @param spend spends link or code; `null`: somebody else was first.
 */
export async function applyChange(
  context: ServiceContext,
  { link, account: asked }: { link: MailLinkRow; account: Pick<AccountFacts, "id"> },
  visit: RequestOrigin,
  spend: (manager: EntityManager) => Promise<Granted | null>,
): Promise<{ email: string }> {
  const email = readEmail(link.newEmail ?? "");
  if (email === null) throw new ProblemReply("link-unknown");
  await inTransaction(context.dataSource, async (outside) => {
    const now = context.clock.now();
    const account = await lockAccount(outside, asked.id);
    if (account?.state !== "active" || (account.emailKey ?? "") !== link.emailKey)
      throw new ProblemReply("link-unknown");
    // The session that asked may have ended while this waited for the account.
    const session = link.sessionId === null ? null : await lockSession(outside, link.sessionId);
    if (session === null || !isSessionAlive(session, now)) throw new ProblemReply("link-unknown");
    const manager = await spend(outside);
    if (manager === null) throw new ProblemReply("link-used");
    const { id: accountId } = account;
    try {
      await updateAccount(manager, accountId, {
        email: email.shown,
        emailKey: email.key,
        emailVerifiedAt: now,
        emailSetAt: now,
      });
    } catch (error) {
      throw isDuplicateOf(error, "account_email") ? new ProblemReply("address-taken") : error;
    }
    await deleteRegistrationsOf(manager, email.key);
    await applyRecoveryRule(context, manager, { accountId, event: "email-changed", now });
    await record(context, manager, { event: { kind: "email.changed", accountId }, visit, now });
    await tellFormerAddress(context, manager, { account, address: email, visit, now });
  });
  return { email: email.shown };
}

/** The address before is held for its owner and told, with a link that undoes the change; but not one that nobody proved. */
export async function tellFormerAddress(
  context: ServiceContext,
  manager: EntityManager,
  { account, address, visit, now }: UndoableChange & { address: Identifier<"email"> },
): Promise<void> {
  const { id: accountId, email, emailKey, emailVerifiedAt } = account;
  if (email === null || emailKey === null) return;
  if (emailVerifiedAt === null) {
    await tellUnproved(context, manager, { account, visit });
    return;
  }
  const heldUntil = new Date(now.getTime() + context.configuration.links["undo-change"]);
  await holdName(manager, { kind: "email", key: emailKey }, { accountId, heldUntil });
  await sendLink(context, manager, {
    purpose: "undo-change",
    to: addresseeOf({ ...account, email }),
    emailKey: address.key,
    newEmail: email,
    address: address.shown,
    browserHash: null,
    former: account,
    visit,
    now,
    isWithinLimit: true,
  });
}
