/** Whoever is told to come back in a moment does so by itself, and says so meanwhile. */
import { ProblemError } from "@lucchetto/contract/pages";
import { texts } from "../texts/texts.ts";

/** Seconds that somebody waits before a page without being asked. */
const LONGEST = 60;
const MAX_TRIES = 6;
const SECOND = 1_000;

export class Patience {
  /** What is waited for, in a sentence that counts down; `null`: nothing is. */
  sentence: string | null = $state(null);
  /** The sentence as it began: whoever listens to a page hears it once. */
  announced: string | null = $state(null);

  /**
   * Sends; told to wait for a while (503 or 429 with Retry-After), waits that long and sends again.
   * @throws whatever `send` throws besides, and what is told after the last try or wants a longer wait.
   */
  async send<Result>(send: () => Promise<Result>): Promise<Result> {
    for (let tries = 1; ; tries += 1) {
      try {
        return await send();
      } catch (error) {
        const seconds = secondsToWait(error, tries);
        if (seconds === null || tries === MAX_TRIES) throw error;
        await this.#countDown(seconds, error);
      }
    }
  }

  async #countDown(seconds: number, error: unknown): Promise<void> {
    const isThrottled = error instanceof ProblemError && error.problem.code === "throttled";
    const sentenceIn = isThrottled ? texts.patience.tooManyTries : texts.patience.manyPeopleAtOnce;
    this.announced = sentenceIn(seconds);
    for (let left = seconds; left > 0; left -= 1) {
      this.sentence = sentenceIn(left);
      await new Promise((resolve) => setTimeout(resolve, SECOND));
    }
    this.sentence = null;
    this.announced = null;
  }
}

/** A little longer with each try, so that not all come back at once. `null`: it is not worth waiting. */
function secondsToWait(error: unknown, tries: number): number | null {
  if (!(error instanceof ProblemError)) return null;
  const { code, retryAfter } = error.problem;
  if (retryAfter === undefined || (code !== "too-busy" && code !== "throttled")) return null;
  const seconds = code === "too-busy" ? retryAfter + tries : retryAfter;
  return seconds > LONGEST ? null : seconds;
}
