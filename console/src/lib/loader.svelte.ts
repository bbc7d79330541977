/** What a page asks of the service, and the sentence where it could not be had. */
import { sentenceOf } from "./sentence.ts";

export class Loader {
  /** Why the last work failed, for the person; `null` if it did not. */
  problem: string | null = $state(null);

  /** Does some work. @returns whether it went well. */
  async run(work: () => Promise<void>): Promise<boolean> {
    try {
      await work();
      this.problem = null;
      return true;
    } catch (error) {
      this.problem = sentenceOf(error);
      return false;
    }
  }
}
