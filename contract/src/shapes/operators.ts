import { z } from "zod";
/** The shapes of replies. Unknown members in them are ignored by clients, so that members can be added. */
import { id, timestamp } from "../text.ts";
import { account, authenticator, journalEntry, passkey, session } from "./people.ts";

/** A session as operators see it: also whose it is, and when and why it ended. */
export const operatorSession = session
  .extend({
    accountId: id,
    accountName: z.string().nullable().describe("display name, username or address of whose it is"),
    appName: z.string().nullable().describe("the app with forms of its own in which it was begun"),
    endedAt: timestamp.nullable(),
    endReason: z.string().nullable(),
  })
  .meta({ id: "OperatorSession" });

/** A session in operators' lists. */
export type OperatorSession = z.output<typeof operatorSession>;

/** As operators see it: with names for who did it, where it was not the account itself. */
export const operatorJournalEntry = journalEntry
  .extend({
    accountName: z
      .string()
      .nullable()
      .describe("display name, username or address of the account, while there is one"),
    actorName: z.string().nullable().describe("display name, username or address of the actor"),
    appName: z.string().nullable().describe("the app that did it, or that it was about"),
  })
  .meta({ id: "OperatorJournalEntry" });

/** An event of the journal with the names of those it tells of. */
export type OperatorJournalEntry = z.output<typeof operatorJournalEntry>;

/** Where the journal's chain ends. */
export const journalHead = z
  .object({
    head: z
      .string()
      .nullable()
      .describe(
        "position and digest of the newest chained entry, to be kept elsewhere; null: nothing is chained",
      ),
    chained: z.number().int().describe("how many entries are chained"),
    waiting: z.number().int().describe("how many are not yet; they are chained within seconds"),
  })
  .meta({ id: "JournalHead" });

/** Where the journal's chain ends. */
export type JournalHead = z.output<typeof journalHead>;

/** What was found in a part of the journal's chain. */
export const journalVerification = z
  .object({
    after: z.number().int().describe("position behind which this part begins"),
    last: z.number().int().describe("position at which it ends"),
    next: z.number().int().nullable().describe("what to ask for next as `after`; null: this was the end"),
    flaw: z
      .object({
        position: z.number().int(),
        entryId: id.nullable().describe("of the entry that stands there; null if there is none"),
        what: z
          .enum(["missing", "changed", "forged", "key-missing", "cut", "other", "outside", "unchained"])
          .describe(
            "missing: the entry was removed; changed: it was changed; forged: it was not chained by this service; key-missing: the key ring lacks its key; cut: the end was removed; other: the kept head is of another journal",
          ),
      })
      .nullable()
      .describe("the first one in this part; null: it holds together"),
    heldHead: z
      .boolean()
      .nullable()
      .describe(
        "whether the kept head is in the chain; null: none was given, the end is not reached, or it has had its time",
      ),
    waiting: z
      .number()
      .int()
      .nullable()
      .describe("how many newer entries are not chained yet; null: the end is not reached"),
  })
  .meta({ id: "JournalVerification" });

/** What verifying a part of the journal's chain found. */
export type JournalVerification = z.output<typeof journalVerification>;

/** Schema of a segment of a stored record. */
export const recordSegment = z.object({
  text: z.string(),
  label: z.string().nullable(),
  meaning: z.string().nullable(),
});

/** An account as operators see it. */
export const operatorAccount = account
  .extend({
    scheme: z.string().nullable().describe("of the password record; null: no password"),
    lastSignInAt: timestamp.nullable(),
    mustChangePassword: z.boolean().describe("a new password is wanted at the next sign-in"),
  })
  .meta({ id: "OperatorAccount" });

/** An account in operators' lists. */
export type OperatorAccount = z.output<typeof operatorAccount>;

/** How many password records there are of which scheme, now and day by day. */
export const hashFleet = z
  .object({
    configured: z.string().describe("the scheme of new records"),
    total: z.number().int(),
    current: z.number().int(),
    older: z.number().int().describe("re-made when their people sign in"),
    schemes: z.array(
      z.object({
        scheme: z.string(),
        algorithm: z.string(),
        records: z.number().int(),
        current: z.boolean(),
        memoryBytes: z.number().nullable(),
        belowFloor: z.boolean().describe("cheaper than production accepts for new records"),
        lastSignInAt: timestamp.nullable().describe("the latest sign-in of anybody who has one"),
        recipe: z
          .string()
          .nullable()
          .describe(
            "what made the old digests that were wrapped, or lie sealed; null: the passwords themselves went through it",
          ),
      }),
    ),
    days: z
      .array(
        z.object({
          day: z.iso.date(),
          counts: z.array(z.object({ scheme: z.string(), records: z.number().int() })),
        }),
      )
      .describe("oldest first; the last is today, counted now"),
  })
  .meta({ id: "HashFleet" });

/** How many passwords are stored under which scheme, today and over the last days. */
export type HashFleet = z.output<typeof hashFleet>;

/** How people sign in, and how many have a second factor. */
export const signInFigures = z
  .object({
    days: z
      .array(
        z.object({
          day: z.iso.date(),
          ways: z.array(
            z.object({
              proofs: z
                .array(z.string())
                .describe(
                  "in the order in which they are shown: password, mail, passkey, totp, recovery-code",
                ),
              signIns: z.number().int(),
            }),
          ),
        }),
      )
      .describe("days on which anybody signed in (UTC), oldest first; the last is counted now"),
    accounts: z
      .object({
        active: z.number().int(),
        withSecondFactor: z.number().int().describe("an authenticator app, a passkey, or both"),
        withAuthenticator: z.number().int(),
        withPasskey: z.number().int(),
      })
      .describe("active ones"),
    duty: z
      .object({
        everybody: z.boolean(),
        labels: z.array(z.string()).describe("whoever carries one of these must have a second factor"),
        passkeyOnly: z.array(z.string()).describe("for whoever carries one of these only a passkey counts"),
        accounts: z.number().int().describe("active ones that must have one"),
        missing: z
          .number()
          .int()
          .describe("of these: they have none yet, and set it up at their next sign-in"),
      })
      .describe("who must have a second factor"),
  })
  .meta({ id: "SignInFigures" });

