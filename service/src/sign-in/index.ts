import type { Capability } from "../capability.ts";
import { DAY } from "../capability.ts";
import { signInRoutes } from "./routes.ts";
import { sweepSignIns } from "./store.ts";

export const signIns: Capability = {
  routes: ({ context }) => signInRoutes(context),
  sweeps: [{ what: "sign-ins that were not finished", keepFor: () => DAY, run: sweepSignIns }],
};
