/**
 * Whether a mailed proof is shown by whoever registered: for them the first proof of an address takes nothing away (SI-12). In the browser
 * that registered the link says so by itself; a code may have been told by somebody else, so the registration's password comes beside it.
 */
import { fieldError } from "@lucchetto/contract";
import { hashToken } from "@lucchetto/core";
import { fieldProblem } from "../../base/problem.ts";
import type { AccountRow } from "../../base/storage/index.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { findRecord } from "../../records/password/store.ts";
import { isStoredPassword } from "../mail-link/stored-password.ts";
import type { ShownProof } from "../proof/index.ts";
import type { Device } from "./complete.ts";

/** @throws ProblemReply `invalid-fields` for another password, `throttled`, `too-busy`. */
export async function isWhoRegistered(
  context: ServiceContext,
  account: AccountRow,
  { proof, visit, device: { mark } }: { proof: ShownProof; visit: RequestOrigin; device: Device },
): Promise<boolean> {
  if (!isRegisteredHere(account, mark)) return false;
  if (proof.type === "mail-link") return true;
  if (proof.type !== "mail-code" || proof.password === undefined) return false;
  const { id } = account;
  const stored = (await findRecord(context.dataSource, id))?.record ?? null;
  const shown = { stored, accountId: id, name: id, visit, marks: { mark } };
  if (await isStoredPassword(context, shown, proof.password)) return true;
  throw fieldProblem([fieldError("proof.password", "registration-password-wrong-here")]);
}

/** Whether a browser registered the account, whose address is yet to be proved. */
export function isRegisteredHere(
  { emailVerifiedAt, registrationBrowserHash }: AccountRow,
  mark: string | undefined,
): boolean {
  const shown = hashToken("device-mark", mark);
  const isSame = shown !== null && registrationBrowserHash !== null && registrationBrowserHash.equals(shown);
  return isSame && emailVerifiedAt === null;
}
