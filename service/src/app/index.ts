import type { Capability } from "../capability.ts";
import { DAY } from "../duration.ts";
import { appRoutes } from "./routes.ts";
import { sweepQuestions } from "./store.ts";

export const apps: Capability = {
  routes: ({ context }) => appRoutes(context),
  sweeps: [{ what: "counts of what apps asked", keepFor: () => 31 * DAY, run: sweepQuestions }],
  background: ({ questions }) => questions,
};
