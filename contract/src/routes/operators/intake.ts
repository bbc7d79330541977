import { z } from "zod";
/** Users tables of other systems that were taken in, as operators see them. */
import { defineRoute } from "../../route.ts";
import { id, lineOfText, listOf, page, passwordText, timestamp } from "../../text.ts";

const recipeId = z.string().regex(/^r[0-9a-f]{10}$/, "This is no id of a recipe.");

export const intakeRecipe = z
  .object({
    id: z.string().describe("records name it"),
    text: z.string().describe("in the recipe language"),
    isProven: z.boolean().describe("a known password was shown to fit it"),
  })
  .meta({ id: "IntakeRecipe" });

export const intake = z
  .object({
    id,
    source: z.string(),
    state: z.enum(["running", "done"]),
    startedAt: timestamp,
    endedAt: timestamp.nullable(),
    rows: z.number().int().describe("rows of the source that are done with"),
    taken: z.number().int(),
    filled: z.number().int().describe("accounts that were there, and got what they lacked"),
    refused: z.number().int(),
    notYetSignedIn: z
      .number()
      .int()
      .describe("passwords that stand as they came: their people have not signed in yet"),
    sealed: z.number().int().describe("of these, old digests that lie sealed until they are wrapped"),
    firstSignIns: z.number().int().describe("first sign-ins with a password that came along"),
    failedAttempts: z.number().int().describe("tries that do not fit a password that came along"),
    recipes: z.array(intakeRecipe),
  })
  .meta({ id: "Intake" });

export const intakeRefusal = z
  .object({
    line: z.number().int().describe("in the source"),
    member: z.string().describe("which part of the plan, or row"),
    reason: z.string(),
    values: z.record(z.string(), z.string().nullable()).describe("by column, without the secrets"),
  })
  .meta({ id: "IntakeRefusal" });

export const listIntakes = defineRoute({
  name: "listIntakes",
  method: "GET",
  path: "/v1/operator/intakes",
  summary: "Users tables that were taken in, newest first, and how their people's first sign-ins go",
  access: "operator",
  replies: { 200: listOf(intake) },
});

export const listIntakeRefusals = defineRoute({
  name: "listIntakeRefusals",
  method: "GET",
  path: "/v1/operator/intakes/:id/refusals",
  summary: "Rows that were refused, in the order of the source, without their secrets",
  access: "operator",
  params: z.strictObject({ id }),
  query: z.strictObject({
    ...page,
    cursor: z
      .string()
      .regex(/^\d{1,12}$/, "This cursor is not one that a list gave.")
      .optional(),
  }),
  replies: { 200: listOf(intakeRefusal) },
});

export const correctRecipe = defineRoute({
  name: "correctRecipe",
  method: "PATCH",
  path: "/v1/operator/intakes/:id/recipes/:recipe",
  summary:
    "Correct a recipe. Somebody whose password is known, and who has not signed in yet, shows that the new one is right; told to the other operators",
  access: "operator",
  problems: ["throttled", "too-busy"],
  params: z.strictObject({ id, recipe: recipeId }),
  body: z.strictObject({
    text: lineOfText(2_000).describe("in the recipe language"),
    identifier: lineOfText(254).describe("address or username of an account that it is of"),
    password: passwordText,
  }),
  replies: { 200: intakeRecipe },
});

/** An import: its source, its progress, and how the first sign-ins of its people went. */
export type Intake = z.output<typeof intake>;

/** A recipe of an import, and whether a known password proved it. */
export type IntakeRecipe = z.output<typeof intakeRecipe>;

/** A row that was refused, with the member at fault and why. */
export type IntakeRefusal = z.output<typeof intakeRefusal>;
