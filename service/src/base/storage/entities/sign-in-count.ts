import { EntitySchema } from "typeorm";

/** How many signed in on a day (UTC, `2026-05-01`) in which way. */
export interface SignInCountRow {
  day: string;
  /** The proofs, in the order in which they were shown: `password totp`. */
  way: string;
  signIns: number;
}

export const SignInCountEntity = new EntitySchema<SignInCountRow>({
  name: "sign_in_count",
  columns: {
    day: { type: "date", primary: true },
    way: { type: "varchar", length: 100, charset: "ascii", collation: "ascii_bin", primary: true },
    signIns: { type: "int" },
  },
});
