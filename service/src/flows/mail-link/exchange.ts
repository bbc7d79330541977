/** A sign-in link opened in another browser: it signs in nobody, but is exchanged for a short code. */
import { randomBytes } from "node:crypto";
import { hashMailCode, MAIL_CODE_BYTES, mailCodeOf } from "@lucchetto/core";
import { ProblemReply } from "../../base/problem.ts";
import type { MailLinkRow } from "../../base/storage/index.ts";
import { inTransaction } from "../../base/storage/index.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { record } from "../../records/journal/journal.ts";
import { spendLink } from "../../records/mail-link/store.ts";
import { findSignIn, setMailCode } from "../../records/sign-in/store.ts";
import type { Redeemed } from "./redemption.ts";

/** Exchanges it. The code is accepted only at the sign-in in which the link was asked for. */
export async function exchangeForShortCode(
  context: ServiceContext,
  link: MailLinkRow,
  visit: RequestOrigin,
): Promise<Redeemed> {
  const { signInId } = link;
  const signIn = signInId === null ? null : await findSignIn(context.dataSource, signInId);
  if (signIn === null) throw new ProblemReply("link-unknown");
  const code = mailCodeOf(randomBytes(MAIL_CODE_BYTES));
  const mailCodeHash = hashMailCode(context.mailCodeKey, { signInId: signIn.id, code });
  await inTransaction(context.dataSource, async (manager) => {
    const now = context.clock.now();
    if (!(await spendLink(manager, link.id, now))) throw new ProblemReply("link-used");
    if (!(await setMailCode(manager, signIn.id, { mailCodeHash, now })))
      throw new ProblemReply("link-expired", {
        detail: "The sign-in this link was requested for has ended. Start over at the sign-in page.",
      });
    const event = { kind: "mail-link.swapped", accountId: link.accountId } as const;
    await record(context, manager, { event, visit, now });
  });
  return { outcome: "code", code, expiresAt: signIn.expiresAt.toISOString() };
}
