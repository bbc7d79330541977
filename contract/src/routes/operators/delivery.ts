import { z } from "zod";
import { defineRoute } from "../../route.ts";
import { DELIVERY_STATES, delivery } from "../../shapes/operators.ts";
import { id, listOf, page } from "../../text.ts";

export const listDeliveries = defineRoute({
  name: "listDeliveries",
  method: "GET",
  path: "/v1/operator/deliveries",
  summary: "Notices to the application, newest first, with their tries",
  access: "operator",
  query: z.strictObject({
    state: z.enum(DELIVERY_STATES).optional(),
    ...page,
  }),
  replies: { 200: listOf(delivery) },
});

export const repeatDelivery = defineRoute({
  name: "repeatDelivery",
  method: "POST",
  path: "/v1/operator/deliveries/:id/repeat",
  summary: "Send a notice again, at once",
  access: "operator",
  params: z.strictObject({ id }),
  replies: { 202: delivery },
});
