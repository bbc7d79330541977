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
  return read.error.issues.every((issue) => isNewValue(issue, body))
    ? { value: body as output<Schema> }
    : null;
}

/** A text that the list of choices here does not have yet. A member that is missing, or a text that is fixed, is no choice. */
function isNewValue(issue: Issue, body: unknown): boolean {
  if (issue.code !== "invalid_value" || issue.values.length < 2) return false;
  return typeof issue.path.reduce<unknown>(memberOf, body) === "string";
}

function memberOf(within: unknown, key: PropertyKey): unknown {
  return typeof within === "object" && within !== null ? Reflect.get(within, key) : undefined;
}

/**
 * What a table says of a choice that was received. @param otherwise for one that came after this release.
 * @example
 * ```ts
 * saidOf({ sent: "sent", waiting: "waits" }, "waiting", "?") // → "waits"
 * saidOf({ sent: "sent", waiting: "waits" }, "returned", "returned") // → "returned"
 * ```
 */
export function saidOf<Said>(table: Readonly<Record<string, Said>>, choice: string, otherwise: Said): Said {
  return Object.hasOwn(table, choice) ? (table[choice] ?? otherwise) : otherwise;
}
