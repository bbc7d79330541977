/** Operators' calls that change something: where a fresh proof is wanted, it is asked for in place, and the call goes on. */
import { ProblemError } from "@lucchetto/contract/pages";
import { call } from "./page.ts";

interface Question {
  /** Whether the proof was given, or the question closed. */
  readonly answer: (isProved: boolean) => void;
}

/** What is asked now; the console's frame shows it. */
export const proofQuestion: { open: Question | null } = $state({ open: null });

/** Calls; asks once for a proof if it is wanted. Whoever closes the question gets the service's own refusal. */
export const operate = (async (...parts: Parameters<typeof call>) => {
  try {
    return await call(...parts);
  } catch (error) {
    if (!(error instanceof ProblemError) || error.problem.code !== "reauthenticate") throw error;
    const isProved = await new Promise<boolean>((resolve) => {
      proofQuestion.open = { answer: resolve };
    });
    proofQuestion.open = null;
    if (!isProved) throw error;
    return call(...parts);
  }
}) as typeof call;
