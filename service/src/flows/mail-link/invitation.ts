/** Inviting somebody, and the invitation accepted. */
import type { CallOf, FieldError, OperatorAccount, routes } from "@lucchetto/contract";
import { fieldError } from "@lucchetto/contract";
import { OPERATOR_LABEL } from "@lucchetto/core";
import { fieldProblem, ProblemReply } from "../../base/problem.ts";
import type { AccountRow } from "../../base/storage/index.ts";
import { inTransaction } from "../../base/storage/index.ts";
import { consultAbout } from "../../people/account/consult.ts";
import { readIdentifiers } from "../../people/account/fields.ts";
import { newAccount } from "../../people/account/new-account.ts";
import { emailTaken, takenProblem } from "../../people/account/operate.ts";
import { sendLink } from "../../people/mail-link/send.ts";
import { readRegisteringPasskey, settlePasskey, userHandleOf } from "../../people/passkey/register.ts";
import { showToOperator } from "../../records/account/show.ts";
import { findByIdentifier, insertAccount, lockAccount, updateAccount } from "../../records/account/store.ts";
import { continuePath, isPageOf } from "../../records/app/behind.ts";
import { findByClientId } from "../../records/app/store.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import type { Actor } from "../../records/granting/actor.ts";
import { changeAs, inJournal, isOfOperators } from "../../records/granting/actor.ts";
import type { Readers } from "../../records/journal/mails.ts";
import { readersOfNew, recordAndTell } from "../../records/journal/mails.ts";
import { voidLinksOf } from "../../records/mail-link/store.ts";
import { addresseeOf } from "../../records/mail/owner.ts";
import { SET_WITH_NOTHING, setRecord } from "../../records/password/store.ts";
import { countMailByApp } from "../../records/throttle/throttle.ts";
import type { LinkOfAccount } from "./new-password.ts";
import { makeNewRecord, spendForAccount } from "./new-password.ts";
import type { Redeemed, Redemption } from "./redemption.ts";

type Invitation = CallOf<typeof routes.inviteAccount>["body"];

/** The way to where somebody lands who accepts. @throws ProblemReply `invalid-fields`. */
async function readLanding(
  context: ServiceContext,
  actor: Actor,
  { app: named, page }: Pick<Invitation, "app" | "page">,
): Promise<string | null> {
  const clientId = "app" in actor ? actor.app.clientId : named;
  if (clientId === undefined) {
    if (page !== undefined) throw fieldProblem([fieldError("app", "page-of-no-app")]);
    return null;
  }
  const app = await findByClientId(context.dataSource, clientId);
  if (app === null) throw fieldProblem([fieldError("app", "app-not-there")]);
  if (page !== undefined && !isPageOf(app, page)) throw fieldProblem([fieldError("page", "page-of-another")]);
  return continuePath(context, clientId, page ?? null);
}

/**
 * Makes an account in the state `invited` and mails a link; for one that is invited already, a new link alone.
 * @throws ProblemReply `invalid-fields`, `identifier-taken`, `refused-by-application`, `application-unresponsive`, `mail-missing`,
 *   `account-of-operators`.
 */
