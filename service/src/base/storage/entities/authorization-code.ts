import { EntitySchema } from "typeorm";

/** A one-time code on its way from the authorization endpoint to an app's server (RFC 6749 section 4.1.2). */
export interface AuthorizationCodeRow {
  codeHash: Buffer;
  appId: string;
  sessionId: string;
  redirectUri: string;
  codeChallenge: string;
  createdAt: Date;
  expiresAt: Date;
  spentAt: Date | null;
}

export const AuthorizationCodeEntity = new EntitySchema<AuthorizationCodeRow>({
  name: "authorization_code",
  columns: {
    codeHash: { type: "binary", length: 32, primary: true },
    appId: { type: "uuid" },
    sessionId: { type: "uuid" },
    redirectUri: { type: "varchar", length: 500 },
    codeChallenge: { type: "char", length: 43, charset: "ascii", collation: "ascii_bin" },
    createdAt: { type: "datetime", precision: 3 },
    expiresAt: { type: "datetime", precision: 3 },
    spentAt: { type: "datetime", precision: 3, nullable: true },
  },
  indices: [
    { name: "authorization_code_expiry", columns: ["expiresAt"] },
    { name: "authorization_code_challenge", columns: ["codeChallenge"] },
  ],
  foreignKeys: [
    {
      name: "authorization_code_app",
      target: "app",
      columnNames: ["appId"],
      referencedColumnNames: ["id"],
      onDelete: "CASCADE",
    },
    {
      name: "authorization_code_session",
      target: "session",
      columnNames: ["sessionId"],
      referencedColumnNames: ["id"],
      onDelete: "CASCADE",
    },
  ],
});
