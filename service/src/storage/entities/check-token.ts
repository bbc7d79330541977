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
    codeHash: { type: "binary", length: 32, unique: true },
    appId: { type: "uuid" },
    sessionId: { type: "uuid" },
    createdAt: { type: "datetime", precision: 3 },
    endedAt: { type: "datetime", precision: 3, nullable: true },
  },
  indices: [
    { name: "check_token_of_session", columns: ["sessionId"] },
    { name: "check_token_of_app", columns: ["appId"] },
  ],
});
