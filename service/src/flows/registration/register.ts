/** Registering an account: fields judged, password hashed, and all of it stored in one transaction or not at all. */
import type { CallOf, FieldError, routes } from "@lucchetto/contract";
import { fieldError } from "@lucchetto/contract";
import type { IdentifierKey } from "@lucchetto/core";
import { amrOfWhole, hashToken } from "@lucchetto/core";
import type { EntityManager } from "typeorm";
import { fieldProblem } from "../../base/problem.ts";
import type { AccountRow, RegistrationRow, StoredPasskey } from "../../base/storage/index.ts";
import { inTransaction, isDuplicateOf } from "../../base/storage/index.ts";
import { consultOrRecord } from "../../people/account/consult.ts";
import { readIdentifiers } from "../../people/account/fields.ts";
import { newAccount } from "../../people/account/new-account.ts";
import { sendLink } from "../../people/mail-link/send.ts";
import { amrOfNew } from "../../people/passkey/passkey.ts";
import { readRegisteringPasskey, settlePasskey, userHandleOf } from "../../people/passkey/register.ts";
import type { AcceptedPassword } from "../../people/password/password.ts";
import { judge, makeRecordOf } from "../../people/password/password.ts";
import type { BegunSession } from "../../people/session/session.ts";
import { beginSession } from "../../people/session/session.ts";
import { insertRegistration } from "../../records/account/registration-store.ts";
import { findByIdentifier, findTaken, insertAccount, lockAccount } from "../../records/account/store.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { record } from "../../records/journal/journal.ts";
import { writeMail } from "../../records/mail/mail.ts";
import { addresseeOf } from "../../records/mail/owner.ts";
import type { NewRecord } from "../../records/password/store.ts";
import { insertRecord } from "../../records/password/store.ts";
import { requiredSecondFactor } from "../../records/second-factor/duty.ts";
import type { LiveSession } from "../../records/session/store.ts";
import { wantedOf } from "../../records/sign-in/rule.ts";
import { countMailFor, countRegistration, rememberThisDevice } from "../../records/throttle/throttle.ts";
import { fillIn, newRegistration } from "../mail-link/registration.ts";
import type { PendingSignIn } from "../sign-in/pending.ts";
import { keepPending } from "../sign-in/pending.ts";

/** What the form holds. */
type Registration = Omit<CallOf<typeof routes.register>["body"], "deliver" | "returnTo">;

/** `check-mail`: a link waits to be used; the one answer of a site that does not tell which addresses are taken. */
type RegistrationOutcome =
  | {
      readonly outcome: "signed-in";
      readonly begun: BegunSession;
      /** With a passkey. */
      readonly recoveryCodes: readonly string[] | null;
    }
  /** A second factor is required, and set up before there is a session. */
  | ({ readonly outcome: "proof-wanted" } & PendingSignIn)
  | { readonly outcome: "check-mail" };

/** Where somebody registers. */
interface RegisteringBrowser {
  readonly visit: RequestOrigin;
  /** The living session of the same browser, which the new one takes the place of. */
  readonly replaces: LiveSession | null;
  /** The mark of the browser, which it has from now on; programs have none. */
  readonly mark: string | undefined;
  /** The mark that it brought along. */
  readonly broughtMark: string | undefined;
  /** The path of this service that they wanted to go on to. */
  readonly returnTo: string | null;
}

/**
 * Registers.
 * @throws ProblemReply `invalid-fields`, `identifier-taken`, `refused-by-application`, `application-unresponsive`, `throttled`, `too-busy`; `keys-missing`,
 *   `passkey-…`.
 */
