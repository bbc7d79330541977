import { z } from "zod";
import { defineRoute } from "../../route.ts";
import { id, timestamp } from "../../text.ts";

const path = z
  .string()
  .max(500, "Use at most 500 characters.")
  .regex(/^\/(?!\/)[^\s\\]*$/, "Give a path such as /members.");

export const rehearsalStep = z.object({
  id: z.string(),
  title: z.string(),
  state: z.enum(["waiting", "running", "passed", "failed", "left-out"]),
  expected: z.string(),
  came: z.string().describe("what came, or why it was left out; empty before it was tried"),
  remedy: z.string().describe("what somebody would meet, and what to change; empty unless it failed"),
  milliseconds: z.number().nullable(),
});

export const rehearsalShown = z
  .object({
    id,
    app: z.object({ name: z.string(), address: z.string() }),
    closed: z.string(),
    state: z.enum(["running", "ended", "broken-off"]),
    beganAt: timestamp,
    endedAt: timestamp.nullable(),
    passed: z.boolean().describe("whether no step failed"),
    why: z.string().nullable().describe("of one that was broken off: why"),
    leftBehind: z.string().nullable().describe("the account that could not be erased again"),
    steps: z.array(rehearsalStep),
  })
  .meta({ id: "Rehearsal" });

/** A rehearsal with its steps, as far as it has come. */
export type RehearsalShown = z.output<typeof rehearsalShown>;

const told = rehearsalStep.pick({ id: true, title: true, expected: true });

const tried = rehearsalStep.pick({ id: true, state: true, came: true, remedy: true });

const rehearsalLine = z.discriminatedUnion("kind", [
  z.object({ kind: z.literal("steps"), steps: z.array(told).readonly() }),
  tried.extend({ kind: z.literal("step"), milliseconds: z.number() }),
  z.object({ kind: z.literal("end"), passed: z.boolean(), leftBehind: z.string().nullable() }),
  z.object({ kind: z.literal("fault"), why: z.string() }),
]);

/** What a rehearsal that is a process of its own writes to its output: a line of JSON each. */
export type RehearsalLine = z.output<typeof rehearsalLine>;

/** Reads one. @returns `null` for any other text, such as what a library prints by itself. */
export function readRehearsalLine(text: string): RehearsalLine | null {
  try {
    return rehearsalLine.safeParse(JSON.parse(text)).data ?? null;
  } catch {
    // Not JSON.
    return null;
  }
}

export const listRehearsals = defineRoute({
  name: "listRehearsals",
  method: "GET",
  path: "/v1/operator/rehearsals",
  summary: "The last rehearsals of this service, the newest first; in development mode only",
  access: "operator",
  inDevelopment: true,
  replies: { 200: z.object({ items: z.array(rehearsalShown) }) },
});

export const beginRehearsal = defineRoute({
  name: "beginRehearsal",
  method: "POST",
  path: "/v1/operator/rehearsals",
  summary: "Walk through a registered application as a person would; one at a time",
  access: "operator",
  inDevelopment: true,
  problems: ["too-busy"],
  body: z.strictObject({
    clientId: z.string().max(100, "Use at most 100 characters."),
    open: path.default("/"),
    closed: path,
    closedApi: path.optional(),
    closedLevel2: path.optional(),
    moveClock: z
      .boolean()
      .default(false)
      .describe("try expiry too, by the service's clock: sessions of others end by that"),
  }),
  replies: { 201: rehearsalShown },
});

export const endRehearsal = defineRoute({
  name: "endRehearsal",
  method: "DELETE",
  path: "/v1/operator/rehearsals/:id",
  summary: "Break a rehearsal off",
  access: "operator",
  inDevelopment: true,
  params: z.strictObject({ id }),
  replies: { 204: z.undefined() },
});
