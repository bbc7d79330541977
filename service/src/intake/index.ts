import type { Capability } from "../capability.ts";
import { DAY } from "../duration.ts";
import { intakeRoutes } from "./routes.ts";
import { sweepRefusals } from "./store.ts";
import { wrapSealed } from "./wrap.ts";

export const intakes: Capability = {
  routes: ({ context }) => intakeRoutes(context),
  background: wrapSealed,
  sweeps: [{ what: "rows that intakes refused", keepFor: () => 30 * DAY, run: sweepRefusals }],
};
