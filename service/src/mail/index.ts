import type { Capability } from "../capability.ts";
import { DAY } from "../duration.ts";
import { startSending } from "./outbox.ts";
import { mailRoutes } from "./routes.ts";
import { sweepMails } from "./store.ts";

export const mail: Capability = {
  routes: ({ context }) => mailRoutes(context),
  sweeps: [{ what: "mails", keepFor: () => 30 * DAY, run: sweepMails }],
  background: startSending,
};
