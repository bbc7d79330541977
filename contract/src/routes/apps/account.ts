import { z } from "zod";
import { lineOfText } from "../../text.ts";
import { label } from "../people/account.ts";

/** Labels that mean something to the service itself: only an operator gives and takes them. */
export const BUILT_IN_LABELS: readonly string[] = ["operator", "auditor"];

const labels = z.array(label).max(20, "At most 20 labels.");

/** Labels that an application gives. */
export const labelsOfApps = z
  .array(label.refine((name) => !BUILT_IN_LABELS.includes(name), "Only an operator gives this label."))
  .max(20, "At most 20 labels.");

const reference = lineOfText(190).describe("the application's own id for the person");

/** What is said of somebody new by whoever adds or invites them. */
export const somebodyNew = {
  username: lineOfText(80).optional(),
  displayName: lineOfText(80).optional(),
  labels: labels.optional(),
  reference: reference.optional(),
};

/** Where somebody lands who accepts an invitation. */
export const landingPage = lineOfText(800).describe(
  "address of the application's page to land on when it was accepted; its first page, if left out",
);

/** What is set on somebody else's account. */
export const settable = {
  labels: labels.optional().describe("all of them"),
  reference: reference.nullable().optional().describe("null takes it away"),
  state: z.enum(["active", "suspended"]).optional(),
};

/** A change that changes something. */
export function changes<Shape extends z.core.$ZodLooseShape>(shape: Shape) {
  return z
    .strictObject(shape)
    .refine((change) => Object.keys(change).length > 0, "Say what is to be changed.");
}

/** How accounts are looked for. */
export const accountSearch = lineOfText(254)
  .optional()
  .describe("the beginning of an e-mail address, username or display name; or a whole id or reference");