export async function register(
  context: ServiceContext,
  registration: Registration,
  browser: RegisteringBrowser,
): Promise<RegistrationOutcome> {
  const { visit } = browser;
  const { email, username, verdict } = await judgeFields(context, registration);
  // Counted before it costs anything, whatever comes of it.
  await countRegistration(context, visit.network);
  const passkey = await readPasskey(context, registration, browser);
  const displayName = registration.displayName ?? null;
  const facts = {
    reference: null,
    email: email?.shown ?? null,
    username: username?.shown ?? null,
    displayName,
  };
  // Asked before anything is looked up, so that the application is asked alike for free and taken addresses.
  const filledIn = await consultOrRecord(
    context,
    { type: "account.create", by: "person", account: { ...facts, labels: [] } },
    visit,
  );
  // Hashed before anything is looked up, so that a taken address costs the same time as a free one.
  const passwordRecord =
    verdict === null
      ? null
      : await makeRecordOf(context, verdict, {
          network: visit.network,
          account: email?.key ?? username?.key ?? null,
          isKnown: false,
        });
  const language = registration.language ?? null;
  const browserHash = hashToken("device-mark", browser.mark);
  const { tellTaken, mail, links } = context.configuration;
  const parts = { username, displayName, language };
  if (!tellTaken && email !== null && mail.via !== "none") {
    const waiting = newRegistration({
      ...parts,
      email,
      made: passwordRecord,
      passkey,
      browserHash,
      now: context.clock.now(),
      life: links.verify,
    });
    return storePendingRegistration(context, { ...waiting, ...fillIn(waiting, filledIn) }, browser);
  }
  const account = newAccount(context.clock.now(), {
    ...parts,
    email,
    registrationBrowserHash: browserHash,
    userHandle: passkey === null ? null : userHandleOf(passkey),
    ...filledIn,
  });
  return makeAccount(context, { account, passwordRecord, passkey }, browser);
}

function readPasskey(
  context: ServiceContext,
  { challengeId, credential }: Registration,
  { visit, broughtMark: mark }: RegisteringBrowser,
): Promise<StoredPasskey | null> {
  if (challengeId === undefined || credential === undefined) return Promise.resolve(null);
  return readRegisteringPasskey(context, { challengeId, credential }, { visit, mark });
}

/** The site tells what is taken, or there is no mail by which it could ask for a proof. */
async function makeAccount(
  context: ServiceContext,
  {
    account,
    passwordRecord,
    passkey,
  }: { account: AccountRow; passwordRecord: NewRecord | null; passkey: StoredPasskey | null },
  { visit, replaces, mark, returnTo }: RegisteringBrowser,
): Promise<RegistrationOutcome> {
  const { tellTaken, verifyEmail } = context.configuration;
  const { id: accountId, email, emailKey } = account;
  // A private site says the same for a free and a taken address, so nobody is signed in by registering one.
  const signsIn = email === null || (tellTaken && verifyEmail === "reminded");
  // An address is registered once: its first mail is counted, and never held back.
  if (emailKey !== null) await countMailFor(context, { emailKey, accountId: null, mark });
  try {
    const begun = await inTransaction(context.dataSource, async (outside) => {
      const now = context.clock.now();
      const manager = await insertAccount(outside, account);
      if (passwordRecord !== null)
        await insertRecord(manager, { accountId, made: passwordRecord, setAt: now });
      const recoveryCodes =
        passkey === null ? null : await settlePasskey(context, manager, { accountId, stored: passkey });
      await record(context, manager, { event: { kind: "account.registered", accountId }, visit, now });
      if (email !== null && emailKey !== null && context.configuration.mail.via !== "none") {
        const to = addresseeOf({ ...account, email });
        const { registrationBrowserHash: browserHash } = account;
        await sendLink(context, manager, {
          purpose: "verify",
          to,
          emailKey,
          browserHash,
          visit,
          returnTo,
          isWithinLimit: true,
        });
      }
      if (!signsIn) return null;
      const grounds = { provedSince: now, standsSince: null };
      if (mark !== undefined)
        await rememberThisDevice(context, manager, { accountId, mark, grounds, there: null });
      if (passkey === null && requiredSecondFactor(context, account) !== "none")
        return "second-factor-first" as const;
      const shown =
        passkey === null
          ? ({ aal: 1, amr: ["pwd"] } as const)
          : ({ aal: 2, amr: amrOfWhole(amrOfNew(passkey)) } as const);
      const beginning = { account, kind: "ordinary", ...shown, grounds, replaces } as const;
      return { begun: await beginSession(context, manager, beginning, visit), recoveryCodes };
    });
    if (begun === null) return { outcome: "check-mail" };
    if (begun !== "second-factor-first") return { outcome: "signed-in", ...begun };
    const amr = ["pwd"];
    const wanted = await wantedOf(context, context.dataSource.manager, { account, shown: amr });
    const grounds = { provedSince: account.createdAt, standsSince: null };
    const waiting = {
      ...({ account, kind: "ordinary", amr, grounds, wanted } as const),
      stillStands: async (manager: EntityManager) =>
        (await lockAccount(manager, accountId))?.state === "active",
    };
    return { outcome: "proof-wanted", ...(await keepPending(context, waiting, { visit, mark })) };
  } catch (error) {
    if (!isDuplicateOf(error, "account_email") && !isDuplicateOf(error, "account_username")) throw error;
    return answerTaken(context, account, visit);
  }
}

