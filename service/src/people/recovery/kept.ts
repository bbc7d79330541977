import { PREPARING } from "@lucchetto/core";
import type { Configuration } from "../../base/config/index.ts";
import { DAY } from "../../base/duration.ts";

/**
 * Milliseconds that is kept what may prove that an owner was there before: as long as a change can be undone, and those days before it in
 * which an intruder may have prepared it.
 */
export function keptAsThing(links: Configuration["links"]): number {
  return Math.max(links["undo-change"], links["undo-factor"], links["undo-erase"]) + PREPARING + DAY;
}
