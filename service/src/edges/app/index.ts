import { DAY } from "../../base/duration.ts";
import { sweepQuestions } from "../../records/app/store.ts";
import type { Capability } from "../capability/capability.ts";
import { appRoutes } from "./routes.ts";

export const apps: Capability = {
  routes: ({ context }) => appRoutes(context),
  sweeps: [{ what: "counts of what apps asked", keepFor: () => 31 * DAY, run: sweepQuestions }],
  background: ({ appUsage: questions }) => questions,
};
