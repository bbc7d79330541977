/**
 * The code in the place of a click: the link to a new address was opened where the session is not that asked for the
 * change. It changes nothing there; its code counts in that session alone (RC-1).
 */
import { randomBytes } from "node:crypto";
import { hashMailCode, isMailCode, MAIL_CODE_BYTES, mailCodeOf, readMailCode } from "@lucchetto/core";
import { ProblemReply } from "../../base/problem.ts";
import type { MailLinkRow } from "../../base/storage/index.ts";
import { inTransaction } from "../../base/storage/index.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { record } from "../../records/journal/journal.ts";
import { findAwaitingCode, reserveCode, spendCode, spendForCode } from "../../records/mail-link/store.ts";
import type { LiveSession } from "../../records/session/store.ts";
import { applyChange } from "./change-email.ts";
import type { Redeemed } from "./redemption.ts";

/** So many wrong codes end the change. */
const MAX_WRONG_CODES = 5;

/** Exchanges the link for its code. */
export async function exchangeForCode(
  context: ServiceContext,
  link: MailLinkRow,
  visit: RequestOrigin,
): Promise<Redeemed> {
  const code = mailCodeOf(randomBytes(MAIL_CODE_BYTES));
  const codeHash = hashMailCode(context.mailCodeKey, { signInId: link.id, code });
  await inTransaction(context.dataSource, async (manager) => {
    const now = context.clock.now();
    if (!(await spendForCode(manager, link.id, { codeHash, now }))) throw new ProblemReply("link-used");
    const event = { kind: "mail-link.swapped", accountId: link.accountId } as const;
    await record(context, manager, { event, visit, now });
  });
  return { outcome: "code", code, expiresAt: link.expiresAt.toISOString() };
}

/**
 * The code was typed in the session that asked: the new address counts.
 * @throws ProblemReply `proof-refused`, `address-taken`, `link-unknown`.
 */
export async function confirmChange(
  context: ServiceContext,
  { session, account }: LiveSession,
  { code: typed, visit }: { code: string; visit: RequestOrigin },
): Promise<{ email: string }> {
  const { dataSource, clock, mailCodeKey } = context;
  const code = readMailCode(typed);
  const link = await findAwaitingCode(dataSource, { sessionId: session.id, now: clock.now() });
  if (code === null || link === null) throw refusal();
  // Before it is looked at, so that many at once are no more tries than one after the other.
  if (!(await reserveCode(dataSource, link.id, MAX_WRONG_CODES))) throw refusal();
  if (!isMailCode(link.codeHash, hashMailCode(mailCodeKey, { signInId: link.id, code }))) {
    const event = {
      kind: "email.change-refused",
      outcome: "refused",
      reason: "wrong-code",
      accountId: account.id,
      sessionId: session.id,
    } as const;
    await inTransaction(dataSource, (manager) =>
      record(context, manager, { event, visit, now: clock.now() }),
    );
    throw refusal();
  }
  return applyChange(context, { link, account }, visit, (manager) => spendCode(manager, link.id));
}

const refusal = () =>
  new ProblemReply("proof-refused", {
    detail:
      "This is not the right code. Enter the one shown by the link to the new address; after five wrong ones, request a new link.",
  });