/** How people signed in, day by day. */
export type SignInFigures = z.output<typeof signInFigures>;

/** A password record taken apart along its own string; its digest is shortened. */
export const passwordExplanation = z
  .object({
    scheme: z.string(),
    algorithm: z.string(),
    segments: z.array(recordSegment),
    memoryBytes: z.number(),
    saltBytes: z.number(),
    hashBytes: z.number(),
    current: z.boolean().describe("made exactly as configured now"),
    configuredScheme: z.string(),
    millisecondsHere: z
      .number()
      .nullable()
      .describe(
        "estimated for one check on this machine; null for another algorithm than the configured one",
      ),
    setAt: timestamp.describe("when the password was set"),
    recordMadeAt: timestamp.describe(
      "when the record was made; later than setAt if it was re-made at a sign-in",
    ),
  })
  .meta({ id: "PasswordExplanation" });

/** A stored record, segment by segment; salt and digest as their lengths. */
export type PasswordExplanation = z.output<typeof passwordExplanation>;

/** One account in full, for operators. */
export const accountDetail = z
  .object({
    account: operatorAccount,
    password: z
      .union([passwordExplanation, z.object({ unreadable: z.string() })])
      .nullable()
      .describe("null: the account has no password"),
    secondFactor: z.object({
      authenticators: z.array(
        authenticator.extend({
          driftSeconds: z
            .number()
            .int()
            .describe("by which its clock was seen to be off; the window is shifted by it"),
        }),
      ),
      passkeys: z.array(passkey.extend({ signCount: z.number().int() })),
      recoveryCodesLeft: z.number().int(),
    }),
    row: z
      .array(z.object({ table: z.string(), column: z.string(), value: z.string().nullable() }))
      .describe("the rows as stored, column by column; digests shortened"),
  })
  .meta({ id: "AccountDetail" });

/** An account with all that operators see of it. */
export type AccountDetail = z.output<typeof accountDetail>;

/** A web application registered here. */
export const app = z
  .object({
    id,
    clientId: z.string(),
    name: z.string(),
    redirectUris: z.array(z.string()),
    signedOutUris: z.array(z.string()),
    ownForms: z.boolean().describe("whether it may act for people with forms of its own, under its key"),
    basicPasswords: z
      .boolean()
      .describe("whether it may have people's own passwords checked that came as HTTP Basic"),
    rights: z.array(z.string()).describe("accounts: its server may find, add, invite and change accounts"),
    home: z.string().nullable().describe("address of its first page, to which people's pages lead back"),
    initiateLoginUri: z.string().nullable().describe("where a sign-in is begun at it from outside"),
    linkAddresses: z
      .record(z.string(), z.string())
      .describe("its own pages to which mailed links lead, by what they are for"),
    createdAt: timestamp,
    asked: z
      .array(z.object({ kind: z.string(), today: z.number().int(), thirtyDays: z.number().int() }))
      .describe("how often it asked, by kind of question"),
    keys: z.array(z.object({ id, createdAt: timestamp, lastUsedAt: timestamp.nullable() })),
  })
  .meta({ id: "App" });

/** A registered application. */
export type App = z.output<typeof app>;

/** Failures counted against an account, a network, or a name that nobody has. */
export const throttleEntry = z
  .object({
    id: z.string(),
    kind: z.enum([
      "account-strange",
      "account-known",
      "account-own",
      "account-factor",
      "account-factor-known",
      "account-factor-reset",
      "account-codes-by-mail",
      "account-usernames",
      "name",
      "account-hashing",
      "account-changes",
      "account-copies",
      "account-keys",
      "undo-link",
      "link-hashing",
      "network",
      "network-registrations",
      "network-mail",
      "network-challenges",
      "address-mail",
      "device-mail",
      "app-work",
    ]),
    subject: z
      .string()
      .nullable()
      .describe("the account's id or the network; of a typed name the account that has it, never the name"),
    failures: z.number().int(),
    state: z.enum(["open", "waiting", "closed"]),
    waitUntil: timestamp.nullable(),
    changedAt: timestamp,
  })
  .meta({ id: "ThrottleEntry" });

/** A count that makes somebody wait. */
export type ThrottleEntry = z.output<typeof throttleEntry>;

/** What can become of a notice on its way. */
export const DELIVERY_STATES = ["waiting", "delivered", "given-up"] as const;
/** One of `DELIVERY_STATES`. */
export type DeliveryState = (typeof DELIVERY_STATES)[number];

/** One notice on its way to the application. */
export const delivery = z
  .object({
    id: id.describe("also the message's webhook-id"),
    type: z.string(),
    accountId: id.nullable(),
    state: z.enum(DELIVERY_STATES),
    tries: z.number().int(),
    createdAt: timestamp,
    nextTryAt: timestamp.nullable(),
    lastTryAt: timestamp.nullable(),
    lastAnswer: z.string().nullable().describe("the status, or why there was none"),
    body: z.string(),
  })
  .meta({ id: "Delivery" });
/** A notice on its way to the application. */
export type Delivery = z.output<typeof delivery>;
