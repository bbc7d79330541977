/** Registrations that wait outside the accounts, on a site that does not tell which addresses it knows. */
import type { Identifier, IdentifierKey, Language } from "@lucchetto/core";
import type { EntityManager } from "typeorm";
import { ProblemReply } from "../../base/problem.ts";
import type { AccountRow, Granted, RegistrationRow, StoredPasskey } from "../../base/storage/index.ts";
import { isDuplicateOf, newId } from "../../base/storage/index.ts";
import { consultOrRecord } from "../../people/account/consult.ts";
import { newAccount } from "../../people/account/new-account.ts";
import { settlePasskey, userHandleOf } from "../../people/passkey/register.ts";
import { deleteRegistrationsOf } from "../../records/account/registration-store.ts";
import { insertAccount } from "../../records/account/store.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { record } from "../../records/journal/journal.ts";
import type { NewRecord } from "../../records/password/store.ts";
import { insertRecord } from "../../records/password/store.ts";
import type { FilledIn } from "../../records/webhook/consult.ts";

/** @param parts `life` in milliseconds: as long as its link. */
export function newRegistration(parts: {
  readonly email: Identifier<"email">;
  readonly username?: Identifier<"username"> | null;
  readonly displayName?: string | null;
  readonly language?: Language | null;
  readonly made: NewRecord | null;
  readonly passkey?: StoredPasskey | null;
  readonly filledIn?: RegistrationRow["filledIn"];
  readonly browserHash: Buffer | null;
  readonly now: Date;
  readonly life: number;
}): RegistrationRow {
  const { email, username = null, now } = parts;
  return {
    id: newId(now),
    email: email.shown,
    emailKey: email.key,
    username: username?.shown ?? null,
    usernameKey: username?.key ?? null,
    displayName: parts.displayName ?? null,
    language: parts.language ?? null,
    record: parts.made?.record ?? null,
    isShort: parts.made?.isShort ?? false,
    passkey: parts.passkey ?? null,
    filledIn: parts.filledIn ?? {},
    browserHash: parts.browserHash,
    createdAt: now,
    expiresAt: new Date(now.getTime() + parts.life),
  };
}

/**
 * Makes the account, its address proved, in the transaction that spends the link; whatever else waited for the address
 * goes.
 * @param passwordRecord `null`: it has no password. @param passkey the one from the registration, if it counts.
 * @returns the account, and the recovery codes that came with a passkey.
 * @throws ProblemReply `address-taken` if somebody else got address or username meanwhile.
 */
export async function completeRegistration(
  context: Pick<ServiceContext, "clock" | "configuration" | "sealingKeys">,
  manager: EntityManager,
  {
    registration,
    passwordRecord,
    passkey,
    visit,
  }: {
    registration: RegistrationRow;
    passwordRecord: NewRecord | null;
    passkey: StoredPasskey | null;
    visit: RequestOrigin;
  },
): Promise<{ account: AccountRow; recoveryCodes: string[] | null }> {
  const { clock } = context;
  const now = clock.now();
  const { email, emailKey, username, usernameKey } = registration;
  const account = newAccount(now, {
    email: { shown: email, key: emailKey as IdentifierKey<"email"> },
    username:
      username === null || usernameKey === null
        ? null
        : { shown: username, key: usernameKey as IdentifierKey<"username"> },
    displayName: registration.displayName,
    language: registration.language,
    emailVerifiedAt: now,
    registrationBrowserHash: registration.browserHash,
    userHandle: passkey === null ? null : userHandleOf(passkey),
    ...registration.filledIn,
  });
  let granted: Granted;
  try {
    granted = await insertAccount(manager, account);
  } catch (error) {
    const isTaken = ["account_email", "account_username", "account_reference"].some((key) =>
      isDuplicateOf(error, key),
    );
    throw isTaken ? new ProblemReply("address-taken") : error;
  }
  if (passwordRecord !== null) {
    const { createdAt: setAt } = registration;
    await insertRecord(granted, { accountId: account.id, made: passwordRecord, setAt });
  }
  const recoveryCodes =
    passkey === null
      ? null
      : await settlePasskey(context, granted, { accountId: account.id, stored: passkey });
  await deleteRegistrationsOf(manager, emailKey);
  const registered = { kind: "account.registered", accountId: account.id } as const;
  await record(context, manager, { event: registered, visit, now });
  await record(context, manager, { event: { kind: "email.verified", accountId: account.id }, visit, now });
  return { account, recoveryCodes };
}

/** What the application filled in, where it goes. */
export function fillIn(
  { displayName }: Pick<RegistrationRow, "displayName">,
  { displayName: filledName, labels, reference }: FilledIn,
): Pick<RegistrationRow, "displayName" | "filledIn"> {
  return {
    displayName: filledName === undefined ? displayName : filledName,
    filledIn: {
      ...(labels === undefined ? {} : { labels: [...labels] }),
      ...(reference === undefined || reference === null ? {} : { reference }),
    },
  };
}

/** The application is asked before a registration that waited becomes an account whose address is proved. @throws ProblemReply `refused-by-application`, `application-unresponsive`. */
export async function consulted(
  context: ServiceContext,
  registration: RegistrationRow,
  visit: RequestOrigin,
): Promise<RegistrationRow> {
  const { email, username, displayName } = registration;
  const facts = { reference: null, email, emailVerified: true, username, displayName, labels: [] };
  const question = { type: "account.create", by: "person", account: facts } as const;
  const filledIn = await consultOrRecord(context, question, visit);
  return { ...registration, ...fillIn(registration, filledIn) };
}
