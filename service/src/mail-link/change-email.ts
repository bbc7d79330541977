/** Another address for an account: asked for in a session, confirmed by a link to it, undone by a link to the old one. */
import type { FieldError } from "@lucchetto/contract";
import { fieldError } from "@lucchetto/contract";
import { hashToken, readEmail } from "@lucchetto/core";
import type { EntityManager } from "typeorm";
import { consultOrRecord } from "../account/consult.ts";
import { readIdentifiers } from "../account/fields.ts";
import { holdAddress, isHeldFrom, releaseAddress } from "../account/held-address.ts";
import { deleteRegistrationsOf } from "../account/registration-store.ts";
import { findByIdentifier, lockAccount, updateAccount } from "../account/store.ts";
import type { ServiceContext, Visit } from "../context.ts";
import { record } from "../journal/journal.ts";
import { addresseeOf, tellOwner } from "../mail/notices.ts";
import { deleteRecord, lockRecord, setRecord } from "../password/store.ts";
import { fieldProblem, ProblemReply } from "../problem.ts";
import { deleteSecondFactorsSince } from "../second-factor/store.ts";
import { assertFresh } from "../session/fresh.ts";
import type { LiveSession } from "../session/store.ts";
import { endSignInsOf } from "../sign-in/store.ts";
import type { AccountFacts, MailLinkRow } from "../storage/index.ts";
import { inTransaction, isDuplicateOf } from "../storage/index.ts";
import { listDevices } from "../throttle/store.ts";
import { countMailFor } from "../throttle/throttle.ts";
import { endEverythingOf } from "./end-everything.ts";
import { isFormerDevice, wantsFormer } from "./former.ts";
import { nameForStrangers } from "./name-for-strangers.ts";
import type { LinkOfAccount } from "./new-password.ts";
import { makeNewRecord, spendForAccount } from "./new-password.ts";
import type { Redeemed, Redemption } from "./redemption.ts";
import { sendLink } from "./send.ts";
import { spendLink, voidLaterUndoLinks, voidLinksOf } from "./store.ts";
import { isStoredPassword } from "./stored-password.ts";

/** Milliseconds before a change in which second factors that came then are taken for the intruder's. */
const PREPARING = 7 * 86_400_000;

/** A change that was asked for and may go ahead; `send` does what is the same for nobody, after the reply. */
export interface AskedChange {
  send(): Promise<void>;
}

/**
 * Asks for it. The reply is the same for a free and a taken address.
 * @throws ProblemReply `reauthenticate`, `invalid-fields`, `refused-by-site`, `site-silent`, `mail-missing`.
 */
