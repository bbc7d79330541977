import { DAY } from "../../base/duration.ts";
import type { Capability } from "../capability/capability.ts";
import { intakeRoutes } from "./routes.ts";
import { sweepRefusals } from "./store.ts";
import { wrapSealed } from "./wrap.ts";

export const intakes: Capability = {
  routes: ({ context }) => intakeRoutes(context),
  background: wrapSealed,
  sweeps: [{ what: "rows that intakes refused", keepFor: () => 30 * DAY, run: sweepRefusals }],
};
