import type { PasskeyPurpose } from "@lucchetto/contract";
import { EntitySchema } from "typeorm";

/** A challenge that an authenticator answers once, for what and where it was issued. */
export interface PasskeyChallengeRow {
  id: string;
  challenge: Buffer;
  purpose: PasskeyPurpose;
  /** Whose passkey answers; `null`: whoever has one. */
  accountId: string | null;
  /** The sign-in in progress in which it was issued. */
  signInId: string | null;
  /** SHA-256 of the mark of the browser. */
  browserHash: Buffer | null;
  /** The app with forms of its own in which it was issued. */
  appId: string | null;
  /** Of the account to be, when it registers. */
  userHandle: Buffer | null;
  /** The credential ids that may answer, in base64url; `null`: any. */
  allowed: string[] | null;
  /** Whether the passkey stands alone: the person is verified by it. */
  standsAlone: boolean;
  createdAt: Date;
  expiresAt: Date;
  spentAt: Date | null;
}

export const PasskeyChallengeEntity = new EntitySchema<PasskeyChallengeRow>({
  name: "passkey_challenge",
  columns: {
    id: { type: "uuid", primary: true },
    challenge: { type: "binary", length: 32 },
    purpose: { type: "varchar", length: 16, charset: "ascii", collation: "ascii_bin" },
    accountId: { type: "uuid", nullable: true },
    signInId: { type: "uuid", nullable: true },
    browserHash: { type: "binary", length: 32, nullable: true },
    appId: { type: "uuid", nullable: true },
    userHandle: { type: "binary", length: 32, nullable: true },
    allowed: { type: "json", nullable: true },
    standsAlone: { type: "boolean" },
    createdAt: { type: "datetime", precision: 3 },
    expiresAt: { type: "datetime", precision: 3 },
    spentAt: { type: "datetime", precision: 3, nullable: true },
  },
  indices: [{ name: "passkey_challenge_expires", columns: ["expiresAt"] }],
});
