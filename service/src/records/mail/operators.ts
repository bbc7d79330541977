/** Notifies all other operators of critical changes, in the same transaction. */
import type { EntityManager } from "typeorm";
import type { OperatorNews } from "../../base/mail-text/words.ts";
import type { AccountFacts, AccountRow } from "../../base/storage/index.ts";
import type { RequestOrigin } from "../context.ts";
import { listOperators } from "../operator/store.ts";
import type { Addressee, MailNeeds } from "./mail.ts";
import { writeMail } from "./mail.ts";
import { addresseeOf } from "./owner.ts";

/** An account, as far as a mail names it. */
export type Named = Pick<AccountFacts, "id" | "email" | "username" | "displayName">;

interface News {
  readonly what: OperatorNews;
  /** Whose account it is about; or the name of what was added. */
  readonly about: Named | string;
  /** Who did it; a command: whoever runs the service, on its machine. */
  readonly by: Named | string;
  readonly reason: string | null;
  readonly visit: RequestOrigin;
}

/** Tells them. Whoever did it is not told; nor who is not active. */
export async function mailOtherOperators(
  context: MailNeeds,
  manager: EntityManager,
  { what, about, by, reason, visit }: News,
): Promise<void> {
  for (const operator of await listOperators(manager)) {
    // Whom it is about hears of it in mails of their own, or knows.
    const isByCommand = typeof by === "string";
    const isAbout = typeof about !== "string" && about.id === operator.id && !isByCommand;
    if ((!isByCommand && operator.id === by.id) || isAbout || operator.state !== "active") continue;
    const to = addressOf(operator);
    if (to === null) continue;
    const news = { what, by: isByCommand ? by : nameOf(by), reason };
    const account = typeof about === "string" ? about : nameOf(about);
    await writeMail(context, manager, { name: "operators-told", to, about: { visit, account, news } });
  }
}

function addressOf(operator: AccountRow): Addressee | null {
  const { email } = operator;
  return email === null ? null : addresseeOf({ ...operator, email });
}

function nameOf({ id, email, username, displayName }: Named): string {
  return email ?? username ?? displayName ?? id;
}
