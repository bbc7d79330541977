/** What an app learns of a person, however they came: by a session or by an access key. */
import type { ActiveIntrospection } from "@lucchetto/contract";
import type { AccountFacts } from "../../base/storage/index.ts";

/** The members of an introspection that speak of the account (RFC 7662 section 2.2); its labels are another matter. */
export function claimsOf(
  account: Pick<AccountFacts, "id" | "reference" | "email" | "emailVerifiedAt" | "username" | "displayName">,
): Pick<ActiveIntrospection, "sub" | "reference" | "username" | "email" | "email_verified" | "name"> {
  return {
    sub: account.id,
    reference: account.reference,
    username: account.username,
    email: account.email,
    email_verified: account.emailVerifiedAt !== null,
    name: account.displayName,
  };
}
