/** Mails about events: which one each kind means to the account's owner and to the operators. Each waits in the event's own transaction. */
import type { JournalKind } from "@lucchetto/core";
import { OPERATOR_LABEL } from "@lucchetto/core";
import type { EntityManager } from "typeorm";
import type { OperatorNews } from "../../base/mail-text/words.ts";
import type { AccountFacts } from "../../base/storage/index.ts";
import type { Actor } from "../granting/actor.ts";
import type { MailNeeds } from "../mail/mail.ts";
import type { Named } from "../mail/operators.ts";
import { mailOtherOperators } from "../mail/operators.ts";
import type { OwnerMail } from "../mail/owner.ts";
import { mailOwner } from "../mail/owner.ts";
import type { Happening } from "./journal.ts";
import { record } from "./journal.ts";

/** What its owner reads. A sign-in is news only from a new place, a change of the account only if it wants a new password. */
const TO_OWNER: Partial<Record<JournalKind, OwnerMail>> = {
  "sign-in.completed": "new-sign-in",
  "account.changed": "new-password-wanted",
  "account.invitation-accepted": "invitation-accepted",
  "account.set-up-removed": "set-up-removed",
  "account.reopened": "account-reopened",
  "password.changed": "password-changed",
  "password.reset": "password-reset",
  "password.removed": "password-removed",
  "password.first-given": "first-password-given",
  "email.change-undone": "email-restored",
  "second-factor.change-undone": "second-factor-restored",
  "access-key.made": "access-key-made",
  "recovery-code.used": "recovery-code-used",
};

/** What the operators read. */
const TO_OPERATORS: Partial<Record<JournalKind, OperatorNews>> = {
  "account.registered": "operator-given",
  "account.invited": "operator-given",
  "second-factor.removed-by-operator": "factor-removed",
  "email.corrected": "email-corrected",
  "password.first-given": "first-password",
  "operator.rescued": "rescue",
  "totp.imported": "factors-imported",
  "intake.recipe-corrected": "recipe-corrected",
  "accounts.exported": "accounts-exported",
  "app.added": "app-with-rights",
  "app.changed": "app-with-rights",
  "app.key-added": "app-with-rights",
};

/** Who reads of an event, where anybody does. */
export interface Readers {
  /** The account as its owner knows it; without an address nobody is told. */
  readonly owner?: AccountFacts | undefined;
  /** Recovery codes that are left. */
  readonly left?: number;
  /** All operators but who did it. `what`: where the kind alone does not say it. */
  readonly operators?:
    | { readonly about: Named | string; readonly by: Named | string; readonly what?: OperatorNews }
    | undefined;
}

/** What the operators are told of an account that is theirs from the first; of others nothing. */
export function readersOfNew(account: AccountFacts, actor: Actor): Readers {
  return "operator" in actor && account.labels.includes(OPERATOR_LABEL)
    ? { operators: { about: account, by: actor.operator.account } }
    : {};
}

/** Kinds whose reason is an operator's own sentence. */
const OPERATORS_READ_WHY: ReadonlySet<JournalKind> = new Set([
  "second-factor.removed-by-operator",
  "email.corrected",
  "password.first-given",
] satisfies JournalKind[]);

/** Records an event, and writes the mails about it. @param manager the transaction of its cause. */
export async function recordAndTell(
  context: MailNeeds,
  manager: EntityManager,
  { readers, ...happening }: Happening & { readers: Readers },
): Promise<void> {
  await record(context, manager, happening);
  const { owner, left, operators } = readers;
  const { event, visit } = happening;
  const name = TO_OWNER[event.kind];
  if (owner !== undefined && name !== undefined)
    await mailOwner(context, manager, {
      name,
      account: owner,
      visit,
      ...(left === undefined ? {} : { left }),
    });
  const what = operators?.what ?? TO_OPERATORS[event.kind];
  if (operators === undefined || what === undefined) return;
  const reason = OPERATORS_READ_WHY.has(event.kind) ? (event.reason ?? null) : null;
  await mailOtherOperators(context, manager, { ...operators, what, reason, visit });
}
