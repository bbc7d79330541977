import type { Capability } from "../capability.ts";
import { DAY } from "../duration.ts";
import { passkeyRoutes } from "./routes.ts";
import { sweepChallenges } from "./store.ts";

export const passkeys: Capability = {
  routes: ({ context }) => passkeyRoutes(context),
  sweeps: [{ what: "challenges for passkeys", keepFor: () => DAY, run: sweepChallenges }],
};
