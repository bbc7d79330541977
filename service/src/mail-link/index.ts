import { sweepHeld } from "../account/held.ts";
import type { Capability } from "../capability.ts";
import { DAY } from "../duration.ts";
import { doLeftAsks, sweepAsked } from "./asked.ts";
import { mailLinkRoutes } from "./routes.ts";
import { sweepLinks } from "./store.ts";

export const mailLinks: Capability = {
  routes: ({ context }) => mailLinkRoutes(context),
  background: doLeftAsks,
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
