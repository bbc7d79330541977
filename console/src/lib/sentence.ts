/** What went wrong, for the person. */
import type { Problem } from "@lucchetto/contract";
import { ProblemError, UnreachableError } from "@lucchetto/contract/pages";
import { texts } from "../texts/texts.ts";

/** @param error whatever was thrown: a problem says what it is, a service that does not answer is said in the page's words. */
export function sentenceOf(error: unknown): string {
  if (error instanceof UnreachableError) return texts.faults.unreachable;
  if (error instanceof ProblemError) return problemSentence(error.problem);
  return error instanceof Error ? error.message : String(error);
}

/** What happened and what to do, in the page's language; in the service's English where that has no sentence for it. */
export function problemSentence({ code, detail }: Pick<Problem, "code" | "detail">): string {
  const known: Readonly<Record<string, string>> = texts.problems;
  // Which step of the verification it was says the problem's page to developers; people get one calm sentence.
  return known[code] ?? (code.startsWith("passkey-") ? texts.passkeys.refused : detail);
}

type Fault = NonNullable<Problem["errors"]>[number];

/** What is wrong with a field, in the page's language; in English where that has no sentence for it. */
export function faultSentence({ code, parameters, message }: Fault): string {
  const known: Readonly<Record<string, string>> = texts.fieldFaults;
  const sentence = known[code];
  return sentence?.replace(/\{(\w+)\}/g, (_, name: string) => String(parameters[name] ?? "")) ?? message;
}
