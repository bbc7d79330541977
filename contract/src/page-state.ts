/** What the service writes into every page it serves, so that the page is the site's own from its first frame. */
import { z } from "zod";

/** An application that sent somebody here, and the address of its first page. */
export const visitedApp = z.object({ name: z.string(), home: z.string().nullable() });
/** An application that sent somebody here, and the address of its first page. */
export type VisitedApp = z.output<typeof visitedApp>;

/** An application to go to, and the address of its first page. */
export const appHome = z.object({ name: z.string(), home: z.string() });
export type AppHome = z.output<typeof appHome>;

/** Schema of `PageState`. */
export const pageState = z.object({
  site: z.object({
    name: z.string(),
    /** Path of the site's own picture; null: Lucchetto's mark. */
    logo: z.string().nullable(),
  }),
  /** Path under which the service lives; empty at the root. */
  basePath: z.string(),
  mode: z.enum(["development", "production"]),
  identifiers: z.object({
    email: z.enum(["required", "optional", "off"]),
    username: z.enum(["required", "optional", "off"]),
  }),
  minimumPasswordLength: z.number().int(),
  passwordRulesOff: z.boolean(),
  /** How mail leaves: to a mail server, into the built-in mailbox, or not at all. */
  mail: z.enum(["smtp", "mailbox", "none"]),
  /** Whether people may sign in by a mailed link, and new ones register by it. */
  mailLink: z.enum(["off", "on", "register"]),
  /** Whether registering signs in at once, or a mail comes first. */
  mailComesFirst: z.boolean(),
  /** How long a mailed link of each kind works, in words. */
  linksWorkFor: z.object({
    reset: z.string(),
    signIn: z.string(),
    verify: z.string(),
    undoChange: z.string(),
    undoFactor: z.string(),
  }),
  /** How long after asking for it an account is erased, in words; null: at once. */
  eraseAfter: z.string().nullable(),
  /** For whom passkeys are made. */
  relyingPartyId: z.string(),
  /** The language of the page, and the site's own. */
  language: z.enum(["en", "it"]),
  siteLanguage: z.enum(["en", "it"]),
  /** Where a person lands when nothing else was asked for. */
  landings: z.object({ afterSignIn: z.string(), afterRegistering: z.string(), afterSignOut: z.string() }),
  /** Set on an error page. */
  problem: z
    .object({
      code: z.string(),
      title: z.string(),
      meaning: z.string(),
      remedy: z.string(),
      /** Of this case; in development. */
      detail: z.string().optional(),
    })
    .optional(),
  /** Set on the sign-out page when an application sent the person there. */
  signOut: z
    .object({ appName: z.string(), returnTo: z.string().nullable(), automatic: z.boolean() })
    .optional(),
  /** Set on the pages of signing in, registering and reauthenticating when an application sent the person there. */
  visitedApp: visitedApp.optional(),
  /** Set on people's other pages: the applications that they can go back to. */
  apps: z.array(appHome).optional(),
});
/** What the service writes into a page for its script; nothing secret. */
export type PageState = z.output<typeof pageState>;
