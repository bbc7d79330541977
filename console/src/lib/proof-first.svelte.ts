/** A change that wants a proof of the last minutes: it is asked for in place, and then the change goes on. */
import { ProblemError } from "@lucchetto/contract/pages";

export class ProofFirst {
  /** Whether a proof is to be shown now. */
  wanted = $state(false);
  readonly #change: () => Promise<void>;

  /** @param change makes the change; throws ProblemError `reauthenticate` where a proof is wanted first. */
  constructor(change: () => Promise<void>) {
    this.#change = change;
  }

  readonly send = async (): Promise<void> => {
    try {
      await this.#change();
    } catch (error) {
      if (!(error instanceof ProblemError) || error.problem.code !== "reauthenticate") throw error;
      this.wanted = true;
    }
  };

  /** After the proof was shown. */
  readonly goOn = async (): Promise<void> => {
    this.wanted = false;
    await this.send();
  };
}
