/** Using a mailed link: each purpose does its own work; each link is spent by one conditional update. It signs nobody in. */
import type { ServiceContext } from "../../records/context.ts";
import { changeEmailBy } from "./change-email.ts";
import { exchangeForCode } from "./confirm-change.ts";
import { exchangeForShortCode } from "./exchange.ts";
import { acceptInvitation } from "./invitation.ts";
import { isHere, readLink } from "./read.ts";
import type { Redeemed, Redemption } from "./redemption.ts";
import { resetPassword } from "./reset.ts";
import { undo } from "./undo.ts";
import { verifyAddress } from "./verify.ts";

/**
 * Uses it. What is refused spends nothing.
 * @throws ProblemReply `link-…`, `invalid-fields`, `password-wanted`, `earlier-proof-required`, `address-taken`, `throttled`, `too-busy`.
 */
export async function redeemLink(context: ServiceContext, redemption: Redemption): Promise<Redeemed> {
  const read = await readLink(context, redemption.secret);
  const { link, account } = read;
  switch (link.purpose) {
    case "verify":
      return verifyAddress(context, read, {
        ...redemption,
        here: await isHere(context, read, redemption.marks),
      });
    case "sign-in":
      return exchangeForShortCode(context, link, redemption.visit);
    case "reset":
      return resetPassword(context, { link, account }, redemption);
    case "invite":
      return acceptInvitation(context, { link, account }, redemption);
    case "change-email":
      return (await isHere(context, read, redemption.marks))
        ? changeEmailBy(context, { link, account }, redemption)
        : exchangeForCode(context, link, redemption.visit);
    case "undo-change":
    case "undo-factor":
    case "undo-erase":
      return undo(context, { link, account }, link.purpose, redemption);
  }
}
