/** What is known of an account that decides how its sign-in goes on. */
import type { RequiredProof, SignInRule } from "@lucchetto/core";
import { wantedNext } from "@lucchetto/core";
import type { EntityManager } from "typeorm";
import { ProblemReply } from "../../base/problem.ts";
import type { AccountRow, SignInRow } from "../../base/storage/index.ts";
import { findAccount } from "../account/store.ts";
import type { ServiceContext } from "../context.ts";
import { hasRecord, hasShortRecord } from "../password/store.ts";
import { requiredSecondFactor } from "../second-factor/duty.ts";
import { secondFactorsOf } from "../second-factor/offered.ts";
import { hasShortSecret } from "../second-factor/store.ts";

/** Reads it. @param manager the transaction in which it must hold, if there is one. */
export async function ruleOf(
  { clock, configuration }: Pick<ServiceContext, "clock" | "configuration">,
  manager: EntityManager,
  account: AccountRow,
): Promise<SignInRule> {
  const { id, firstPasswordUntil, wantsMailedProof } = account;
  const duty = requiredSecondFactor({ configuration }, account);
  const secondFactors = await secondFactorsOf(manager, id);
  const isLapsed = firstPasswordUntil !== null && firstPasswordUntil <= clock.now();
  return {
    mustChangePassword: account.mustChangePassword,
    // A second factor stood beside it once, and need not any more.
    isPasswordTooShort: duty === "none" && (await hasShortRecord(manager, id)),
    firstPassword: firstPasswordUntil === null ? "none" : isLapsed ? "lapsed" : "valid",
    secondFactors,
    wantsMailedProof,
    isReachable: isReachable({ configuration }, account),
    duty,
    // Asked only where it matters.
    mustRenewFactor: secondFactors.includes("totp") && (await hasShortSecret(manager, id)),
    hasPassword: wantsMailedProof && (await hasRecord(manager, id)),
  };
}

/** Nobody signs in before the address is proved, where the site wants that. */
export function mustProveEmail(
  { configuration }: Pick<ServiceContext, "configuration">,
  { email, emailVerifiedAt }: AccountRow,
): boolean {
  return configuration.verifyEmail === "required" && email !== null && emailVerifiedAt === null;
}

/** Whether a mail reaches an address that was proved. */
export function isReachable(
  { configuration }: Pick<ServiceContext, "configuration">,
  { email, emailVerifiedAt }: Pick<AccountRow, "email" | "emailVerifiedAt">,
): boolean {
  return email !== null && emailVerifiedAt !== null && configuration.mail.via !== "none";
}

/**
 * What an account wants after the proofs shown so far.
 * @throws ProblemReply `operator-needed` if nothing that is left opens it.
 */
export async function wantedOf(
  context: Pick<ServiceContext, "clock" | "configuration">,
  manager: EntityManager,
  { account, shown }: { account: AccountRow; shown: readonly string[] },
): Promise<readonly RequiredProof[]> {
  return wantedBy(await ruleOf(context, manager, account), shown);
}

/** As `wantedOf`, by what is known already. */
export function wantedBy(rule: SignInRule, shown: readonly string[]): readonly RequiredProof[] {
  const wanted = wantedNext(rule, shown);
  if (wanted === null) throw new ProblemReply("operator-needed");
  return wanted;
}

/** The account of a sign-in in progress that wants this now. @throws ProblemReply `sign-in-lapsed`, `proof-refused`. */
export async function assertWanted(
  context: Pick<ServiceContext, "clock" | "configuration" | "dataSource">,
  { accountId, amr }: Pick<SignInRow, "accountId" | "amr">,
  what: RequiredProof,
): Promise<AccountRow> {
  // Without a first proof nothing is known of whoever is there.
  const account =
    accountId === null || amr.length === 0 ? null : await findAccount(context.dataSource, accountId);
  if (account?.state !== "active") throw new ProblemReply("sign-in-lapsed");
  const wanted = await wantedOf(context, context.dataSource.manager, { account, shown: amr });
  if (!wanted.includes(what)) throw new ProblemReply("proof-refused");
  return account;
}
