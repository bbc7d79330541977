/**
 * Mails: written in the transaction of their cause, bodies sealed. With a mail server they wait in the outbox; without
 * one the built-in mailbox catches them.
 */
import { randomBytes } from "node:crypto";
import type { MailboxItem, MailSource } from "@lucchetto/contract";
import type { KeyRing, Language } from "@lucchetto/core";
import { NONCE_LENGTH, open, seal } from "@lucchetto/core";
import MailComposer from "nodemailer/lib/mail-composer/index.js";
import type { DataSource, EntityManager } from "typeorm";
import { durationInWords } from "../../base/duration.ts";
import type { MailName, MailValues } from "../../base/mail-text/catalogue.ts";
import type { MailBody } from "../../base/mail-text/render.ts";
import { LOGO_CID, render } from "../../base/mail-text/render.ts";
import type { OperatorNews } from "../../base/mail-text/words.ts";
import { browserInWords, networkInWords, newsInWords, timeInWords } from "../../base/mail-text/words.ts";
import { ProblemReply } from "../../base/problem.ts";
import type { MailRow, Page, PageQuery } from "../../base/storage/index.ts";
import { newId, pageOf } from "../../base/storage/index.ts";
import type { RequestOrigin, ServiceContext } from "../context.ts";
import { PROCESS_KEY } from "../context.ts";
import { changeAsOperator } from "../granting/actor.ts";
import type { LiveSession } from "../session/store.ts";
import { messageOf } from "./message.ts";
import { findMail, insertMail, listMails, listNewestSealed, sendAgain } from "./store.ts";

const placeOf = (id: string) => ({ table: "mail", record: id, purpose: "body" });

/** Whom a mail goes to. `null` as account: somebody who has none yet. */
export interface Addressee {
  readonly to: string;
  readonly accountId: string | null;
  readonly name: string | null;
  /** `null`: the site's. */
  readonly language: Language | null;
}

/** What is said in many mails: where something was done, and how long a link lives. */
export interface Circumstances {
  readonly visit?: RequestOrigin;
  /** The whole address that the button leads to. */
  readonly link?: string;
  /** Milliseconds that the link lives; the mail is worth nothing afterwards. */
  readonly life?: number;
  readonly address?: string;
  /** The account, in words that tell a stranger no more than they need. */
  readonly account?: string;
  /** The one that it had. */
  readonly username?: string;
  /** Recovery codes that are left. */
  readonly left?: number;
  /** What an operator did, who, and why. */
  readonly news?: { readonly what: OperatorNews; readonly by: string; readonly reason: string | null };
}

/** What writing a mail needs. */
export type MailNeeds = Pick<ServiceContext, "configuration" | "clock" | "sealingKeys">;

/** Why a mail is sent to nobody. */
export type HeldBecause = "address-limit" | "too-many-links" | "notice-limit";

/** Writes a mail. @param held over a limit, so that it goes to nobody and is only shown to operators. */
export async function writeMail(
  context: MailNeeds,
  manager: EntityManager,
  mail: {
    readonly name: MailName;
    readonly to: Addressee;
    readonly about: Circumstances;
    readonly held?: HeldBecause | null;
  },
): Promise<void> {
  const { configuration, clock, sealingKeys } = context;
  if (configuration.mail.via === "none") return;
  const { name, to, about, held = null } = mail;
  const now = clock.now();
  const id = newId(now);
  const language = to.language ?? configuration.site.language;
  const body = compose(context, { name, language, values: valuesOf(to, about, { language, now }) });
  const sealedBody = seal(sealingKeys, JSON.stringify(body), placeOf(id), randomBytes(NONCE_LENGTH));
  const isWaiting = held === null && configuration.mail.via === "smtp";
  await insertMail(manager, {
    id,
    accountId: to.accountId,
    toAddress: to.to,
    subject: body.subject,
    sealedBody,
    state: held !== null ? "held" : isWaiting ? "waiting" : "caught",
    createdAt: now,
    template: name,
    language,
    heldBecause: held,
    expiresAt: about.life === undefined ? null : new Date(now.getTime() + about.life),
    tries: 0,
    nextTryAt: isWaiting ? now : null,
    claim: null,
    claimedUntil: null,
    lastTryAt: null,
    lastAnswer: null,
  });
}

function valuesOf(
  { name }: Addressee,
  { visit, link = "", life, address = "", account = "", username = "", left, news }: Circumstances,
  { language, now }: { language: Language; now: Date },
): MailValues {
  return {
    name: name ?? "",
    link,
    address,
    account,
    username,
    left: left === undefined ? "" : String(left),
    what: news === undefined ? "" : newsInWords(news.what, language),
    by: news?.by ?? "",
    reason: news?.reason ?? "–",
    life: life === undefined ? "" : durationInWords(life, language),
    when: timeInWords(now, language),
    network: networkInWords(visit?.network ?? null, language),
    browser: browserInWords(visit?.userAgent ?? null, language),
  };
}