/**
 * A site that does not tell: the registration waits outside the accounts. For a taken address the same is done, but the
 * mail to its owner says that there is an account, and no link leads to the registration.
 */
async function storePendingRegistration(
  context: ServiceContext,
  registration: RegistrationRow,
  { visit, mark, returnTo }: RegisteringBrowser,
): Promise<RegistrationOutcome> {
  const { emailKey, usernameKey, browserHash } = registration;
  const taken = await findTaken(context.dataSource, { emailKey, usernameKey, now: context.clock.now() });
  if (taken.username) return answerTaken(context, registration, visit);
  const key = emailKey as IdentifierKey<"email">;
  const owner = await findByIdentifier(context.dataSource, { kind: "email", key });
  const isWithinLimit = await countMailFor(context, { emailKey, accountId: null, mark });
  const to = { ...addresseeOf(registration), accountId: null };
  await inTransaction(context.dataSource, async (manager) => {
    const now = context.clock.now();
    await insertRegistration(manager, registration);
    const reason = owner === null ? "address-to-be-proved" : "email-taken";
    await record(context, manager, { event: { kind: "account.registration-waits", reason }, visit, now });
    if (owner === null) {
      const link = { purpose: "verify", to, registration, emailKey, browserHash, visit } as const;
      return sendLink(context, manager, { ...link, returnTo, isWithinLimit });
    }
    const held = isWithinLimit ? null : ("address-limit" as const);
    const link = `${context.configuration.publicUrl}/sign-in`;
    // To the address as its owner gave it, never as a stranger typed it.
    const known = addresseeOf({ ...owner, email: owner.email ?? registration.email });
    await writeMail(context, manager, {
      name: "already-registered",
      to: known,
      about: { visit, link },
      held,
    });
  });
  return { outcome: "check-mail" };
}

/** Collects every field error before throwing. */
async function judgeFields(context: ServiceContext, registration: Registration) {
  const errors: FieldError[] = [];
  const { email, username } = readIdentifiers(context.configuration, registration, errors);
  const { challengeId, credential } = registration;
  if ((challengeId === undefined) !== (credential === undefined))
    errors.push(fieldError(credential === undefined ? "credential" : "challengeId", "passkey-incomplete"));
  const verdict = await judgePassword(context, registration, errors);
  if (errors.length > 0) throw fieldProblem(errors);
  return { email, username, verdict };
}

/** With a passkey there may be none. */
async function judgePassword(
  context: ServiceContext,
  registration: Registration,
  errors: FieldError[],
): Promise<AcceptedPassword | null> {
  if (registration.password === undefined) {
    if (registration.credential === undefined)
      errors.push(fieldError("password", "password-or-passkey-missing"));
    return null;
  }
  const verdict = await judge(context, registration.password, registration);
  if (verdict.ok) return verdict;
  errors.push(fieldError("password", verdict.code, verdict.parameters));
  return null;
}

async function answerTaken(
  context: ServiceContext,
  { emailKey, usernameKey }: Pick<AccountRow, "emailKey" | "usernameKey">,
  visit: RequestOrigin,
): Promise<RegistrationOutcome> {
  const { dataSource, clock, configuration } = context;
  const taken = await findTaken(dataSource, { emailKey, usernameKey, now: clock.now() });
  await inTransaction(dataSource, (manager) =>
    record(context, manager, {
      event: {
        kind: "account.registration-refused",
        outcome: "refused",
        reason: taken.username ? "username-taken" : "email-taken",
      },
      visit,
      now: clock.now(),
    }),
  );
  const errors: FieldError[] = [];
  if (taken.username) errors.push(fieldError("username", "username-taken"));
  if (taken.email && configuration.tellTaken) {
    errors.push(fieldError("email", "email-taken"));
  }
  if (errors.length > 0) throw fieldProblem(errors, "identifier-taken");
  return { outcome: "check-mail" };
}