export async function invite(
  context: ServiceContext,
  actor: Actor,
  invitation: Invitation,
  visit: RequestOrigin,
): Promise<{ isNew: boolean; account: OperatorAccount }> {
  if (context.configuration.mail.via === "none") throw new ProblemReply("mail-missing");
  const errors: FieldError[] = [];
  const { email, username } = readIdentifiers(context.configuration, invitation, errors);
  if (errors.length > 0 || email === null) throw fieldProblem(errors);
  const known = await findByIdentifier(context.dataSource, { kind: "email", key: email.key });
  if (known !== null && known.state !== "invited") throw emailTaken();
  const returnTo = await readLanding(context, actor, invitation);
  if ("app" in actor) await countMailByApp(context, email.key);
  if (known !== null) {
    const again = await changeAs(context, actor, async ({ manager }) => {
      const locked = await lockAccount(manager, known.id);
      if (locked?.state !== "invited") return null;
      if ("app" in actor && isOfOperators(locked)) throw new ProblemReply("account-of-operators");
      await voidLinksOf(manager, known.id, context.clock.now());
      await mailInvitation(context, manager, locked, { actor, visit, returnTo, readers: {} });
      return locked;
    });
    if (again === null) throw emailTaken();
    return { isNew: false, account: showToOperator(again, null) };
  }
  const { displayName = null, labels = [], reference = null, language = null } = invitation;
  const facts = { reference, email: email.shown, username: username?.shown ?? null, displayName };
  const asked = { ...facts, labels: [...labels] };
  const filledIn = await consultAbout(context, actor, { type: "account.create", account: asked }, visit);
  const account = newAccount(context.clock.now(), {
    email,
    username,
    displayName,
    labels,
    reference,
    language,
    state: "invited",
    isOpenlyRegistered: false,
    ...filledIn,
  });
  try {
    await changeAs(
      context,
      actor,
      async ({ manager }) => {
        await insertAccount(manager, account);
        await mailInvitation(context, manager, account, {
          actor,
          visit,
          returnTo,
          readers: readersOfNew(account, actor),
        });
      },
      { tells: account.labels.includes(OPERATOR_LABEL) },
    );
  } catch (error) {
    throw takenProblem(error);
  }
  return { isNew: true, account: showToOperator(account, null) };
}

async function mailInvitation(
  context: ServiceContext,
  manager: Parameters<typeof lockAccount>[0],
  account: AccountRow,
  {
    actor,
    visit,
    returnTo,
    readers,
  }: { actor: Actor; visit: RequestOrigin; returnTo: string | null; readers: Readers },
): Promise<void> {
  const { id: accountId, email, emailKey } = account;
  if (email === null || emailKey === null) return;
  const event = { kind: "account.invited", accountId, ...inJournal(actor) } as const;
  await recordAndTell(context, manager, { event, readers, visit, now: context.clock.now() });
  await sendLink(context, manager, {
    purpose: "invite",
    returnTo,
    to: addresseeOf({ ...account, email }),
    emailKey,
    browserHash: null,
    visit,
    ...("app" in actor ? { appId: actor.app.appId } : {}),
    isWithinLimit: true,
  });
}

/**
 * Accepts: sets a password where the site wants one, or a passkey in its place, and proves the address.
 * @throws ProblemReply `invalid-fields`, `link-…`, `too-busy`, `keys-missing`, `passkey-…`.
 */
export async function acceptInvitation(
  context: ServiceContext,
  of: LinkOfAccount,
  { password, challengeId, credential, visit, marks }: Redemption,
): Promise<Redeemed> {
  if (of.account === null) throw new ProblemReply("link-unknown");
  if ((challengeId === undefined) !== (credential === undefined))
    throw fieldProblem([
      fieldError(credential === undefined ? "credential" : "challengeId", "passkey-incomplete"),
    ]);
  const passkey =
    challengeId === undefined || credential === undefined
      ? null
      : await readRegisteringPasskey(context, { challengeId, credential }, { visit, mark: marks.mark });
  const { passwordWhenInvited } = context.configuration.accounts;
  const wantsPassword = password !== undefined || (passkey === null && passwordWhenInvited === "required");
  const made = wantsPassword
    ? await makeNewRecord(context, password, { link: of.link, person: of.account, visit })
    : null;
  const recoveryCodes = await inTransaction(context.dataSource, async (outside) => {
    const now = context.clock.now();
    const { account, manager } = await spendForAccount(outside, of, now);
    const { id: accountId } = account;
    if (made !== null) await setRecord(manager, { accountId, made, now, set: SET_WITH_NOTHING });
    await updateAccount(manager, accountId, {
      state: "active",
      emailVerifiedAt: now,
      ...(passkey === null ? {} : { userHandle: userHandleOf(passkey) }),
    });
    const codes =
      passkey === null ? null : await settlePasskey(context, manager, { accountId, stored: passkey });
    await voidLinksOf(manager, accountId, now);
    const event = { kind: "account.invitation-accepted", accountId } as const;
    await recordAndTell(context, manager, { event, readers: { owner: account }, visit, now });
    return codes;
  });
  return { outcome: "invitation-accepted", ...(recoveryCodes === null ? {} : { recoveryCodes }) };
}
