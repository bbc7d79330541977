/** Adding an account for somebody else. */
import type { CallOf, FieldError, OperatorAccount, routes } from "@lucchetto/contract";
import { fieldError } from "@lucchetto/contract";
import { OPERATOR_LABEL } from "@lucchetto/core";
import type { ProblemReply } from "../../base/problem.ts";
import { fieldProblem } from "../../base/problem.ts";
import { isDuplicateOf } from "../../base/storage/index.ts";
import { showToOperator } from "../../records/account/show.ts";
import { firstPassword, insertAccount } from "../../records/account/store.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import type { Actor } from "../../records/granting/actor.ts";
import { askerOf, changeAs, inJournal } from "../../records/granting/actor.ts";
import { readersOfNew, recordAndTell } from "../../records/journal/mails.ts";
import { addresseeOf } from "../../records/mail/owner.ts";
import { findRecord, insertRecord } from "../../records/password/store.ts";
import { countMailByApp } from "../../records/throttle/throttle.ts";
import { sendLink } from "../mail-link/send.ts";
import { judge, makeRecordOf } from "../password/password.ts";
import { consultAbout } from "./consult.ts";
import { readIdentifiers } from "./fields.ts";
import { newAccount } from "./new-account.ts";

type Addition = CallOf<typeof routes.addAccount>["body"];

/**
 * Adds one. Whoever knows its first password is not its owner: a new one is wanted at the first sign-in, unless said otherwise.
 * @throws ProblemReply `invalid-fields`, `identifier-taken`, `refused-by-application`, `application-unresponsive`, `too-busy`.
 */
export async function addAccount(
  context: ServiceContext,
  actor: Actor,
  addition: Addition,
  visit: RequestOrigin,
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
  if ("app" in actor && email !== null && context.configuration.verifyEmail === "required")
    await countMailByApp(context, email.key);
  const filledIn = await consultAbout(context, actor, { type: "account.create", account: facts }, visit);
  const made = verdict === null ? null : await makeRecordOf(context, verdict, askerOf(actor, visit));
  const now = context.clock.now();
  const mustChangePassword = made !== null && (addition.mustChangePassword ?? true);
  const account = newAccount(now, {
    email,
    username,
    displayName,
    reference,
    labels,
    ...(mustChangePassword ? firstPassword(now) : {}),
    isOpenlyRegistered: false,
    ...filledIn,
  });
  try {
    await changeAs(
      context,
      actor,
      async ({ manager }) => {
        await insertAccount(manager, account);
        if (made !== null) await insertRecord(manager, { accountId: account.id, made, setAt: now });
        const event = {
          kind: "account.registered",
          accountId: account.id,
          ...inJournal(actor),
        } as const;
        const readers = readersOfNew(account, actor);
        await recordAndTell(context, manager, { event, readers, visit, now });
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
      },
      { tells: account.labels.includes(OPERATOR_LABEL) },
    );
  } catch (error) {
    throw takenProblem(error);
  }
  const stored = await findRecord(context.dataSource, account.id);
  return showToOperator(account, stored?.scheme ?? null);
}

/** A duplicate key as the field it stands in; any other error as it is. */
export function takenProblem(error: unknown): unknown {
  if (isDuplicateOf(error, "account_email")) return emailTaken();
  for (const path of ["username", "reference"] as const) {
    if (isDuplicateOf(error, `account_${path}`))
      return fieldProblem([fieldError(path, `${path}-taken`)], "identifier-taken");
  }
  return error;
}

/** For whoever acts for somebody else: it is not they who might sign in instead. */
export function emailTaken(): ProblemReply {
  return fieldProblem([fieldError("email", "email-has-account")], "identifier-taken");
}
