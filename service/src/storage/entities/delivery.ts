import { EntitySchema } from "typeorm";

/** A notice to the application. Its id is the message's `webhook-id`, the same at every try. */
export interface DeliveryRow {
  id: string;
  type: string;
  accountId: string | null;
  body: string;
  state: "waiting" | "delivered" | "given-up";
  tries: number;
  createdAt: Date;
  nextTryAt: Date;
  /** Until then one instance alone sends it. */
  claimedUntil: Date | null;
  lastTryAt: Date | null;
  lastAnswer: string | null;
}

export const DeliveryEntity = new EntitySchema<DeliveryRow>({
  name: "delivery",
  columns: {
    id: { type: "uuid", primary: true },
    type: { type: "varchar", length: 60, charset: "ascii", collation: "ascii_bin" },
    accountId: { type: "uuid", nullable: true },
    body: { type: "text" },
    state: { type: "varchar", length: 12, charset: "ascii", collation: "ascii_bin" },
    tries: { type: "int" },
    createdAt: { type: "datetime", precision: 3 },
    nextTryAt: { type: "datetime", precision: 3 },
    claimedUntil: { type: "datetime", precision: 3, nullable: true },
    lastTryAt: { type: "datetime", precision: 3, nullable: true },
    lastAnswer: { type: "varchar", length: 190, nullable: true },
  },
  indices: [{ name: "delivery_due", columns: ["state", "nextTryAt"] }],
});
