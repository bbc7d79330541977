/** Asking for a mailed link. The reply is the same whoever is named; what there is to do is done after it. */
import { randomBytes } from "node:crypto";
import type { SessionKind } from "@lucchetto/core";
import { hashToken, mintToken, NO_GROUNDS, readEmail, readIdentifier, TOKEN_BYTES } from "@lucchetto/core";
import type { EntityManager } from "typeorm";
import type { AccountRow } from "../../base/storage/index.ts";
import { inTransaction, newId } from "../../base/storage/index.ts";
import { sendLink } from "../../people/mail-link/send.ts";
import { findRegistrationOfBrowser, insertRegistration } from "../../records/account/registration-store.ts";
import { findByIdentifier } from "../../records/account/store.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { addresseeOf } from "../../records/mail/owner.ts";
import { insertSignIn, knowSignIn } from "../../records/sign-in/store.ts";
import { countMailFor } from "../../records/throttle/throttle.ts";
import { newRegistration } from "./registration.ts";

/** Who asks, and where. */
export interface Asking {
  /** E-mail address or username, as typed. */
  readonly identifier: string;
  readonly visit: RequestOrigin;
  /** The mark of the browser that asks, if it has one. */
  readonly mark: string | undefined;
  /** The path of this service that they wanted to go on to. */
  readonly returnTo?: string | null;
}

/** Notes, in the transaction that does what was asked, that it is done. @throws if somebody else did it meanwhile. */
export type Settle = (manager: EntityManager) => Promise<void>;

/** Somebody with an address that mail may go to: the stored one, never the typed one. */
type Reachable = AccountRow & { email: string; emailKey: string };

/** Sends a link for a new password, if there is somebody to send it to; not to an address that an operator may have mistyped. */
export async function sendReset(context: ServiceContext, asking: Asking, settle: Settle): Promise<void> {
  const account = await findReachable(context, asking.identifier);
  if (account !== null && !account.isAddressCorrected)
    await sendTo(context, account, { purpose: "reset", asking, settle });
}

/** Sends a link that proves the address once more: to the account's, or to that of the registration of this browser. */
export async function sendVerification(
  context: ServiceContext,
  asking: Asking,
  settle: Settle,
): Promise<void> {
  const account = await findReachable(context, asking.identifier);
  if (account !== null) {
    if (account.emailVerifiedAt === null)
      await sendTo(context, account, { purpose: "verify", asking, settle });
    return;
  }
  const emailKey = readEmail(asking.identifier)?.key;
  const browserHash = hashToken("device-mark", asking.mark);
  if (emailKey === undefined || browserHash === null) return;
  const now = context.clock.now();
  const registration = await findRegistrationOfBrowser(context.dataSource, { emailKey, browserHash, now });
  if (registration === null) return;
  const isWithinLimit = await countMailFor(context, { emailKey, accountId: null, mark: asking.mark });
  const to = { ...addresseeOf(registration), accountId: null };
  const { visit, returnTo } = asking;
  const link = { purpose: "verify", to, registration, emailKey, browserHash, visit, isWithinLimit } as const;
  await inTransaction(context.dataSource, async (manager) => {
    await settle(manager);
    await sendLink(context, manager, { ...link, returnTo });
  });
}

/** A sign-in that waits for a mail. Before the reply it is the same for everybody: nobody is looked up. */
export async function beginByMail(
  { dataSource, clock, configuration }: ServiceContext,
  { visit, kind, returnTo }: { visit: RequestOrigin; kind: SessionKind; returnTo: string | null },
) {
  const now = clock.now();
  const { plain, hashed } = mintToken("sign-in", randomBytes(TOKEN_BYTES));
  const id = newId(now);
  await inTransaction(dataSource, (manager) =>
    insertSignIn(manager, {
      id,
      tokenHash: hashed,
      accountId: null,
      registrationId: null,
      ...NO_GROUNDS,
      kind,
      amr: [],
      createdAt: now,
      expiresAt: new Date(now.getTime() + configuration.links["sign-in"]),
      endedAt: null,
      mailCodeHash: null,
      wrongProofs: 0,
      returnTo,
      userAgent: visit.userAgent,
      network: visit.network,
      appId: visit.appId,
    }),
  );
  return { id, token: plain };
}

/** Sends the link that a sign-in waits for. To a new address too, where the site lets people register this way. */
export async function sendSignIn(
  context: ServiceContext,
  asking: Asking,
  { signInId, settle }: { signInId: string; settle: Settle },
): Promise<void> {
  const { mailLink } = context.configuration.signIn;
  if (mailLink === "off") return;
  const read = readIdentifier(asking.identifier);
  if (read === null) return;
  const account = await findByIdentifier(context.dataSource, read);
  if (account?.isAddressCorrected === true) return;
  if (isReachable(account)) return sendTo(context, account, { purpose: "sign-in", asking, settle, signInId });
  const email = readEmail(asking.identifier);
  if (account !== null || mailLink !== "register" || email === null) return;
  const isWithinLimit = await countMailFor(context, {
    emailKey: email.key,
    accountId: null,
    mark: asking.mark,
  });
  const browserHash = hashToken("device-mark", asking.mark);
  const { visit } = asking;
  await inTransaction(context.dataSource, async (manager) => {
    await settle(manager);
    const now = context.clock.now();
    const life = context.configuration.links["sign-in"];
    const registration = newRegistration({ email, browserHash, now, life, made: null });
    await insertRegistration(manager, registration);
    await knowSignIn(manager, signInId, { registrationId: registration.id });
    const to = { ...addresseeOf(registration), accountId: null };
    const link = { purpose: "sign-in", to, registration, signInId, browserHash, visit } as const;
    await sendLink(context, manager, { ...link, emailKey: email.key, isWithinLimit });
  });
}

async function sendTo(
  context: ServiceContext,
  account: Reachable,
  {
    purpose,
    asking: { visit, mark, returnTo },
    settle,
    signInId,
  }: { purpose: "reset" | "verify" | "sign-in"; asking: Asking; settle: Settle; signInId?: string },
): Promise<void> {
  const { id, emailKey } = account;
  const isWithinLimit = await countMailFor(context, { emailKey, accountId: id, mark });
  await inTransaction(context.dataSource, async (manager) => {
    await settle(manager);
    if (signInId !== undefined) await knowSignIn(manager, signInId, { accountId: id });
    await sendLink(context, manager, {
      purpose,
      to: addresseeOf(account),
      emailKey,
      browserHash: hashToken("device-mark", mark),
      visit,
      isWithinLimit,
      returnTo,
      ...(signInId === undefined ? {} : { signInId }),
    });
  });
}

async function findReachable({ dataSource }: ServiceContext, identifier: string): Promise<Reachable | null> {
  const read = readIdentifier(identifier);
  const account = read === null ? null : await findByIdentifier(dataSource, read);
  return isReachable(account) ? account : null;
}

function isReachable(account: AccountRow | null): account is Reachable {
  return account?.state === "active" && account.email !== null && account.emailKey !== null;
}
