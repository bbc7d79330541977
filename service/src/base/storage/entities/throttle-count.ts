import type { ThrottleKind } from "@lucchetto/core";
import { EntitySchema } from "typeorm";

/**
 * Failures counted against an account, a network or a typed name. `id` is a hash of kind and subject; of a name a keyed
 * one, since people type their passwords there. `subject` of a name is the account that has it, never the name.
 */
export interface ThrottleCountRow {
  id: Buffer;
  kind: ThrottleKind;
  subject: string | null;
  failures: number;
  waitUntil: Date;
  windowBeganAt: Date;
  changedAt: Date;
}

export const ThrottleCountEntity = new EntitySchema<ThrottleCountRow>({
  name: "throttle_count",
  columns: {
    id: { type: "binary", length: 32, primary: true },
    kind: { type: "varchar", length: 24, charset: "ascii", collation: "ascii_bin" },
    subject: { type: "varchar", length: 49, nullable: true },
    failures: { type: "int" },
    waitUntil: { type: "datetime", precision: 3 },
    windowBeganAt: { type: "datetime", precision: 3 },
    changedAt: { type: "datetime", precision: 3 },
  },
  indices: [{ name: "throttle_count_changed", columns: ["kind", "changedAt"] }],
});
