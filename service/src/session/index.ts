import type { Capability } from "../capability.ts";
import { sessionRoutes } from "./routes.ts";
import { sweepSessions } from "./store.ts";

export const sessions: Capability = {
  routes: ({ context }) => sessionRoutes(context),
  sweeps: [
    {
      what: "sessions that have ended",
      keepFor: ({ sessions: { keepEnded } }) => keepEnded,
      run: sweepSessions,
    },
  ],
  background: ({ lastSeen }) => lastSeen,
};
