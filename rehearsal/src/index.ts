/** The walk through somebody's application, in a browser or over plain HTTP. */
export { junitOf } from "./junit.ts";
export type { Rehearsal, RehearsalOptions } from "./rehearse.ts";
export { rehearse } from "./rehearse.ts";
export type { State, StepResult } from "./step.ts";
