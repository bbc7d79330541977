import type { AccountState, Language } from "@lucchetto/core";
import { EntitySchema } from "typeorm";

/** A person known to the site. `emailKey` and `usernameKey` are the normal forms that are compared. */
export interface AccountRow {
  id: string;
  reference: string | null;
  email: string | null;
  emailKey: string | null;
  emailVerifiedAt: Date | null;
  username: string | null;
  usernameKey: string | null;
  displayName: string | null;
  state: AccountState;
  labels: string[];
  createdAt: Date;
  /** An operator wants a new password at the next sign-in. */
  mustChangePassword: boolean;
  lastSignInAt: Date | null;
  /** Of the mails to this person; `null`: the site's. */
  language: Language | null;
  /** SHA-256 of the mark of the browser that registered it. */
  registrationBrowserHash: Buffer | null;
  /** Somebody registered it for themselves; `false`: an operator made it, or corrected its address. */
  isOpenlyRegistered: boolean;
  /** An operator corrected the address, and nobody has proved it yet: the mailbox alone does not. */
  isAddressCorrected: boolean;
  /** Until then the first password that an operator gave is enough by itself. */
  firstPasswordUntil: Date | null;
  /** An operator removed the second factor: the next sign-in wants a mailed proof as well. */
  wantsMailedProof: boolean;
  /** Of a closed account: when its rows go. */
  eraseAt: Date | null;
  /** Random; by this alone an authenticator knows whose passkey it holds. */
  userHandle: Buffer | null;
  /** When an address of it was first proved. */
  firstProvedAt: Date | null;
  /** When address and username were last set, other than by an undoing. */
  emailSetAt: Date | null;
  usernameSetAt: Date | null;
  /** Who suspended it; `null`: nobody, or it was not noted. */
  suspendedBy: "operator" | "app" | null;
}

/** Who the account is, without what only a sign-in needs to know. */
export type AccountFacts = Omit<
  AccountRow,
  | "mustChangePassword"
  | "lastSignInAt"
  | "registrationBrowserHash"
  | "isOpenlyRegistered"
  | "isAddressCorrected"
  | "firstPasswordUntil"
  | "wantsMailedProof"
  | "eraseAt"
  | "userHandle"
  | "firstProvedAt"
  | "emailSetAt"
  | "usernameSetAt"
  | "suspendedBy"
>;

export const AccountEntity = new EntitySchema<AccountRow>({
  name: "account",
  columns: {
    id: { type: "uuid", primary: true },
    reference: { type: "varchar", length: 190, nullable: true },
    email: { type: "varchar", length: 254, nullable: true },
    emailKey: { type: "varchar", length: 254, nullable: true },
    emailVerifiedAt: { type: "datetime", precision: 3, nullable: true },
    username: { type: "varchar", length: 80, nullable: true },
    usernameKey: { type: "varchar", length: 80, nullable: true },
    displayName: { type: "varchar", length: 80, nullable: true },
    state: { type: "varchar", length: 12 },
    labels: { type: "json" },
    createdAt: { type: "datetime", precision: 3 },
    mustChangePassword: { type: "boolean", default: false },
    lastSignInAt: { type: "datetime", precision: 3, nullable: true },
    language: { type: "char", length: 2, charset: "ascii", collation: "ascii_bin", nullable: true },
    registrationBrowserHash: { type: "binary", length: 32, nullable: true },
    isOpenlyRegistered: { type: "boolean", default: true },
    isAddressCorrected: { type: "boolean", default: false },
    firstPasswordUntil: { type: "datetime", precision: 3, nullable: true },
    wantsMailedProof: { type: "boolean", default: false },
    eraseAt: { type: "datetime", precision: 3, nullable: true },
    userHandle: { type: "binary", length: 32, nullable: true },
    firstProvedAt: { type: "datetime", precision: 3, nullable: true },
    emailSetAt: { type: "datetime", precision: 3, nullable: true },
    usernameSetAt: { type: "datetime", precision: 3, nullable: true },
    suspendedBy: { type: "varchar", length: 12, charset: "ascii", collation: "ascii_bin", nullable: true },
  },
  indices: [
    { name: "account_reference", columns: ["reference"], unique: true },
    { name: "account_email", columns: ["emailKey"], unique: true },
    { name: "account_username", columns: ["usernameKey"], unique: true },
    { name: "account_erase_at", columns: ["eraseAt"] },
    { name: "account_user_handle", columns: ["userHandle"], unique: true },
  ],
});
