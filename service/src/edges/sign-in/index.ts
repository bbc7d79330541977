import { DAY } from "../../base/duration.ts";
import { keepSignInCounts } from "../../flows/sign-in/figures.ts";
import { sweepSignInCounts, sweepSignIns } from "../../records/sign-in/store.ts";
import type { Capability } from "../capability/capability.ts";
import { signInRoutes } from "./routes.ts";

export const signIns: Capability = {
  routes: ({ context }) => signInRoutes(context),
  background: keepSignInCounts,
  sweeps: [
    { what: "sign-ins that were not finished", keepFor: () => DAY, run: sweepSignIns },
    { what: "counts of how people signed in", keepFor: () => 400 * DAY, run: sweepSignInCounts },
  ],
};
