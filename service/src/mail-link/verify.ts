/** Proving the address after registering. */
import { fieldError } from "@lucchetto/contract";
import type { Context } from "@lucchetto/core";
import { settleRegistration } from "../account/registration.ts";
import type { ServiceContext } from "../context.ts";
import { findRecord } from "../password/store.ts";
import { fieldProblem, ProblemReply } from "../problem.ts";
import { assertFromBefore, protectedNow } from "../recovery/former.ts";
import { inTransaction } from "../storage/index.ts";
import { makeNewRecord, spendForAccount } from "./new-password.ts";
import type { Prover } from "./prove.ts";
import { proveAddress } from "./prove.ts";
import type { ReadLink } from "./read.ts";
import type { Redeemed, Redemption } from "./redemption.ts";
import { spendLink } from "./store.ts";
import { isStoredPassword } from "./stored-password.ts";

/**
 * Proves it. In the browser that registered, a click is enough; in another one the password from the registration is
 * shown, or a new one chosen, so that nobody prepares an account for somebody else's address (SI-12). Of an address that an
 * operator corrected one thing from before the correction is shown, in whichever browser.
 */
export async function verifyAddress(
  context: ServiceContext,
  read: ReadLink,
  { here, visit, ...shown }: Redemption & { here: boolean },
): Promise<Redeemed> {
  const { link, account, registration } = read;
  if (account !== null) {
    const shownBeside = account.isAddressCorrected
      ? await assertFromBefore(context, await protectedNow(context, { link, account }), { visit, ...shown })
      : null;
    const isSame = here || account.emailVerifiedAt !== null || shownBeside !== null;
    const stored = isSame ? null : ((await findRecord(context.dataSource, account.id))?.record ?? null);
    const prover = isSame
      ? SAME
      : await whoProves(context, { stored, person: account, accountId: account.id, ...shown, visit });
    await inTransaction(context.dataSource, async (manager) => {
      const now = context.clock.now();
      const locked = await spendForAccount(manager, { link, account }, now);
      await shownBeside?.spend(manager, now);
      await proveAddress(context, manager, { account: locked, prover, visit });
    });
    return { outcome: "email-verified" };
  }
  const { record: stored } = registration;
  const prover = here
    ? SAME
    : await whoProves(context, { stored, person: registration, accountId: null, ...shown, visit });
  const { recoveryCodes } = await inTransaction(context.dataSource, async (manager) => {
    if (!(await spendLink(manager, link.id, context.clock.now()))) throw new ProblemReply("link-used");
    const { record, isShort } = registration;
    const kept = record === null ? null : { record, isShort };
    const passwordRecord = prover.isSame ? kept : prover.newRecord;
    const passkey = prover.isSame ? registration.passkey : null;
    return settleRegistration(context, manager, { registration, passwordRecord, passkey, visit });
  });
  return { outcome: "email-verified", ...(recoveryCodes === null ? {} : { recoveryCodes }) };
}

const SAME: Prover = { isSame: true };

interface Showing extends Pick<Redemption, "password" | "present" | "visit" | "marks"> {
  readonly stored: string | null;
  readonly person: Context & { readonly id: string };
  /** `null`: it is a registration that waits outside them. */
  readonly accountId: string | null;
}

/** By the password from the registration the same person; by a new one perhaps another. */
async function whoProves(context: ServiceContext, showing: Showing): Promise<Prover> {
  const { password, present, person } = showing;
  if (typeof present === "string") {
    if (!(await isStoredPassword(context, { ...showing, name: person.id }, present)))
      throw fieldProblem([fieldError("present", "registration-password-wrong")]);
    return SAME;
  }
  if (password === undefined) throw new ProblemReply("password-wanted");
  return { isSame: false, newRecord: await makeNewRecord(context, password, person) };
}
