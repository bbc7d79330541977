/** Putting a link into a mail: its secret stands there and nowhere else. */
import { randomBytes } from "node:crypto";
import type { LinkPurpose } from "@lucchetto/core";
import { isUndo, MAX_LIVE_LINKS, mintToken, TOKEN_BYTES } from "@lucchetto/core";
import type { EntityManager } from "typeorm";
import type { MailName } from "../../base/mail-text/catalogue.ts";
import type { AccountFacts, RegistrationRow } from "../../base/storage/index.ts";
import { newId } from "../../base/storage/index.ts";
import { findLinkAddress } from "../../records/app/store.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { record } from "../../records/journal/journal.ts";
import { countLiving, insertLink, supersedeOf } from "../../records/mail-link/store.ts";
import type { Addressee, HeldBecause } from "../../records/mail/mail.ts";
import { writeMail } from "../../records/mail/mail.ts";
import { isKnownDevice } from "../../records/throttle/store.ts";

/** The mail in which a link of each purpose stands. */
const MAIL_OF: Readonly<Record<LinkPurpose, MailName>> = {
  verify: "verify",
  reset: "reset",
  "sign-in": "sign-in",
  invite: "invite",
  "change-email": "change-email",
  "undo-change": "email-changed",
  "undo-factor": "second-factor-added",
  "undo-erase": "account-closed",
};

/** A link to be sent. */
interface LinkToSend {
  readonly purpose: LinkPurpose;
  readonly to: Addressee;
  /** Instead of an account: a registration that waits outside them. */
  readonly registration?: RegistrationRow;
  /** The address that the account has now, in normal form; empty if it has none. */
  readonly emailKey: string;
  readonly signInId?: string;
  /** The session in which a change of address was asked for. */
  readonly sessionId?: string;
  /** The mail in which it stands, where that is another one than is usual for its purpose. */
  readonly mail?: MailName;
  /** When the change was made that it undoes; otherwise the present. */
  readonly now?: Date;
  /** Of the account as it was before the change that the link undoes. */
  readonly former?: Pick<AccountFacts, "email" | "username">;
  /** By what name the mail calls the account to somebody who may not be its owner. */
  readonly account?: string;
  /** The address that the account gets by it. */
  readonly newEmail?: string;
  /** The address that the mail speaks of, where that is another one than `newEmail`. */
  readonly address?: string;
  /** The path of this service that whoever asked wanted to go on to. */
  readonly returnTo?: string | null | undefined;
  /** SHA-256 of the mark of the browser that asked. */
  readonly browserHash: Buffer | null;
  readonly visit: RequestOrigin;
  /** The app whose server asked for it, where that is not the one that calls for its visitor. */
  readonly appId?: string | undefined;
  /** Whether the address may still be written to. */
  readonly isWithinLimit: boolean;
}

/**
 * Writes link and mail in the transaction of their cause. A newer link voids the older ones that the same browser asked
 * for; over a limit the mail is held back and carries no link.
 */
export async function sendLink(
  context: Pick<ServiceContext, "configuration" | "clock" | "sealingKeys">,
  manager: EntityManager,
  link: LinkToSend,
): Promise<void> {
  const { configuration, clock } = context;
  const { purpose, to, registration, browserHash, visit } = link;
  const { accountId } = to;
  const now = link.now ?? clock.now();
  const life = configuration.links[purpose];
  // Voiding frees a place: whoever asks again in the same browser is never kept out by the links of others.
  if (link.isWithinLimit && browserHash !== null)
    await supersedeOf(manager, { accountId, emailKey: link.emailKey, purpose, browserHash, now });
  const held = await whyHeld(manager, link, now);
  const { plain, hashed } = mintToken("mail-link", randomBytes(TOKEN_BYTES));
  if (held === null) {
    await insertLink(manager, {
      id: newId(now),
      secretHash: hashed,
      purpose,
      accountId,
      registrationId: registration?.id ?? null,
      signInId: link.signInId ?? null,
      newEmail: link.newEmail ?? null,
      emailKey: link.emailKey,
      browserHash,
      createdAt: now,
      expiresAt: new Date(now.getTime() + life),
      spentAt: null,
      supersededAt: null,
      sessionId: link.sessionId ?? null,
      codeHash: null,
      wrongCodes: 0,
      formerEmail: link.former?.email ?? null,
      formerUsername: link.former?.username ?? null,
      returnTo: link.returnTo ?? null,
    });
  }
  const { publicUrl } = configuration;
  const appId = link.appId ?? visit.appId;
  const ownPage = appId === null ? null : await findLinkAddress(manager, { appId, purpose, accountId });
  await writeMail(context, manager, {
    name: link.mail ?? MAIL_OF[purpose],
    to,
    about: {
      visit,
      life,
      link: held === null ? `${ownPage ?? `${publicUrl}/link`}#${plain}` : `${publicUrl}/sign-in`,
      address: link.address ?? link.newEmail ?? "",
      ...(link.account === undefined ? {} : { account: link.account }),
      username: link.former?.username ?? "",
    },
    held,
  });
  const reason = held === null ? purpose : `${purpose} held: ${held}`;
  await record(context, manager, { event: { kind: "mail-link.sent", accountId, reason }, visit, now });
}

async function whyHeld(
  manager: EntityManager,
  { to: { accountId }, purpose, browserHash, isWithinLimit }: LinkToSend,
  now: Date,
): Promise<HeldBecause | null> {
  if (!isWithinLimit) return "address-limit";
  // Each of these undoes a change of its own, and nobody but the owner's changes make them.
  if (accountId === null || isUndo(purpose)) return null;
  const living = await countLiving(manager, { accountId, purpose, now });
  if (living < MAX_LIVE_LINKS) return null;
  // What strangers asked for keeps nothing back from a browser that the account knows: its own older link is void.
  const isOwn = browserHash !== null && (await isKnownDevice(manager, accountId, browserHash));
  return isOwn ? null : "too-many-links";
}
