/** Notices: the owner is told of every change that somebody else could have made. They carry no secret. */
import type { EntityManager } from "typeorm";
import type { ServiceContext, Visit } from "../context.ts";
import type { AccountFacts } from "../storage/index.ts";
import type { MailName } from "./catalogue.ts";
import type { Addressee } from "./mail.ts";
import { writeMail } from "./mail.ts";

/** Whom a mail about an account, or about a registration, goes to. */
export function addresseeOf({
  id,
  email,
  displayName,
  username,
  language,
}: Pick<AccountFacts, "id" | "displayName" | "username" | "language"> & { email: string }): Addressee {
  return { to: email, accountId: id, name: displayName ?? username, language };
}

type Notice = Extract<
  MailName,
  "password-changed" | "password-reset" | "new-sign-in" | "invitation-accepted" | "email-restored"
>;

/** Tells the owner, if there is an address; in the transaction of what happened. */
export async function tellOwner(
  context: ServiceContext,
  manager: EntityManager,
  { name, account, visit }: { name: Notice; account: AccountFacts; visit: Visit },
): Promise<void> {
  const { email } = account;
  if (email === null) return;
  const to = addresseeOf({ ...account, email });
  // A page without a secret: whoever reads an old mail gets no further than anybody else.
  const link = `${context.configuration.publicUrl}/forgot`;
  await writeMail(context, manager, { name, to, about: { visit, link } });
}