export async function askForEmail(
  context: ServiceContext,
  { session, account }: LiveSession,
  { email: typed, visit, mark }: { email: string; visit: Visit; mark: string | undefined },
): Promise<AskedChange> {
  const { configuration, dataSource } = context;
  if (configuration.mail.via === "none") throw new ProblemReply("mail-missing");
  await assertFresh(context, { session, account });
  const errors: FieldError[] = [];
  const { email } = readIdentifiers(configuration, { email: typed, username: account.username }, errors);
  const faults = errors.filter(({ path }) => path === "email");
  if (email === null || faults.length > 0) throw fieldProblem(faults);
  if (email.key === account.emailKey) throw fieldProblem([fieldError("email", "email-unchanged")]);
  const question = { type: "account.change", by: "person", account, change: { email: email.shown } } as const;
  await consultOrRecord(context, question, visit);
  return {
    async send() {
      if ((await findByIdentifier(dataSource, { kind: "email", key: email.key })) !== null) return;
      const now = context.clock.now();
      if (await isHeldFrom(dataSource, { emailKey: email.key, accountId: account.id, now })) return;
      const isWithinLimit = await countMailFor(context, {
        emailKey: email.key,
        accountId: account.id,
        mark,
      });
      await inTransaction(dataSource, (manager) =>
        sendLink(context, manager, {
          purpose: "change-email",
          to: addresseeOf({ ...account, email: email.shown }),
          emailKey: account.emailKey ?? "",
          newEmail: email.shown,
          sessionId: session.id,
          account: nameForStrangers(account),
          browserHash: mark === undefined ? null : hashToken("device-mark", mark),
          visit,
          isWithinLimit,
        }),
      );
    },
  };
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
 * @param spend spends link or code; `false`: somebody else was first.
 */
export async function applyChange(
  context: ServiceContext,
  { link, account: asked }: { link: MailLinkRow; account: Pick<AccountFacts, "id"> },
  visit: Visit,
  spend: (manager: EntityManager) => Promise<boolean>,
): Promise<{ email: string }> {
  const email = readEmail(link.newEmail ?? "");
  if (email === null) throw new ProblemReply("link-unknown");
  await inTransaction(context.dataSource, async (manager) => {
    const now = context.clock.now();
    const account = await lockAccount(manager, asked.id);
    if (account?.state !== "active" || (account.emailKey ?? "") !== link.emailKey)
      throw new ProblemReply("link-unknown");
    if (!(await spend(manager))) throw new ProblemReply("link-used");
    const { id: accountId } = account;
    try {
      await updateAccount(manager, accountId, {
        email: email.shown,
        emailKey: email.key,
        emailVerifiedAt: now,
      });
    } catch (error) {
      throw isDuplicateOf(error, "account_email") ? new ProblemReply("address-taken") : error;
    }
    await deleteRegistrationsOf(manager, email.key);
    await voidLinksOf(manager, accountId, now);
    await endSignInsOf(manager, accountId, now);
    await record(manager, { event: { kind: "email.changed", accountId }, visit, now });
    if (account.email === null || account.emailKey === null || account.emailVerifiedAt === null) return;
    const heldUntil = new Date(now.getTime() + context.configuration.links["undo-change"]);
    await holdAddress(manager, { emailKey: account.emailKey, accountId, heldUntil });
    const stands = await lockRecord(manager, accountId);
    await sendLink(context, manager, {
      purpose: "undo-change",
      to: addresseeOf({ ...account, email: account.email }),
      emailKey: email.key,
      newEmail: account.email,
      address: email.shown,
      browserHash: null,
      former: { record: stands?.record ?? null, devices: await listDevices(manager, accountId) },
      visit,
      isWithinLimit: true,
    });
  });
  return { email: email.shown };
}

/** A mailbox alone undoes nothing: one thing from before the change goes with it (RC-3). */
async function assertFromBefore(
  context: ServiceContext,
  { link, account }: LinkOfAccount,
  { present, visit, marks }: Redemption,
): Promise<void> {
  if (!wantsFormer(link) || isFormerDevice(link, marks.mark)) return;
  if (present === undefined || account === null) throw new ProblemReply("password-wanted");
  const showing = { stored: link.formerRecord, accountId: account.id, name: account.id, visit, marks };
  if (!(await isStoredPassword(context, showing, present)))
    throw fieldProblem([fieldError("present", "former-password-wrong")]);
}

/**
 * Takes the account back: the old address returns and everything ends that whoever changed it may hold. Their password
 * too: a new one takes its place, or none, and then one is asked for by mail.
 */
export async function undoChange(
  context: ServiceContext,
  of: LinkOfAccount,
  redemption: Redemption,
): Promise<Redeemed> {
  const { password, visit } = redemption;
  const email = readEmail(of.link.newEmail ?? "");
  if (of.account === null || email === null) throw new ProblemReply("link-unknown");
  await assertFromBefore(context, of, redemption);
  const made = password === undefined ? null : await makeNewRecord(context, password, of.account);
  await inTransaction(context.dataSource, async (manager) => {
    const now = context.clock.now();
    const account = await spendForAccount(manager, of, now);
    const { id: accountId } = account;
    const restored = { email: email.shown, emailKey: email.key, emailVerifiedAt: now };
    try {
      await updateAccount(manager, accountId, { ...restored, mustChangePassword: false });
    } catch (error) {
      throw isDuplicateOf(error, "account_email") ? new ProblemReply("address-taken") : error;
    }
    if (made === null) await deleteRecord(manager, accountId);
    else await setRecord(manager, { accountId, record: made, now });
    await releaseAddress(manager, email.key);
    await endEverythingOf(context, manager, { accountId, reason: "change-undone", now });
    // Whoever changed it may have prepared it some days before.
    await deleteSecondFactorsSince(manager, accountId, new Date(of.link.createdAt.getTime() - PREPARING));
    // Those went to addresses that came after this one; an earlier one still takes back more.
    await voidLaterUndoLinks(manager, { accountId, after: of.link.createdAt, now });
    await record(manager, { event: { kind: "email.change-undone", accountId }, visit, now });
    await tellOwner(context, manager, {
      name: "email-restored",
      account: { ...account, ...restored },
      visit,
    });
  });
  return { outcome: "change-undone", email: email.shown };
}
