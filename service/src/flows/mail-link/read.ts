/** Looking at a mailed link: what it is for, and what using it takes. It changes nothing. */
import type { LinkLook } from "@lucchetto/contract";
import type { AccountState, LinkFault, LinkPurpose } from "@lucchetto/core";
import { equalInConstantTime, hashToken, isUndo, judgeLink } from "@lucchetto/core";
import { ProblemReply } from "../../base/problem.ts";
import type { AccountRow, MailLinkRow, RegistrationRow } from "../../base/storage/index.ts";
import { findRegistration } from "../../records/account/registration-store.ts";
import { findAccount } from "../../records/account/store.ts";
import { appAnew, pathAfterAWhile } from "../../records/app/behind.ts";
import type { ServiceContext } from "../../records/context.ts";
import { findLink } from "../../records/mail-link/store.ts";
import { hasRecord } from "../../records/password/store.ts";
import { findLiving } from "../../records/session/store.ts";
import { findOpenSignIn, findSignIn } from "../../records/sign-in/store.ts";
import type { Protected } from "./former.ts";
import { protectedBefore, protectedNow, protectedSetUp, wantingOf } from "./former.ts";
import { nameForStrangers } from "./name-for-strangers.ts";
import { partSetUp, showSetUp } from "./prove.ts";
import type { BrowserMarks } from "./redemption.ts";

const FAULTS = {
  unknown: "link-unknown",
  used: "link-used",
  superseded: "link-superseded",
  expired: "link-expired",
} as const satisfies Record<LinkFault, string>;

const ACTIVE = ["active"] as const;
/** What is undone may be the closing too. Of a suspended account it is undone as well: it stays suspended, and no link runs out meanwhile. */
const UNDOABLE = ["active", "closed", "suspended"] as const;

/** In which states of the account a link of each purpose does anything. */
const OPEN_FOR: Readonly<Record<LinkPurpose, readonly AccountState[]>> = {
  verify: ACTIVE,
  reset: ACTIVE,
  "sign-in": ACTIVE,
  invite: ["invited"],
  "change-email": ACTIVE,
  "undo-change": UNDOABLE,
  "undo-factor": UNDOABLE,
  "undo-erase": ["closed"],
};

/** A link that may be used, and whose it is: an account's, or a registration's that waits outside them. */
export type ReadLink = { readonly link: MailLinkRow } & (
  | { readonly account: AccountRow; readonly registration: null }
  | { readonly account: null; readonly registration: RegistrationRow }
);

/** Reads one. @throws ProblemReply `link-…`. */
export async function readLink(
  { dataSource, clock, configuration }: ServiceContext,
  secret: string,
): Promise<ReadLink> {
  const hashed = hashToken("mail-link", secret);
  const link = hashed === null ? null : await findLink(dataSource, hashed);
  if (link === null) throw new ProblemReply("link-unknown");
  const account = link.accountId === null ? null : await findAccount(dataSource, link.accountId);
  const registration =
    link.registrationId === null ? null : await findRegistration(dataSource, link.registrationId);
  const emailKey = account === null ? (registration?.emailKey ?? null) : (account.emailKey ?? "");
  const fault = judgeLink(link, { purpose: link.purpose, emailKey, now: clock.now() });
  if (fault !== null) throw new ProblemReply(FAULTS[fault]);
  // Switched off since: then the links that are under way do nothing either, but where one is wanted beside a password.
  if (link.purpose === "sign-in" && configuration.signIn.mailLink === "off") {
    const begun = link.signInId === null ? null : await findSignIn(dataSource, link.signInId);
    if (begun === null || begun.amr.length === 0) throw new ProblemReply("link-unknown");
  }
  if (account !== null) {
    if (!OPEN_FOR[link.purpose].includes(account.state)) throw new ProblemReply("link-unknown");
    return { link, account, registration: null };
  }
  if (registration === null) throw new ProblemReply("link-unknown");
  return { link, account: null, registration };
}

/**
 * Whether the browser that opens it is the one that registered, or that asked for it.
 * @throws ProblemReply `link-unknown` for a change of address whose session has ended.
 */
export async function isHere(
  { dataSource, clock }: ServiceContext,
  { link, account, registration }: ReadLink,
  { mark, signInToken, session }: BrowserMarks,
): Promise<boolean> {
  if (link.purpose === "sign-in") {
    const hashed = signInToken === undefined ? null : hashToken("sign-in", signInToken);
    const open = hashed === null ? null : await findOpenSignIn(dataSource, hashed, clock.now());
    return open !== null && open.id === link.signInId;
  }
  if (link.purpose === "change-email") {
    const { sessionId } = link;
    if (sessionId !== null && (await session()) === sessionId) return true;
    // It lapses with the session that asked: whoever was put out changes nothing any more.
    const living = await findLiving(dataSource, sessionId === null ? [] : [sessionId], clock.now());
    if (living.size === 0) throw new ProblemReply("link-unknown");
    return false;
  }
  const asked =
    link.purpose === "verify"
      ? (account?.registrationBrowserHash ?? registration?.browserHash)
      : link.browserHash;
  const shown = hashToken("device-mark", mark);
  return shown !== null && asked !== null && asked !== undefined && asked.equals(shown);
}

/** Whether it was asked for in this browser, whoever registered in it. */
function isAsker({ browserHash }: MailLinkRow, { mark }: BrowserMarks): boolean {
  const shown = hashToken("device-mark", mark);
  return shown !== null && browserHash !== null && equalInConstantTime(browserHash, shown);
}

