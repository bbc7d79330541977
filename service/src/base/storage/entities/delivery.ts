import { EntitySchema } from "typeorm";
import type { QueuedRow } from "./queued.ts";
import { QUEUED_COLUMNS } from "./queued.ts";

/** A notice to the application. Its id is the message's `webhook-id`, the same at every try. */
export interface DeliveryRow extends QueuedRow {
  type: string;
  accountId: string | null;
  body: string;
  state: "waiting" | "delivered" | "given-up";
  createdAt: Date;
}

export const DeliveryEntity = new EntitySchema<DeliveryRow>({
  name: "delivery",
  columns: {
    id: { type: "uuid", primary: true },
    type: { type: "varchar", length: 60, charset: "ascii", collation: "ascii_bin" },
    accountId: { type: "uuid", nullable: true },
    body: { type: "text" },
    ...QUEUED_COLUMNS,
    createdAt: { type: "datetime", precision: 3 },
  },
  indices: [
    { name: "delivery_due", columns: ["state", "nextTryAt"] },
    { name: "delivery_claim", columns: ["claim"] },
    { name: "delivery_created", columns: ["state", "createdAt"] },
  ],
});
