import { EntitySchema } from "typeorm";

/** A token by which one app asks who is there. It lives as long as its session, unless ended before. */
export interface CheckTokenRow {
  tokenHash: Buffer;
  /** The code it was given for; a code used again ends it. */
  codeHash: Buffer;
  appId: string;
  sessionId: string;
  createdAt: Date;
  endedAt: Date | null;
}

export const CheckTokenEntity = new EntitySchema<CheckTokenRow>({
  name: "check_token",
  columns: {
    tokenHash: { type: "binary", length: 32, primary: true },
    codeHash: { type: "binary", length: 32 },
    appId: { type: "uuid" },
    sessionId: { type: "uuid" },
    createdAt: { type: "datetime", precision: 3 },
    endedAt: { type: "datetime", precision: 3, nullable: true },
  },
  indices: [
    { name: "check_token_code", columns: ["codeHash"], unique: true },
    { name: "check_token_of_session", columns: ["sessionId"] },
    { name: "check_token_of_app", columns: ["appId"] },
  ],
  foreignKeys: [
    {
      name: "check_token_app",
      target: "app",
      columnNames: ["appId"],
      referencedColumnNames: ["id"],
      onDelete: "CASCADE",
    },
    {
      name: "check_token_session",
      target: "session",
      columnNames: ["sessionId"],
      referencedColumnNames: ["id"],
      onDelete: "CASCADE",
    },
  ],
});
