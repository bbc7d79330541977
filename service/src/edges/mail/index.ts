import { DAY } from "../../base/duration.ts";
import { sweepMails } from "../../records/mail/store.ts";
import type { Capability } from "../capability/capability.ts";
import { startSending } from "./outbox.ts";
import { mailRoutes } from "./routes.ts";

export const mail: Capability = {
  routes: ({ context }) => mailRoutes(context),
  sweeps: [{ what: "mails", keepFor: () => 30 * DAY, run: sweepMails }],
  background: startSending,
};
