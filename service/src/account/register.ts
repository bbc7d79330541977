/** Registering an account: fields judged, password hashed, and all of it stored in one transaction or not at all. */
import type { CallOf, routes } from "@lucchetto/contract";
import type { ServiceContext, Visit } from "../context.ts";
import { fieldProblem } from "../http/problem.ts";
import { record } from "../journal/journal.ts";
import { judge } from "../password/password.ts";
import { insertRecord } from "../password/store.ts";
import type { BegunSession } from "../session/session.ts";
import { beginSession } from "../session/session.ts";
import type { LiveSession } from "../session/store.ts";
import type { AccountRow } from "../storage/index.ts";
import { inTransaction, isDuplicateOf } from "../storage/index.ts";
import { countRegistration } from "../throttle/throttle.ts";
import { consultOrRecord } from "./consult.ts";
import type { FieldError } from "./fields.ts";
import { readIdentifiers, TAKEN } from "./fields.ts";
import { newAccount } from "./new-account.ts";
import { findTaken, insertAccount } from "./store.ts";

/** What the form holds. */
export type Registration = Omit<CallOf<typeof routes.register>["body"], "deliver">;

/** `check-mail` is the one answer of a site that does not tell which addresses are taken. */
export type RegistrationOutcome =
  { readonly outcome: "signed-in"; readonly begun: BegunSession } | { readonly outcome: "check-mail" };

/**
 * Registers.
 * @throws ProblemReply `invalid-fields`, `identifier-taken`, `refused-by-site`, `site-silent`, `throttled`, `too-busy`.
 */
export async function register(
  context: ServiceContext,
  registration: Registration,
  { visit, replaces }: { visit: Visit; replaces: LiveSession | null },
): Promise<RegistrationOutcome> {
  const { email, username, password } = await judgeFields(context, registration);
  // Counted before it costs anything, whatever comes of it.
  await countRegistration(context, visit.network);
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
  const passwordRecord = await context.hashing.make(password);
  const account = newAccount(context.clock.now(), { email, username, displayName, ...filledIn });
  // A private site says the same for a free and a taken address, so nobody is signed in by registering one.
  const tells = context.configuration.tellTaken || email === null;
  try {
    const begun = await inTransaction(context.dataSource, async (manager) => {
      const now = context.clock.now();
      await insertAccount(manager, account);
      await insertRecord(manager, { accountId: account.id, record: passwordRecord, setAt: now, madeAt: now });
      const event = { kind: "account.registered", accountId: account.id } as const;
      await record(manager, { event, visit, now });
      if (!tells) return null;
      const beginning = { account, kind: "ordinary", aal: 1, amr: ["pwd"], replaces } as const;
      return beginSession(context, manager, beginning, visit);
    });
    return begun === null ? { outcome: "check-mail" } : { outcome: "signed-in", begun };
  } catch (error) {
    if (!isDuplicateOf(error, "account_email") && !isDuplicateOf(error, "account_username")) throw error;
    return answerTaken(context, account, visit);
  }
}

/** All that is wrong with the form, told at once. */
async function judgeFields(context: ServiceContext, registration: Registration) {
  const errors: FieldError[] = [];
  const { email, username } = readIdentifiers(context.configuration, registration, errors);
  const verdict = await judge(context, registration.password, registration);
  if (!verdict.ok) errors.push({ path: "password", message: verdict.message });
  if (errors.length > 0 || !verdict.ok) throw fieldProblem(errors);
  return { email, username, password: verdict.text };
}

async function answerTaken(
  context: ServiceContext,
  { emailKey, usernameKey }: AccountRow,
  visit: Visit,
): Promise<RegistrationOutcome> {
  const { dataSource, clock, configuration } = context;
  const taken = await findTaken(dataSource, { emailKey, usernameKey });
  await inTransaction(dataSource, (manager) =>
    record(manager, {
      event: {
        kind: "account.registration-refused",
        outcome: "refused",
        reason: taken.username ? "username-taken" : "email-taken",
      },
      visit,
      now: clock.now(),
    }),
  );
  const errors: Array<{ path: string; message: string }> = [];
  if (taken.username) errors.push({ path: "username", message: TAKEN.username });
  if (taken.email && configuration.tellTaken) {
    errors.push({ path: "email", message: TAKEN.email });
  }
  if (errors.length > 0) throw fieldProblem(errors, "identifier-taken");
  return { outcome: "check-mail" };
}
