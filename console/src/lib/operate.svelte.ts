/** Operators' calls that change something: where a fresh proof is wanted, it is asked for in place, and the call goes on. */
import { ProblemError } from "@lucchetto/contract/pages";
import { call } from "./page.ts";

interface Question {
  readonly proved: () => void;
  readonly givenUp: () => void;
}

/** What is asked now; the console's frame shows it. */
export const proofQuestion: { open: Question | null } = $state({ open: null });

/** Whoever closes the question gets the service's own refusal. */
class GivenUp extends Error {}

/** Calls; asks once for a proof if it is wanted. */
export const operate = (async (...parts: Parameters<typeof call>) => {
  try {
    return await call(...parts);
  } catch (error) {
    if (!(error instanceof ProblemError) || error.problem.code !== "reauthenticate") throw error;
    try {
      await new Promise<void>((resolve, reject) => {
        proofQuestion.open = { proved: resolve, givenUp: () => reject(new GivenUp()) };
      });
    } catch (closed) {
      throw closed instanceof GivenUp ? error : closed;
    } finally {
      proofQuestion.open = null;
    }
    return call(...parts);
  }
}) as typeof call;
