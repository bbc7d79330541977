import { z } from "zod";
/** A users table that an operator uploads in the console: sealed on disk, looked at, planned, checked and taken in. */
import { MAX_PART, SOURCE_ENCODINGS, SOURCE_FORMATS } from "../../import-source.ts";
import { defineRoute } from "../../route.ts";
import { id, lineOfText, passwordText } from "../../text.ts";

const count = z.number().int();

/** What a first pass over a source found; nothing is written yet. */
export const intakeCheck = z
  .object({
    source: z.string(),
    rows: count,
    wouldBeTaken: count,
    thereAlready: count.describe("rows whose account is there already"),
    faultCount: count,
    faults: z
      .array(z.object({ line: count, member: z.string(), reason: z.string() }))
      .describe("the first of them"),
    filledByUsername: z
      .array(z.object({ line: count, username: z.string(), accountId: id }))
      .describe("every row that would fill an account by its username alone"),
    passwords: z
      .array(z.object({ words: z.string(), rows: count }))
      .describe("how the passwords are kept, and in how many rows"),
    recipes: z.array(z.object({ text: z.string(), rows: count, isProven: z.boolean() })),
    known: z
      .array(z.object({ who: z.string(), outcome: z.enum(["right", "wrong", "nobody"]) }))
      .describe("passwords that are known, and whether they fit; nobody: no row is theirs"),
  })
  .meta({ id: "IntakeCheck" });

/** What a plan would do with each row of its source; nothing was changed. */
export type IntakeCheck = z.output<typeof intakeCheck>;

export const intakeDraft = z
  .object({
    id,
    name: z.string(),
    bytes: count.describe("that have arrived"),
    state: z.enum(["uploading", "checking", "checked", "running", "done", "failed"]),
    done: count.describe("of what is under way"),
    total: count,
    fault: z.string().nullable(),
    check: intakeCheck.nullable(),
    intakeId: id.nullable().describe("once it is taken in"),
  })
  .meta({ id: "IntakeDraft" });

/** An upload that has not been imported yet. */
export type IntakeDraft = z.output<typeof intakeDraft>;

export const draftedPlan = z
  .object({
    plan: z.string().describe("yaml, with a reason for each guess"),
    guesses: z.array(z.object({ member: z.string(), column: z.string(), reason: z.string() })),
    leftOut: z.array(z.string()).describe("columns that are nothing that is wanted"),
    faults: z.array(z.object({ line: count, fault: z.string() })),
    preview: z.object({
      columns: z.array(z.string()),
      rows: z.array(z.array(z.string().nullable())).describe("the first ones; what is secret is covered"),
    }),
  })
  .meta({ id: "DraftedPlan" });

/** The plan of an upload, with what it makes of the first rows. */
export type DraftedPlan = z.output<typeof draftedPlan>;

const params = z.strictObject({ id });

const known = z
  .array(z.strictObject({ who: lineOfText(254), password: passwordText }))
  .max(5, "At most 5.")
  .default([]);

const plan = z.string().max(20_000, "Use at most 20,000 characters; longer plans are for the command.");

export const beginIntakeDraft = defineRoute({
  name: "beginIntakeDraft",
  method: "POST",
  path: "/v1/operator/intake-drafts",
  summary: "Begin to upload a users table; it is sealed on disk, and goes at the end or after 24 hours",
  access: "operator",
  problems: ["too-busy"],
  body: z.strictObject({
    name: lineOfText(200).describe("of the file"),
    format: z.enum(SOURCE_FORMATS),
    delimiter: z.enum([",", ";", "\t", "|"]).default(","),
    encoding: z.enum(SOURCE_ENCODINGS).default("utf-8"),
  }),
  replies: { 201: intakeDraft },
});

export const addIntakePart = defineRoute({
  name: "addIntakePart",
  method: "POST",
  path: "/v1/operator/intake-drafts/:id/parts",
  summary: "Add the next bytes of an upload",
  access: "operator",
  params,
  body: z.strictObject({
    at: count.min(0).describe("how many bytes were added before"),
    bytes: z
      .base64()
      .min(1)
      .max(MAX_PART * (4 / 3))
      .describe(`base64 of at most ${MAX_PART} bytes`),
  }),
  replies: { 200: intakeDraft },
});

export const planIntakeDraft = defineRoute({
  name: "planIntakeDraft",
  method: "POST",
  path: "/v1/operator/intake-drafts/:id/plan",
  summary: "Look at the first rows of an upload and draft a plan",
  access: "operator",
  params,
  body: z.strictObject({}),
  replies: { 200: draftedPlan },
});

export const showIntakeDraft = defineRoute({
  name: "showIntakeDraft",
  method: "GET",
  path: "/v1/operator/intake-drafts/:id",
  summary: "How far an upload, its check or its run is",
  access: "operator",
  params,
  replies: { 200: intakeDraft },
});

export const checkIntakeDraft = defineRoute({
  name: "checkIntakeDraft",
  method: "POST",
  path: "/v1/operator/intake-drafts/:id/check",
  summary: "Say what would become of each row of an upload; nothing is written",
  access: "operator",
  params,
  body: z.strictObject({ plan, known }),
  replies: { 202: intakeDraft },
});

export const runIntakeDraft = defineRoute({
  name: "runIntakeDraft",
  method: "POST",
  path: "/v1/operator/intake-drafts/:id/run",
  summary: "Take the rows of an upload in, beside the sign-ins",
  access: "operator",
  params,
  body: z.strictObject({
    plan,
    known,
    unproven: z.boolean().default(false).describe("take recipes that no known password was shown to fit"),
  }),
  replies: { 202: intakeDraft },
});

export const dropIntakeDraft = defineRoute({
  name: "dropIntakeDraft",
  method: "DELETE",
  path: "/v1/operator/intake-drafts/:id",
  summary: "Throw an upload away",
  access: "operator",
  params,
  replies: { 204: z.undefined() },
});
