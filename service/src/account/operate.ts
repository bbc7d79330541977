/** What operators do with accounts: add one, and erase one. */
import type { CallOf, FieldError, OperatorAccount, routes } from "@lucchetto/contract";
import { fieldError } from "@lucchetto/contract";
import type { ServiceContext, Visit } from "../context.ts";
import { record } from "../journal/journal.ts";
import { addresseeOf } from "../mail/notices.ts";
import { sendLink } from "../mail-link/send.ts";
import { judge } from "../password/password.ts";
import { findRecord, insertRecord } from "../password/store.ts";
import { fieldProblem, ProblemReply } from "../problem.ts";
import type { LiveSession } from "../session/store.ts";
import { inTransaction, isDuplicateOf } from "../storage/index.ts";
import { clearCountsOf } from "../throttle/throttle.ts";
import { consultOrRecord } from "./consult.ts";
import { readIdentifiers } from "./fields.ts";
import { newAccount } from "./new-account.ts";
import { showToOperator } from "./show.ts";
import { deleteAccount, findAccount, insertAccount, lockAccount } from "./store.ts";

type Addition = CallOf<typeof routes.addAccount>["body"];

/**
 * Adds one. Whoever knows its first password is not its owner: a new one is wanted at the first sign-in, unless said otherwise.
 * @throws ProblemReply `invalid-fields`, `identifier-taken`, `refused-by-site`, `site-silent`, `too-busy`.
 */
export async function addAccount(
  context: ServiceContext,
  operator: LiveSession,
  addition: Addition,
  visit: Visit,
): Promise<OperatorAccount> {
  const errors: FieldError[] = [];
  const { email, username } = readIdentifiers(context.configuration, addition, errors);
  const { displayName = null, labels = [], reference = null, password } = addition;
  const verdict = password === undefined ? null : await judge(context, password, addition);
  if (verdict?.ok === false) errors.push(fieldError("password", verdict.code, verdict.parameters));
  if (errors.length > 0 || verdict?.ok === false) throw fieldProblem(errors);

  const facts = {
    reference,
    email: email?.shown ?? null,
    username: username?.shown ?? null,
    displayName,
    labels: [...labels],
  };
  const filledIn = await consultOrRecord(
    context,
    { type: "account.create", by: "operator", account: facts },
    visit,
  );
  const made = verdict === null ? null : await context.hashing.make(verdict.text);
  const account = newAccount(context.clock.now(), {
    email,
    username,
    displayName,
    reference,
    labels,
    mustChangePassword: made !== null && (addition.mustChangePassword ?? true),
    ...filledIn,
  });
  try {
    await inTransaction(context.dataSource, async (manager) => {
      const now = context.clock.now();
      await insertAccount(manager, account);
      if (made !== null)
        await insertRecord(manager, { accountId: account.id, record: made, setAt: now, madeAt: now });
      const event = {
        kind: "account.registered",
        accountId: account.id,
        actorId: operator.account.id,
      } as const;
      await record(manager, { event, visit, now });
      // Nobody signs in before the address is proved, so the link for it comes at once.
      if (email !== null && context.configuration.verifyEmail === "required")
        await sendLink(context, manager, {
          purpose: "verify",
          to: addresseeOf({ ...account, email: email.shown }),
          emailKey: email.key,
          browserHash: null,
          visit,
          isWithinLimit: true,
        });
    });
  } catch (error) {
    throw takenProblem(error);
  }
  const stored = await findRecord(context.dataSource, account.id);
  return showToOperator(account, stored?.scheme ?? null);
}

/** A duplicate key as the field it stands in; any other error as it is. */
export function takenProblem(error: unknown): unknown {
  for (const path of ["email", "username", "reference"] as const) {
    if (isDuplicateOf(error, `account_${path}`))
      return fieldProblem([fieldError(path, `${path}-taken`)], "identifier-taken");
  }
  return error;
}

/**
 * Erases one: every row of it goes, and its sessions with them. The journal keeps what happened under an id that names
 * nobody any more.
 * @throws ProblemReply `not-found`, `invalid-fields` for one's own account, `refused-by-site`, `site-silent`.
 */
export async function eraseAccount(
  context: ServiceContext,
  operator: LiveSession,
  id: string,
  visit: Visit,
): Promise<void> {
  const account = await findAccount(context.dataSource, id);
  if (account === null) throw new ProblemReply("not-found");
  if (id === operator.account.id) throw fieldProblem([fieldError("id", "own-account-erased")]);
  await consultOrRecord(context, { type: "account.erase", by: "operator", account }, visit);
  await inTransaction(context.dataSource, async (manager) => {
    if ((await lockAccount(manager, id)) === null) throw new ProblemReply("not-found");
    // Recorded first: the notice of it still carries the application's reference.
    const event = { kind: "account.erased", accountId: id, actorId: operator.account.id } as const;
    await record(manager, { event, visit, now: context.clock.now() });
    await clearCountsOf(context, manager, id);
    await deleteAccount(manager, id);
  });
}
