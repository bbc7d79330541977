/** Problems in the description: one reply a status. */
import type { ProblemCode } from "@lucchetto/contract";
import { problem, problemPath, PROBLEMS } from "@lucchetto/contract";
import type { ZodOpenApiResponseObject } from "zod-openapi";
import { EXAMPLE_ID } from "./example.ts";

/** One reply a status: which problems it may be, and one of each as an example. */
export function problemReplies(
  codes: readonly ProblemCode[],
  publicUrl: string,
): Record<`${number}`, ZodOpenApiResponseObject> {
  const byStatus = new Map<number, ProblemCode[]>();
  for (const code of codes) {
    const { status } = PROBLEMS[code];
    byStatus.set(status, [...(byStatus.get(status) ?? []), code]);
  }
  return Object.fromEntries(
    [...byStatus]
      .sort(([left], [right]) => left - right)
      .map(([status, those]) => [String(status), problemReply(those, publicUrl)]),
  );
}

function problemReply(codes: readonly ProblemCode[], publicUrl: string): ZodOpenApiResponseObject {
  const examples = codes.map((code) => {
    const { status, title, meaning, remedy } = PROBLEMS[code];
    const detail = `${meaning} ${remedy}`;
    const value = { type: publicUrl + problemPath(code), code, title, status, detail, requestId: EXAMPLE_ID };
    return [code, { summary: title, value }];
  });
  return {
    description: codes.map((code) => `\`${code}\`: ${PROBLEMS[code].title}.`).join(" "),
    content: {
      "application/problem+json": { schema: problem, examples: Object.fromEntries(examples) },
    },
  };
}
