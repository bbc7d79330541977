/** Using a mailed link. Looking at it changes nothing; it is spent by one conditional update. */
import { hashToken, judgeLink } from "@lucchetto/core";
import { findAccount, lockAccount, updateAccount } from "../account/store.ts";
import type { ServiceContext, Visit } from "../context.ts";
import { fieldProblem, ProblemReply } from "../http/problem.ts";
import { record } from "../journal/journal.ts";
import { writeMail } from "../mail/mail.ts";
import { passwordResetNotice } from "../mail/templates.ts";
import { judge } from "../password/password.ts";
import { setRecord } from "../password/store.ts";
import { endSessionsOf } from "../session/store.ts";
import { endSignInsOf } from "../sign-in/store.ts";
import type { AccountRow, MailLinkRow } from "../storage/index.ts";
import { inTransaction } from "../storage/index.ts";
import { clearCountsOf, forgetDevicesOf } from "../throttle/throttle.ts";
import { findLink, spendLink, voidLinksOf } from "./store.ts";

const FAULTS = {
  unknown: "link-unknown",
  used: "link-used",
  superseded: "link-superseded",
  expired: "link-expired",
} as const;

/** A link that may be used, and whose it is. @throws ProblemReply `link-…`. */
export async function readLink(
  { dataSource, clock }: ServiceContext,
  secret: string,
): Promise<{ link: MailLinkRow; account: AccountRow }> {
  const hashed = hashToken("mail-link", secret);
  const link = hashed === null ? null : await findLink(dataSource, hashed);
  const account = link === null ? null : await findAccount(dataSource, link.accountId);
  const emailKey = account?.emailKey ?? null;
  const fault = judgeLink(link, { purpose: link?.purpose ?? "reset", emailKey, now: clock.now() });
  if (fault !== null) throw new ProblemReply(FAULTS[fault]);
  if (link === null || account?.state !== "active") throw new ProblemReply("link-unknown");
  return { link, account };
}

/**
 * Sets a new password. It signs nobody in, and ends what an intruder may hold: sessions, sign-ins in progress, known
 * devices, other links. A refused password spends nothing.
 * @throws ProblemReply `link-…`, `invalid-fields`, `too-busy`.
 */
export async function resetPassword(
  context: ServiceContext,
  { secret, password, visit }: { secret: string; password: string; visit: Visit },
): Promise<void> {
  const { link, account } = await readLink(context, secret);
  if (link.purpose !== "reset") throw new ProblemReply("link-unknown");
  const verdict = await judge(context, password, account);
  if (!verdict.ok) throw fieldProblem([{ path: "password", message: verdict.message }]);
  const made = await context.hashing.make(verdict.text);
  await inTransaction(context.dataSource, async (manager) => {
    const now = context.clock.now();
    const locked = await lockAccount(manager, account.id);
    if (locked?.state !== "active" || locked.emailKey !== link.emailKey)
      throw new ProblemReply("link-unknown");
    if (!(await spendLink(manager, link.id, now))) throw new ProblemReply("link-used");
    await setRecord(manager, { accountId: account.id, record: made, now });
    await updateAccount(manager, account.id, {
      mustChangePassword: false,
      emailVerifiedAt: locked.emailVerifiedAt ?? now,
    });
    await endSessionsOf(manager, account.id, { now, reason: "password-reset" });
    await endSignInsOf(manager, account.id, now);
    await voidLinksOf(manager, account.id, now);
    await forgetDevicesOf(manager, account.id);
    await clearCountsOf(context, manager, account.id);
    const event = { kind: "password.reset", accountId: account.id } as const;
    await record(manager, { event, visit, now });
    const text = passwordResetNotice(now, visit.network);
    await writeMail(context, manager, { to: account.email ?? "", accountId: account.id, text });
  });
}
