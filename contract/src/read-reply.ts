/** Reading replies: leniently, for a service may have learnt more than this client knows. */
import type { output, ZodError, ZodType } from "zod";

type Issue = ZodError["issues"][number];

/**
 * Reads a reply by its schema. Members and values of lists of choices that are not known here are let through; anything else
 * that does not fit is no reply.
 * @returns `null` if it is none.
 */
export function readReply<Schema extends ZodType>(
  schema: Schema,
  body: unknown,
): { value: output<Schema> } | null {
  const read = schema.safeParse(body);
  if (read.success) return { value: read.data };
  return read.error.issues.every(isNewValue) ? { value: body as output<Schema> } : null;
}

/** A value that the list of choices here does not have yet; a text where a text belongs. */
function isNewValue(issue: Issue): boolean {
  return issue.code === "invalid_value" && issue.values.every((value) => typeof value === "string");
}
