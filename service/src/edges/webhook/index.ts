import { DAY } from "../../base/duration.ts";
import { sweepSettled } from "../../records/webhook/store.ts";
import type { Capability } from "../capability/capability.ts";
import { startDelivering } from "./deliver.ts";
import { webhookRoutes } from "./routes.ts";

export const webhooks: Capability = {
  routes: ({ context }) => webhookRoutes(context),
  // How long notices can be looked at, by how they ended.
  sweeps: [
    {
      what: "notices that were delivered",
      keepFor: () => 7 * DAY,
      run: (dataSource, before) => sweepSettled(dataSource, "delivered", before),
    },
    {
      what: "notices that were given up",
      keepFor: () => 30 * DAY,
      run: (dataSource, before) => sweepSettled(dataSource, "given-up", before),
    },
  ],
  background: startDelivering,
};