/** What the landing page shows. @throws ProblemReply `link-…`. */
export async function lookAtLink(
  context: ServiceContext,
  secret: string,
  marks: BrowserMarks,
): Promise<LinkLook> {
  const read = await readLink(context, secret);
  const here = await isHere(context, read, marks);
  const { link } = read;
  const { purpose } = link;
  const { account } = read;
  const guarded = account === null ? null : await guardedBy(context, { link, account });
  const first =
    account === null
      ? passkeyThatGoes(read.registration, here)
      : await firstProofBy(context, { link, account, here, marks });
  const beside = guarded === null ? null : wantingOf(guarded, marks.mark);
  const begun = link.signInId === null ? null : await findSignIn(context.dataSource, link.signInId);
  return {
    purpose: link.purpose,
    name: nameOf(read),
    expiresAt: link.expiresAt.toISOString(),
    here,
    wants: beside?.isWanted === true ? "thing-from-before" : wantsOf(context, read, here),
    shows: [...(beside?.shows ?? first?.shows ?? [])],
    setUp: first?.setUp ?? null,
    // What was begun goes on in the browser that asked for this very link; wherever else the mail is opened, the application is asked anew for the page.
    returnTo: isAsker(link, marks) ? goOnTo(context, link) : null,
    app: await appAnew(context, link.returnTo),
    newEmail: NAMELESS.has(purpose) ? null : (link.formerEmail ?? link.newEmail),
    begunIn: begun && {
      userAgent: begun.userAgent,
      network: begun.network,
      at: begun.createdAt.toISOString(),
    },
  };
}

function goOnTo(context: ServiceContext, { returnTo, createdAt }: MailLinkRow): string | null {
  const age = context.clock.now().getTime() - createdAt.getTime();
  return returnTo && pathAfterAWhile(context, returnTo, age);
}

/** Where a mailbox alone is not enough: an undoing, and the proof of an address that an operator corrected. */
async function guardedBy(
  context: ServiceContext,
  { link, account }: { link: MailLinkRow; account: AccountRow },
): Promise<Protected | null> {
  const { purpose } = link;
  if (isUndo(purpose)) return protectedBefore(context, { link, account });
  return purpose === "verify" && account.isAddressCorrected ? protectedNow(context, { link, account }) : null;
}

/** Where using the link proves the address for the first time: what becomes of what was set up, and what to show so that it stays. */
async function firstProofBy(
  context: ServiceContext,
  {
    link,
    account,
    here,
    marks,
  }: { link: MailLinkRow; account: AccountRow; here: boolean; marks: BrowserMarks },
): Promise<Pick<LinkLook, "setUp" | "shows"> | null> {
  if (account.emailVerifiedAt !== null || account.isAddressCorrected) return null;
  if (!PROVING.has(link.purpose)) return null;
  const wanting = wantingOf(await protectedSetUp(context, { link, account }), marks.mark);
  // A link to sign in with that is opened elsewhere becomes a code, and whoever types that may be anybody.
  const isSame = !wanting.isWanted && (link.purpose !== "sign-in" || here);
  const { manager } = context.dataSource;
  const { stays, goes } = await partSetUp(manager, account, { isSame });
  const setUp = { stays: stays.map(showSetUp), goes: goes.map(showSetUp) };
  if (isSame || link.purpose === "sign-in") return { setUp, shows: [] };
  const hasBrought = !account.isOpenlyRegistered && (await hasRecord(manager, account.id));
  const isPasswordShown = link.purpose === "verify" && hasBrought;
  return { setUp, shows: isPasswordShown ? ["password", ...wanting.shows] : [...wanting.shows] };
}

/** What these take back is not an address. */
const NAMELESS: ReadonlySet<LinkPurpose> = new Set(["undo-factor", "undo-erase"]);
/** A passkey of a registration that waits is known to the browser that registered alone: elsewhere it goes. */
function passkeyThatGoes(
  registration: RegistrationRow | null,
  here: boolean,
): Pick<LinkLook, "setUp" | "shows"> | null {
  if (here || registration === null || registration.passkey === null) return null;
  const at = registration.createdAt.toISOString();
  const goes = [{ kind: "passkey" as const, id: "passkey", name: null, at }];
  return { setUp: { stays: [], goes }, shows: [] };
}

const PROVING: ReadonlySet<LinkPurpose> = new Set(["verify", "reset", "sign-in"]);

function wantsOf(
  { configuration }: ServiceContext,
  { link, account, registration }: ReadLink,
  here: boolean,
): LinkLook["wants"] {
  switch (link.purpose) {
    case "verify":
      // Registered with a passkey: whoever opens it elsewhere cannot show that here.
      if (!here && registration?.record === null) return "new-password";
      return here || (account !== null && (account.emailVerifiedAt !== null || account.isAddressCorrected))
        ? "nothing"
        : "any-password";
    case "sign-in":
      return here ? "nothing" : "code";
    case "invite":
      return configuration.accounts.passwordWhenInvited === "required" ? "new-password" : "nothing";
    case "reset":
      return "new-password";
    case "undo-change":
    case "undo-factor":
      return "new-password";
    case "undo-erase":
      return "nothing";
    case "change-email":
      return here ? "nothing" : "code";
  }
}

/** Whose it is, to the one who opens it: the old address is nothing that a new one's owner need know. */
function nameOf({ link, account, registration }: ReadLink): string {
  if (account === null) return registration.email;
  if (link.purpose === "change-email") return nameForStrangers(account);
  if (isUndo(link.purpose)) return link.newEmail ?? "";
  return account.email ?? account.username ?? "";
}
