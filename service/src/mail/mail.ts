/** Mails: written in the transaction of their cause, bodies sealed; without an SMTP server the built-in mailbox catches them. */
import { randomBytes } from "node:crypto";
import type { MailboxItem } from "@lucchetto/contract";
import { NONCE_LENGTH, open, seal } from "@lucchetto/core";
import type { EntityManager } from "typeorm";
import type { ServiceContext } from "../context.ts";
import type { MailRow, Page, PageQuery } from "../storage/index.ts";
import { newId, pageOf } from "../storage/index.ts";
import { insertMail, listMails } from "./store.ts";
import type { MailBody, MailText } from "./templates.ts";
import { render } from "./templates.ts";

const placeOf = (id: string) => ({ table: "mail", record: id, purpose: "body" });

/** Writes a mail. @param state `held`: over a limit, so that it goes to nobody but the mailbox's list. */
export async function writeMail(
  { configuration, clock, sealingKeys }: Pick<ServiceContext, "configuration" | "clock" | "sealingKeys">,
  manager: EntityManager,
  {
    to,
    accountId,
    text,
    state = "caught",
  }: { to: string; accountId: string; text: MailText; state?: MailRow["state"] },
): Promise<void> {
  const now = clock.now();
  const id = newId(now);
  const body = JSON.stringify(render(text, configuration.site.name));
  const sealedBody = seal(sealingKeys, body, placeOf(id), randomBytes(NONCE_LENGTH));
  await insertMail(manager, {
    id,
    accountId,
    toAddress: to,
    subject: text.subject,
    sealedBody,
    state,
    createdAt: now,
  });
}

/** The mailbox, newest first. */
export async function listMailbox(
  { dataSource, sealingKeys }: ServiceContext,
  page: PageQuery,
): Promise<Page<MailboxItem>> {
  return pageOf(await listMails(dataSource, page), page, (row) => showMail(row, openBody(sealingKeys, row)));
}

function openBody(ring: ServiceContext["sealingKeys"], { id, sealedBody }: MailRow): MailBody {
  try {
    return JSON.parse(open(ring, sealedBody, placeOf(id))) as MailBody;
  } catch {
    // Sealed by a process that had no key ring, or under a key that was retired.
    return { text: "This mail was sealed under a key that is not here any more.", html: "" };
  }
}

function showMail(
  { id, toAddress, subject, state, createdAt }: MailRow,
  { text, html }: MailBody,
): MailboxItem {
  return {
    id,
    to: toAddress,
    subject,
    sentAt: createdAt.toISOString(),
    state,
    text,
    html,
    links: [...html.matchAll(/href="([^"]+)"/g)].map(([, href = ""]) => href.replaceAll("&amp;", "&")),
  };
}
