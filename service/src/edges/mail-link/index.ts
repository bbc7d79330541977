import { DAY } from "../../base/duration.ts";
import { resumeAbandonedRequests, sweepAsked } from "../../flows/mail-link/mail-requests.ts";
import { sweepHeld } from "../../records/account/held.ts";
import { sweepLinks } from "../../records/mail-link/store.ts";
import type { Capability } from "../capability/capability.ts";
import { mailLinkRoutes } from "./routes.ts";

export const mailLinks: Capability = {
  routes: ({ context }) => mailLinkRoutes(context),
  background: resumeAbandonedRequests,
  // A day beyond its life a link still says why it does nothing.
  sweeps: [
    { what: "links that were asked for and could not be sent", keepFor: () => DAY, run: sweepAsked },
    { what: "links that have expired", keepFor: () => DAY, run: sweepLinks },
    { what: "addresses that were held for their former owner", keepFor: () => DAY, run: sweepHeld("email") },
    {
      what: "usernames that were held for their former owner",
      keepFor: () => DAY,
      run: sweepHeld("username"),
    },
  ],
};
