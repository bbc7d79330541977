/** Asking for a mailed link. The reply is the same whoever is named; what there is to do is done after it. */
import { randomBytes } from "node:crypto";
import {
  hashToken,
  LINK_LIVES,
  mintToken,
  MOST_LIVING_LINKS,
  readIdentifier,
  TOKEN_BYTES,
} from "@lucchetto/core";
import { findByIdentifier } from "../account/store.ts";
import type { ServiceContext, Visit } from "../context.ts";
import { record } from "../journal/journal.ts";
import { writeMail } from "../mail/mail.ts";
import { resetMail } from "../mail/templates.ts";
import { inTransaction, newId } from "../storage/index.ts";
import { countMailFor } from "../throttle/throttle.ts";
import { countLiving, insertLink, supersedeOf } from "./store.ts";

export interface LinkWish {
  readonly purpose: "reset";
  /** E-mail address or username, as typed. */
  readonly identifier: string;
  readonly visit: Visit;
  /** The known-device mark that came along: the browser that asks. */
  readonly mark: string | undefined;
}

/**
 * Writes the mail, if there is somebody to write to: to the stored address, never to the typed one. Over the limit of
 * the address the mail is held back, and shown so in the mailbox.
 */
export async function sendLink(
  context: ServiceContext,
  { purpose, identifier, visit, mark }: LinkWish,
): Promise<void> {
  const read = readIdentifier(identifier);
  const account = read === null ? null : await findByIdentifier(context.dataSource, read);
  if (account?.state !== "active" || account.email === null || account.emailKey === null) return;
  const { id: accountId, email, emailKey } = account;
  const isWithin = await countMailFor(context, emailKey);
  const browserHash = mark === undefined ? null : hashToken("device-mark", mark);
  const { plain, hashed } = mintToken("mail-link", randomBytes(TOKEN_BYTES));
  const href = `${context.configuration.publicUrl}/link#${plain}`;
  await inTransaction(context.dataSource, async (manager) => {
    const now = context.clock.now();
    // Voiding frees a place: whoever asks again in the same browser is never kept out by the links of others.
    if (isWithin && browserHash !== null)
      await supersedeOf(manager, { accountId, purpose, browserHash, now });
    const isSent = isWithin && (await countLiving(manager, { accountId, purpose, now })) < MOST_LIVING_LINKS;
    if (isSent) {
      const expiresAt = new Date(now.getTime() + LINK_LIVES[purpose]);
      const times = { createdAt: now, expiresAt, spentAt: null, supersededAt: null };
      await insertLink(manager, {
        id: newId(now),
        secretHash: hashed,
        purpose,
        accountId,
        emailKey,
        browserHash,
        ...times,
      });
    }
    await writeMail(context, manager, {
      to: email,
      accountId,
      text: isSent ? resetMail(href) : resetMail(`${context.configuration.publicUrl}/forgot`),
      state: isSent ? "caught" : "held",
    });
    const event = {
      kind: "mail-link.sent",
      accountId,
      reason: isSent ? purpose : `${purpose} held`,
    } as const;
    await record(manager, { event, visit, now });
  });
}
