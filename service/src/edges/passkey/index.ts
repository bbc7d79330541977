import { DAY } from "../../base/duration.ts";
import { sweepChallenges } from "../../records/passkey/store.ts";
import type { Capability } from "../capability/capability.ts";
import { passkeyRoutes } from "./routes.ts";

export const passkeys: Capability = {
  routes: ({ context }) => passkeyRoutes(context),
  sweeps: [{ what: "challenges for passkeys", keepFor: () => DAY, run: sweepChallenges }],
};
