import { z } from "zod";
import { defineRoute } from "../../route.ts";
import { timestamp } from "../../text.ts";

const tuningRow = z.object({
  scheme: z.string(),
  memoryBytes: z.number(),
  median: z.number().describe("milliseconds"),
  p95: z.number().describe("milliseconds"),
  perSecond: z.number().describe("hashes a second, one after the other"),
  attackerCost: z.number().describe("memory held times how long, against the present scheme"),
  present: z.boolean(),
  belowFloor: z.boolean().describe("cheaper than production accepts"),
  withinTarget: z.boolean().describe("no slower than wanted, give or take a tenth"),
  recommended: z.boolean(),
});

/** A measurement of candidates on the service's machine: under way, done, or never begun. */
export const hashTuning = z
  .object({
    state: z.enum(["idle", "measuring", "done"]),
    done: z.number().int(),
    steps: z.number().int(),
    algorithm: z.string().nullable(),
    targetMilliseconds: z.number().nullable(),
    finishedAt: timestamp.nullable(),
    rows: z.array(tuningRow),
  })
  .meta({ id: "HashTuning" });

/** A measurement of schemes on the service's machine. */
export type HashTuning = z.output<typeof hashTuning>;

export const showHashTuning = defineRoute({
  name: "showHashTuning",
  method: "GET",
  path: "/v1/operator/hash-tuning",
  summary: "How far the measurement of password schemes on this machine is, and what it found",
  access: "operator",
  replies: { 200: hashTuning },
});

export const beginHashTuning = defineRoute({
  name: "beginHashTuning",
  method: "POST",
  path: "/v1/operator/hash-tuning",
  summary: "Measure password schemes on this machine, beside the sign-ins; one measurement at a time",
  access: "operator",
  problems: ["too-busy"],
  body: z.strictObject({
    algorithm: z.enum(["scrypt", "argon2id", "pbkdf2-sha256", "pbkdf2-sha512"]).default("scrypt"),
    targetMilliseconds: z.number().int().min(1).max(10_000).default(250),
    memoryBytes: z
      .number()
      .int()
      .min(2 ** 20)
      .max(2 ** 30)
      .default(64 * 2 ** 20),
  }),
  replies: { 202: hashTuning },
});