/** Makes subject, text and HTML. */
function compose(
  { configuration }: Pick<ServiceContext, "configuration">,
  { name, language, values }: { name: MailName; language: Language; values: MailValues },
): MailBody {
  const { site, logo, templates } = configuration;
  const look = { name: site.name, colour: site.colour, hasLogo: logo !== null };
  return render(templates[name][language], values, { site: look, language });
}

/** The mails, newest first. */
export async function listMailbox(
  context: ServiceContext,
  { state, to, ...page }: PageQuery & { state?: MailRow["state"] | undefined; to?: string | undefined },
): Promise<Page<MailboxItem>> {
  const rows = await listMails(context.dataSource, { state, to }, page);
  return pageOf(rows, page, (row) => showMail(context, row));
}

/** One, with its HTML and the message as it goes over the wire. @throws ProblemReply `not-found`. */
export async function mailInFull(context: ServiceContext, id: string): Promise<MailSource> {
  const row = await findMail(context.dataSource, id);
  if (row === null) throw new ProblemReply("not-found");
  const body = bodyToShow(context, row);
  const message = body === null ? "" : await sourceOf(context, row, body);
  return { ...showMail(context, row), source: message };
}

/** The HTML as a reader's program would show it, its picture within it. */
export async function htmlOf(context: ServiceContext, id: string): Promise<string> {
  const row = await findMail(context.dataSource, id);
  const body = row === null ? null : bodyToShow(context, row);
  if (body === null) throw new ProblemReply("not-found");
  const { logo } = context.configuration;
  if (logo === null) return body.html;
  return body.html.replaceAll(
    `cid:${LOGO_CID}`,
    `data:${logo.type};base64,${logo.content.toString("base64")}`,
  );
}

async function sourceOf({ configuration }: ServiceContext, row: MailRow, body: MailBody): Promise<string> {
  const compiled = new MailComposer(messageOf(configuration, row, body)).compile();
  return (await compiled.build()).toString("utf8");
}

/**
 * In production nobody reads other people's mail here: it may hold a link that sets their password. There the list says
 * what became of each, and no more.
 */
function bodyToShow({ configuration, sealingKeys }: ServiceContext, row: MailRow): MailBody | null {
  return configuration.mode === "development" ? openBody(sealingKeys, row) : null;
}

/** The body of a mail; `null` if it was sent, or sealed under a key that is not here. */
export function openBody(ring: ServiceContext["sealingKeys"], { id, sealedBody }: MailRow): MailBody | null {
  if (sealedBody === null) return null;
  try {
    return JSON.parse(open(ring, sealedBody, placeOf(id))) as MailBody;
  } catch {
    // Sealed by a process that had no key ring, or under a key that was retired.
    return null;
  }
}

/** Whether a key ring opens the newest mails that are sealed under a ring at all; there being none says nothing. */
export async function opensNewestMails(dataSource: DataSource, ring: KeyRing): Promise<boolean> {
  const rows = await listNewestSealed(dataSource, `${PROCESS_KEY}:%`);
  return rows.every((row) => openBody(ring, row) !== null);
}

function showMail(context: ServiceContext, row: MailRow): MailboxItem {
  const { text, html } = bodyToShow(context, row) ?? { text: "", html: "" };
  return {
    id: row.id,
    to: row.toAddress,
    subject: row.subject,
    sentAt: row.createdAt.toISOString(),
    state: row.state,
    text,
    html,
    links: linksOf(html),
    template: row.template,
    language: row.language,
    heldBecause: row.heldBecause,
    tries: row.tries,
    nextTryAt: row.state === "waiting" ? (row.nextTryAt?.toISOString() ?? null) : null,
    lastTryAt: row.lastTryAt?.toISOString() ?? null,
    lastAnswer: row.lastAnswer,
  };
}

function linksOf(html: string): string[] {
  return [...html.matchAll(/href="([^"]+)"/g)].map(([, href = ""]) => href.replaceAll("&amp;", "&"));
}

/** An operator has one tried again at once. @throws ProblemReply `not-found`, `mail-gone`. */
export async function repeatMail(
  context: ServiceContext,
  operator: LiveSession,
  id: string,
): Promise<MailboxItem> {
  const row = await findMail(context.dataSource, id);
  if (row === null) throw new ProblemReply("not-found");
  const isRepeated = await changeAsOperator(context, operator, ({ manager, now }) =>
    sendAgain(manager, id, now),
  );
  if (!isRepeated) throw new ProblemReply("mail-gone");
  return showMail(context, (await findMail(context.dataSource, id)) ?? row);
}
