/** The row of a new account, with what is not said left empty. */
import type { AccountState, Identifier, Language } from "@lucchetto/core";
import type { AccountRow } from "../../base/storage/index.ts";
import { newId } from "../../base/storage/index.ts";

interface NewAccount {
  readonly email: Identifier<"email"> | null;
  readonly username?: Identifier<"username"> | null;
  readonly displayName: string | null;
  readonly labels?: readonly string[];
  readonly reference?: string | null;
  readonly emailVerifiedAt?: Date | null;
  readonly mustChangePassword?: boolean;
  readonly state?: AccountState;
  readonly language?: Language | null;
  readonly registrationBrowserHash?: Buffer | null;
  /** Somebody registers for themselves, unless it is said otherwise. */
  readonly isOpenlyRegistered?: boolean;
  readonly firstPasswordUntil?: Date | null;
  readonly userHandle?: Buffer | null;
}

/** @param now also what the id begins with. */
export function newAccount(now: Date, parts: NewAccount): AccountRow {
  const { email, username } = parts;
  return {
    id: newId(now),
    reference: parts.reference ?? null,
    email: email?.shown ?? null,
    emailKey: email?.key ?? null,
    emailVerifiedAt: parts.emailVerifiedAt ?? null,
    username: username?.shown ?? null,
    usernameKey: username?.key ?? null,
    displayName: parts.displayName,
    state: parts.state ?? "active",
    labels: [...(parts.labels ?? [])],
    createdAt: now,
    mustChangePassword: parts.mustChangePassword ?? false,
    lastSignInAt: null,
    language: parts.language ?? null,
    registrationBrowserHash: parts.registrationBrowserHash ?? null,
    isOpenlyRegistered: parts.isOpenlyRegistered ?? true,
    isAddressCorrected: false,
    firstPasswordUntil: parts.firstPasswordUntil ?? null,
    wantsMailedProof: false,
    eraseAt: null,
    userHandle: parts.userHandle ?? null,
    // What came with it stood from now on, however old the address is elsewhere.
    firstProvedAt: (parts.emailVerifiedAt ?? null) === null ? null : now,
    emailSetAt: null,
    usernameSetAt: null,
    suspendedBy: null,
  };
}
