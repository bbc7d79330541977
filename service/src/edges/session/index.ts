import { sweepSessions } from "../../records/session/store.ts";
import type { Capability } from "../capability/capability.ts";
import { sessionRoutes } from "./routes.ts";

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
