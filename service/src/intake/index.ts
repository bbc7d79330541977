import type { Capability } from "../capability.ts";
import { wrapSealed } from "./wrap.ts";

export const intakes: Capability = {
  background: wrapSealed,
};
