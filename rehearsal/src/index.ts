/** The walk through somebody's application, in a browser or over plain HTTP. */
export type { BrowserOptions } from "./browser.ts";
export { startBrowser } from "./browser.ts";
export { draftHints } from "./draft.ts";
export type { Hints } from "./hints.ts";
export { readHints } from "./hints.ts";
export { junitOf } from "./junit.ts";
export type { Rehearsal, RehearsalOptions } from "./rehearse.ts";
export { rehearse, stepsFor } from "./rehearse.ts";
export type { State, StepResult } from "./step.ts";
