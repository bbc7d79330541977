import { advanceClock, listTraces, resetClock, showClock, showTrace } from "./development.ts";
import { listDevelopmentMailbox, showDevelopmentMail } from "./mail.ts";

/** Calls that exist in development alone. */
export const developmentRoutes = {
  showClock,
  advanceClock,
  resetClock,
  listTraces,
  showTrace,
  listDevelopmentMailbox,
  showDevelopmentMail,
} as const;
