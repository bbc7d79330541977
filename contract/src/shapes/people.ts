import { z } from "zod";
/** The shapes of replies. Unknown members in them are ignored by clients, so that members can be added. */
import { PROOF_NAMES } from "../proofs.ts";
import { id, timestamp } from "../text.ts";

/** Schema of an account's state. */
export const accountState = z
  .enum(["invited", "active", "suspended", "closed"])
  .describe("closed: being erased by its owner, which can still be stopped");

/** A person known to the site. */
export const account = z
  .object({
    id,
    reference: z.string().nullable().describe("the application's own id for the person"),
    email: z.string().nullable(),
    emailVerified: z.boolean(),
    username: z.string().nullable(),
    displayName: z.string().nullable(),
    state: accountState,
    labels: z
      .array(z.string())
      .describe("short strings that applications read for their own permission rules"),
    language: z.string().nullable().describe("of the mails to this person; null: the site's"),
    createdAt: timestamp,
  })
  .meta({ id: "Account" });

/** An account as its owner and its applications see it. */
export type Account = z.output<typeof account>;

/** A server-side session. It never shows a token. */
export const session = z
  .object({
    id,
    kind: z.enum(["ordinary", "remembered"]),
    aal: z.union([z.literal(1), z.literal(2)]),
    amr: z.array(z.string()).describe("RFC 8176 methods"),
    authTime: timestamp,
    createdAt: timestamp,
    lastSeenAt: timestamp,
    idleEndsAt: timestamp,
    endsAt: timestamp,
    current: z.boolean().describe("whether this request was made in it"),
    userAgent: z.string().nullable(),
    network: z.string().nullable().describe("IPv4 address or IPv6 /64"),
  })
  .meta({ id: "Session" });

/** A session as its owner sees it. */
export type Session = z.output<typeof session>;

/** What may be wanted in a sign-in. */
export const wantedProof = z.enum([...PROOF_NAMES, "new-password", "enrol-totp", "enrol-passkey"]);

/** Something more is wanted before there is a session: any one of `wanted` moves the sign-in on. */
export const proofWanted = z
  .object({
    outcome: z.literal("proof-wanted"),
    wanted: z.array(wantedProof),
    expiresAt: timestamp,
    recoveryCodes: z
      .array(z.string())
      .optional()
      .describe("with a second factor that was just set up, shown this once"),
    token: z.string().optional().describe("lci_…, only for deliver: token"),
  })
  .meta({ id: "ProofWanted" });

/** A sign-in in progress, and what it wants next. */
export type ProofWanted = z.output<typeof proofWanted>;

/** A record of the journal. */
export const journalEntry = z
  .object({
    id,
    at: timestamp,
    kind: z.string(),
    outcome: z.enum(["done", "refused"]),
    reason: z.string().nullable().describe("the inner reason, which the reply may have hidden"),
    accountId: id.nullable(),
    actorId: id.nullable().describe("the account that did it, where it was somebody else"),
    appId: id.nullable(),
    sessionId: id.nullable(),
    network: z.string().nullable(),
    requestId: z.string().nullable(),
  })
  .meta({ id: "JournalEntry" });

/** An event of the journal. */
export type JournalEntry = z.output<typeof journalEntry>;

/** An authenticator app. Its secret is never shown again. */
export const authenticator = z
  .object({
    id,
    name: z.string(),
    named: z.boolean().describe("whether its owner called it so; else pages may say it in another language"),
    algorithm: z.string(),
    digits: z.number().int(),
    period: z.number().int().describe("seconds"),
    createdAt: timestamp,
    lastUsedAt: timestamp.nullable(),
  })
  .meta({ id: "Authenticator" });

/** An authenticator app; its secret is never shown again. */
export type Authenticator = z.output<typeof authenticator>;

/** A passkey. Its public key is of no use to anybody, and is not shown. */
export const passkey = z
  .object({
    id,
    credentialId: z.string().describe("base64url, as the browser knows it"),
    name: z.string(),
    named: z.boolean().describe("whether its owner called it so; else pages may say it in another language"),
    kind: z
      .enum(["synced", "this-device", "phone", "security-key"])
      .describe(
        "what it says of itself: kept by a password manager, in the device, in a phone, in a key to plug in or hold near",
      ),
    backedUp: z.boolean().describe("whether there is a copy besides the device"),
    createdAt: timestamp,
    lastUsedAt: timestamp.nullable(),
  })
  .meta({ id: "Passkey" });

/** A passkey as its owner sees it. */
export type Passkey = z.output<typeof passkey>;

/** A key of an account for scripts; the key itself is shown only when it is made. */
export const accessKey = z
  .object({
    id,
    name: z.string(),
    labels: z
      .array(z.string())
      .nullable()
      .describe("the labels it carries at most; null: whatever the account carries"),
    createdAt: timestamp,
    expiresAt: timestamp.nullable(),
    lastUsedAt: timestamp.nullable(),
    network: z.string().nullable().describe("the network in which it was made"),
  })
  .meta({ id: "AccessKey" });

/** An access key as its owner sees it; the key itself is shown once, when it is made. */
export type AccessKey = z.output<typeof accessKey>;

/** A problem (RFC 9457). `code` is the slug to switch on, `type` the address of the page that explains it. */
export const problem = z
  .object({
    type: z.string(),
    code: z.string(),
    title: z.string(),
    status: z.number().int(),
    detail: z.string(),
    requestId: z.string(),
    errors: z
      .array(
        z.object({
          path: z.string(),
          code: z.string().describe("what is wrong, as a slug; new ones may come"),
          parameters: z
            .record(z.string(), z.union([z.string(), z.number()]))
            .describe("what a sentence about it needs"),
          message: z.string(),
        }),
      )
      .optional(),
    retryAfter: z.number().int().optional().describe("seconds"),
  })
  .meta({ id: "Problem" });

/** What a call answers when it does not succeed (RFC 9457). */
export type Problem = z.output<typeof problem>;
