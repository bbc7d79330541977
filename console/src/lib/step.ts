import { ProblemError } from "@lucchetto/contract/pages";

/** What a sign-in in progress waits for. */
export interface Step {
  readonly wanted: readonly string[];
  /** When the sign-in lapses. */
  readonly expiresAt: string;
}

/** Does something within a sign-in in progress, unless it has lapsed: then `lapsed` is called in place of an error. */
export async function unlessLapsed(work: () => Promise<void>, lapsed: () => void): Promise<void> {
  try {
    await work();
  } catch (error) {
    if (!(error instanceof ProblemError) || error.problem.code !== "sign-in-lapsed") throw error;
    lapsed();
  }
}
