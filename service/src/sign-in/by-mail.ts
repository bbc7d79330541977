/**
 * Signing in by mail: the link in the browser that asked for it, or the short code that it was swapped for in another.
 * Both are accepted only at the sign-in in which the link was asked for, so that a forwarded link signs in nobody.
 */
import type { NextProof } from "@lucchetto/contract";
import { hashMailCode, hashToken, isMailCode, PENDING_SIGN_IN_LIFE, readMailCode } from "@lucchetto/core";
import { consultOrRecord } from "../account/consult.ts";
import { fillIn, settleRegistration } from "../account/registration.ts";
import { findRegistration } from "../account/registration-store.ts";
import { findAccount, lockAccount } from "../account/store.ts";
import type { ServiceContext, Visit } from "../context.ts";
import { record } from "../journal/journal.ts";
import { proveAddress } from "../mail-link/prove.ts";
import { readLink } from "../mail-link/read.ts";
import { spendLink } from "../mail-link/store.ts";
import { ProblemReply } from "../problem.ts";
import type { AccountRow, MailLinkRow, RegistrationRow, SignInRow } from "../storage/index.ts";
import { inTransaction } from "../storage/index.ts";
import type { Device } from "./complete.ts";
import { completeSignIn } from "./complete.ts";
import type { MovedOn } from "./pending.ts";
import { wantedOf } from "./pending.ts";
import { advanceSignIn, reserveProof, spendSignIn } from "./store.ts";

type MailProof = Extract<NextProof, { type: "mail-link" | "mail-code" }>;

/** RFC 8176 registers no value for this; ours says what it was. */
const AMR = ["mail"] as const;

/**
 * Goes on with a sign-in that waits for a mail. Five wrong proofs end it.
 * @throws ProblemReply `proof-refused`, `sign-in-lapsed`, `link-…`, `address-taken`, `refused-by-site`, `site-silent`.
 */
export async function showMailProof(
  context: ServiceContext,
  pending: SignInRow,
  { proof, visit, device }: { proof: MailProof; visit: Visit; device: Device },
): Promise<MovedOn> {
  // Counted as wrong before it is looked at, so that no parallel guesses outrun the count.
  if (!(await reserveProof(context.dataSource, pending.id, context.clock.now())))
    throw new ProblemReply("sign-in-lapsed");
  const link = await checkProof(context, pending, { proof, visit });
  const { accountId, registrationId } = pending;
  const account = accountId === null ? null : await findAccount(context.dataSource, accountId);
  const waiting = registrationId === null ? null : await findRegistration(context.dataSource, registrationId);
  if (account === null && waiting === null) throw new ProblemReply("proof-refused");
  const registration = waiting && (await consulted(context, waiting, visit));
  return inTransaction(context.dataSource, async (manager) => {
    const now = context.clock.now();
    if (link !== null && !(await spendLink(manager, link.id, now))) throw new ProblemReply("link-used");
    const locked =
      account === null && registration !== null
        ? await settleRegistration(context, manager, { registration, passwordRecord: null, visit })
        : await lockAccount(manager, account?.id ?? "");
    if (locked?.state !== "active") throw new ProblemReply("proof-refused");
    const isSame = isRegistrationBrowser(locked, device);
    // What whoever registered it set up goes with the first proof: then there is no password left to be replaced.
    const goesAnew = locked.emailVerifiedAt === null && !isSame;
    const wanted = goesAnew ? [] : await wantedOf(context, locked, manager);
    const isFirst =
      wanted.length === 0
        ? await spendSignIn(manager, pending.id, now)
        : await advanceSignIn(manager, pending.id, {
            amr: [...AMR],
            expiresAt: new Date(now.getTime() + PENDING_SIGN_IN_LIFE),
            now,
          });
    // Whoever comes second with the same proof gets nothing.
    if (!isFirst) throw new ProblemReply("sign-in-lapsed");
    const proved = await proveAddress(context, manager, {
      account: locked,
      prover: isSame ? { isSame } : { isSame, newRecord: null },
      visit,
    });
    const { returnTo, kind } = pending;
    if (wanted.length > 0) {
      const expiresAt = new Date(now.getTime() + PENDING_SIGN_IN_LIFE);
      return { outcome: "proof-wanted", wanted, expiresAt };
    }
    const completion = { account: proved, kind, aal: 1, amr: AMR, visit, device } as const;
    const signedIn = await completeSignIn(context, manager, completion);
    return { outcome: "signed-in", ...signedIn, returnTo };
  });
}

/** @returns the link, to be spent; `null` for a code, whose link is spent already. */
async function checkProof(
  context: ServiceContext,
  pending: SignInRow,
  { proof, visit }: { proof: MailProof; visit: Visit },
): Promise<MailLinkRow | null> {
  if (proof.type === "mail-link") {
    const { link } = await readLink(context, proof.secret);
    if (link.purpose === "sign-in" && link.signInId === pending.id) return link;
    return refuse(context, pending, { reason: "link of another sign-in", visit });
  }
  const code = readMailCode(proof.code);
  const shown = code === null ? null : hashMailCode(context.mailCodeKey, { signInId: pending.id, code });
  const mayCome = context.configuration.signIn.mailLink !== "off";
  if (mayCome && shown !== null && isMailCode(pending.mailCodeHash, shown)) return null;
  return refuse(context, pending, { reason: "wrong code", visit });
}

async function refuse(
  { dataSource, clock }: ServiceContext,
  pending: SignInRow,
  { reason, visit }: { reason: string; visit: Visit },
): Promise<never> {
  const { accountId } = pending;
  const event = { kind: "sign-in.refused", outcome: "refused", reason, accountId } as const;
  await inTransaction(dataSource, (manager) => record(manager, { event, visit, now: clock.now() }));
  throw new ProblemReply("proof-refused");
}

/** The application is asked before there is a new account. */
async function consulted(
  context: ServiceContext,
  registration: RegistrationRow,
  visit: Visit,
): Promise<RegistrationRow> {
  const { email, username, displayName } = registration;
  const facts = { reference: null, email, username, displayName, labels: [] };
  const filledIn = await consultOrRecord(
    context,
    { type: "account.create", by: "person", account: facts },
    visit,
  );
  return { ...registration, ...fillIn(registration, filledIn) };
}

function isRegistrationBrowser(
  { registrationBrowserHash }: AccountRow,
  { mark }: Pick<Device, "mark">,
): boolean {
  const shown = mark === undefined ? null : hashToken("device-mark", mark);
  return shown !== null && registrationBrowserHash !== null && registrationBrowserHash.equals(shown);
}
