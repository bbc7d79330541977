/** Who is there, as an application sees them. */
import type { Account, ActiveIntrospection } from "@lucchetto/contract/apps";

/** Who is signed in, as the application's code sees them. */
export interface SignedInAccount {
  readonly id: string;
  /** The application's own id for the person. */
  readonly reference: string | null;
  readonly email: string | null;
  readonly emailVerified: boolean;
  readonly username: string | null;
  readonly displayName: string | null;
  readonly labels: readonly string[];
  /** Where people manage their account, at Lucchetto. */
  readonly accountPage: string;
  /** `null` for a script: it came with an access key, or with the person's password as HTTP Basic. */
  readonly session: {
    readonly id: string;
    readonly aal: 1 | 2;
    readonly amr: readonly string[];
    /** When a proof was shown last. */
    readonly authTime: Date;
    /** Seconds since then, by Lucchetto's clock, when it was asked. */
    readonly secondsSinceProof: number;
    readonly endsAt: Date;
  } | null;
  /** The access key that a script came with. */
  readonly accessKey: { readonly id: string } | null;
}

/** The page at which people manage their account. @param service Lucchetto's public address. */
const accountPageAt = (service: string): string => `${service}/account`;

/** An introspection as an account. */
export function accountOf(who: ActiveIntrospection): SignedInAccount {
  const { sid, auth_time: authTime, exp, key_id: keyId } = who;
  const inSession = sid !== undefined && authTime !== undefined && exp !== undefined;
  return {
    id: who.sub,
    reference: who.reference,
    email: who.email,
    emailVerified: who.email_verified,
    username: who.username,
    displayName: who.name,
    labels: who.labels,
    accountPage: accountPageAt(who.iss),
    session: inSession
      ? {
          id: sid,
          aal: who.acr === "aal2" ? 2 : 1,
          amr: who.amr,
          authTime: new Date(authTime * 1_000),
          secondsSinceProof: who.checked_at - authTime,
          endsAt: new Date(exp * 1_000),
        }
      : null,
    accessKey: keyId === undefined ? null : { id: keyId },
  };
}

/** Somebody whose password came as HTTP Basic: known, but in no session. @param service Lucchetto's public address. */
export function accountWithoutSession(account: Account, service: string): SignedInAccount {
  const { id, reference, email, emailVerified, username, displayName, labels } = account;
  const shown = { id, reference, email, emailVerified, username, displayName };
  // A script never operates Lucchetto, whoever it acts for.
  return {
    ...shown,
    labels: labels.filter((label) => label !== "operator"),
    accountPage: accountPageAt(service),
    session: null,
    accessKey: null,
  };
}
