/** Mails to the owner: of every change that somebody else could have made. They carry no secret. */
import type { EntityManager } from "typeorm";
import type { MailName } from "../../base/mail-text/catalogue.ts";
import type { AccountFacts } from "../../base/storage/index.ts";
import type { RequestOrigin } from "../context.ts";
import { listUndoAddresses } from "../mail-link/store.ts";
import type { Addressee, MailNeeds } from "./mail.ts";
import { writeMail } from "./mail.ts";
import { countMailsOf } from "./store.ts";

/** Whom a mail about an account, or about a registration, goes to. */
export function addresseeOf({
  id,
  email,
  displayName,
  username,
  language,
}: Pick<AccountFacts, "id" | "displayName" | "username" | "language"> & { email: string }): Addressee {
  return { to: email, accountId: id, name: displayName ?? username, language };
}

/** What the owner is told by mail. */
export type OwnerMail = Extract<
  MailName,
  | "password-changed"
  | "password-reset"
  | "password-removed"
  | "new-sign-in"
  | "access-key-made"
  | "second-factor-restored"
  | "account-reopened"
  | "first-password-given"
  | "set-up-removed"
  | "new-password-wanted"
  | "recovery-code-used"
  | "invitation-accepted"
  | "email-restored"
>;

/** Milliseconds over which these mails are counted. */
export const OWNER_MAIL_WINDOW = 3_600_000;
/** Mails of a kind to one account: whoever signs in over and over brings nobody a flood, and hides nothing by it. */
export const MAX_OWNER_MAILS_PER_HOUR = 10;

/**
 * Of what operators do those addresses hear, too, that were changed away from and can still be restored; one that nobody proved, and that may
 * be anybody's, hears no more of it than that something changed.
 */
const HELP: ReadonlySet<OwnerMail> = new Set(["first-password-given", "new-password-wanted"]);

/** Tells the owner, if there is an address; in the transaction of what happened. */
export async function mailOwner(
  context: MailNeeds,
  manager: EntityManager,
  {
    name,
    account,
    visit,
    left,
  }: { name: OwnerMail; account: AccountFacts; visit: RequestOrigin; left?: number },
): Promise<void> {
  const { email } = account;
  if (email === null) return;
  if (account.emailVerifiedAt === null && HELP.has(name)) {
    await tellUnproved(context, manager, { account, visit });
    return;
  }
  const now = context.clock.now();
  const since = new Date(now.getTime() - OWNER_MAIL_WINDOW);
  const written = await countMailsOf(manager, { accountId: account.id, template: name, since });
  const former = HELP.has(name) ? await listUndoAddresses(manager, account.id, now) : [];
  // A page without a secret: whoever reads an old mail gets no further than anybody else.
  const link = `${context.configuration.publicUrl}/forgot`;
  const held = written >= MAX_OWNER_MAILS_PER_HOUR ? ("notice-limit" as const) : null;
  const about = { visit, link, ...(left === undefined ? {} : { left }) };
  for (const address of new Set([email, ...former]))
    await writeMail(context, manager, { name, to: addresseeOf({ ...account, email: address }), about, held });
}

/** Tells an address that nobody proved, and that may be anybody's, that something of an account changed: not whose, what, or from where. */
export async function tellUnproved(
  context: MailNeeds,
  manager: EntityManager,
  { account, visit }: { account: AccountFacts; visit: RequestOrigin },
): Promise<void> {
  const { email } = account;
  if (email === null) return;
  const name = "unproved-change";
  const since = new Date(context.clock.now().getTime() - OWNER_MAIL_WINDOW);
  const written = await countMailsOf(manager, { accountId: account.id, template: name, since });
  const to = { ...addresseeOf({ ...account, email }), name: null };
  const held = written >= MAX_OWNER_MAILS_PER_HOUR ? ("notice-limit" as const) : null;
  await writeMail(context, manager, { name, to, about: { visit, link: "" }, held });
}
