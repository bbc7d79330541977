/** What went wrong, for the person. */
import { UnreachableError } from "@lucchetto/contract/pages";
import { texts } from "../texts/texts.ts";

/** @param error whatever was thrown: a problem says what it is, a service that does not answer is said in the page's words. */
export function sentenceOf(error: unknown): string {
  if (error instanceof UnreachableError) return texts.faults.unreachable;
  return error instanceof Error ? error.message : String(error);
}
