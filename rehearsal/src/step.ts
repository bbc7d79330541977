/** Steps of a rehearsal: what is tried, what was expected, what came, and what to fix. */
import type { Walk } from "./walk.ts";

export type State = "passed" | "failed" | "left-out";

/** What became of a step. */
export interface StepResult {
  readonly id: string;
  readonly title: string;
  readonly state: State;
  readonly expected: string;
  /** What came instead, or why it was left out; of a step that passed, what was seen. */
  readonly came: string;
  /** What an attacker or a person would meet, and what to change. Empty for what passed. */
  readonly remedy: string;
  readonly milliseconds: number;
}

export interface Step {
  readonly id: string;
  readonly title: string;
  readonly expected: string;
  /** What is to be changed in an application that fails it, and where that is written. */
  readonly remedy: string;
  /** Whether it takes a browser. */
  readonly needsBrowser: boolean;
  /** Steps without which it says nothing. */
  readonly after?: readonly string[];
  /** @returns what was seen. @throws StepFailed, StepLeftOut. */
  try(walk: Walk): Promise<string>;
}
