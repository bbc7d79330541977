/** Proving the address after registering. */
import { fieldError } from "@lucchetto/contract";
import type { Context } from "@lucchetto/core";
import { fieldProblem, ProblemReply } from "../../base/problem.ts";
import type { AccountRow, MailLinkRow } from "../../base/storage/index.ts";
import { inTransaction } from "../../base/storage/index.ts";
import type { ServiceContext } from "../../records/context.ts";
import { spendLink } from "../../records/mail-link/store.ts";
import { findRecord } from "../../records/password/store.ts";
import type { ShownFromBefore } from "./former.ts";
import { assertFromBefore, protectedNow, protectedSetUp } from "./former.ts";
import { makeNewRecord, spendForAccount } from "./new-password.ts";
import type { Prover } from "./prove.ts";
import { proveAddress } from "./prove.ts";
import type { ReadLink } from "./read.ts";
import type { Redeemed, Redemption } from "./redemption.ts";
import { completeRegistration, consulted } from "./registration.ts";
import { isStoredPassword } from "./stored-password.ts";

/**
 * Proves it. In the browser that registered, a click is enough; in another one something that was set up is shown, such as the password from
 * the registration, or a new password is chosen, so that nobody prepares an account for somebody else's address (SI-12). Of an address that
 * an operator corrected one thing from before the correction is shown, in whichever browser.
 */
export async function verifyAddress(
  context: ServiceContext,
  read: ReadLink,
  { here, ...redemption }: Redemption & { here: boolean },
): Promise<Redeemed> {
  const { link, account, registration } = read;
  if (account !== null) {
    const { visit, notMine = [] } = redemption;
    const { shown, prover } = await proverOf(context, { link, account }, { here, ...redemption });
    await inTransaction(context.dataSource, async (outside) => {
      const now = context.clock.now();
      const { account: locked, manager } = await spendForAccount(outside, { link, account }, now);
      await shown?.spend(manager, now);
      await proveAddress(context, manager, { account: locked, prover: { ...prover, notMine }, visit });
    });
    return { outcome: "email-verified" };
  }
  const { visit, ...shown } = redemption;
  const { record: stored } = registration;
  const prover = here
    ? SAME
    : await whoRegistered(context, { link, stored, person: registration, ...shown, visit });
  // What the application filled in for whoever registered is asked anew for whoever proves the address.
  const settled = prover.isSame ? registration : await consulted(context, registration, visit);
  const { recoveryCodes } = await inTransaction(context.dataSource, async (manager) => {
    if (!(await spendLink(manager, link.id, context.clock.now()))) throw new ProblemReply("link-used");
    const { record, isShort } = registration;
    const kept = record === null ? null : { record, isShort };
    const passwordRecord = prover.isSame ? kept : (prover.newRecord ?? null);
    const passkey = prover.isSame ? registration.passkey : null;
    return completeRegistration(context, manager, { registration: settled, passwordRecord, passkey, visit });
  });
  return { outcome: "email-verified", ...(recoveryCodes === null ? {} : { recoveryCodes }) };
}

const SAME: Prover = { isSame: true };

/** How whoever opens the link stands to whoever set the account up. */
async function proverOf(
  context: ServiceContext,
  { link, account }: { link: MailLinkRow; account: AccountRow },
  { here, ...redemption }: Redemption & { here: boolean },
): Promise<{ shown: ShownFromBefore | null; prover: Prover }> {
  if (account.emailVerifiedAt !== null) return { shown: null, prover: SAME };
  if (account.isAddressCorrected) {
    const guarded = await protectedNow(context, { link, account });
    return { shown: await assertFromBefore(context, guarded, redemption), prover: SAME };
  }
  const { password, present, visit } = redemption;
  if (here) return { shown: null, prover: SAME };
  // The password that an import brought says nothing of who was in the account since.
  if (typeof present === "string" && !account.isOpenlyRegistered) {
    const stored = (await findRecord(context.dataSource, account.id))?.record ?? null;
    const showing = { stored, accountId: account.id, name: account.id, ...redemption };
    if (!(await isStoredPassword(context, showing, present)))
      throw fieldProblem([fieldError("present", "registration-password-wrong")]);
    return { shown: null, prover: { isSame: false, keepsPassword: true } };
  }
  if (present !== undefined) {
    const guarded = await protectedSetUp(context, { link, account });
    return { shown: await assertFromBefore(context, guarded, redemption), prover: SAME };
  }
  if (password === undefined) throw new ProblemReply("password-wanted");
  return {
    shown: null,
    prover: {
      isSame: false,
      newRecord: await makeNewRecord(context, password, { link, person: account, visit }),
    },
  };
}

interface Showing extends Pick<Redemption, "password" | "present" | "visit" | "marks"> {
  readonly link: MailLinkRow;
  readonly stored: string | null;
  readonly person: Context & { readonly id: string };
}

/** Of a registration that waits outside the accounts: by its password the same person; by a new one perhaps another. */
async function whoRegistered(context: ServiceContext, showing: Showing): Promise<Prover> {
  const { password, present, person, link, visit } = showing;
  if (typeof present === "string") {
    if (!(await isStoredPassword(context, { ...showing, accountId: null, name: person.id }, present)))
      throw fieldProblem([fieldError("present", "registration-password-wrong")]);
    return SAME;
  }
  if (password === undefined) throw new ProblemReply("password-wanted");
  return { isSame: false, newRecord: await makeNewRecord(context, password, { link, person, visit }) };
}
