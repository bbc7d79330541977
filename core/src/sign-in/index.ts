export * from "./decide.ts";
export * from "./pending.ts";
export type { SecondFactor, ThingFromBefore, WayProof } from "./proofs.ts";
export { THINGS_FROM_BEFORE, WAY_PROOFS } from "./proofs.ts";
export * from "./way.ts";
export { ONE_TIME_PASSWORD } from "./methods.ts";
