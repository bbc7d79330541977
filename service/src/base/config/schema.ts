/**
 * The configuration: every setting with its type, its default and, in `expected`, the words that a message uses for
 * what belongs there.
 */
import type { X509Certificate } from "node:crypto";
import { availableParallelism } from "node:os";
import type { KeyRing, LinkPurpose } from "@lucchetto/core";
import {
  DEFAULT_MINIMUM_LENGTH,
  DEFAULT_SCHEME_TEXT,
  floorsMissedBy,
  isLoopbackHost,
  LANGUAGES,
  readScheme,
  SchemeError,
} from "@lucchetto/core";
import type { CoseAlgorithm } from "@lucchetto/core/passkey";
import ipaddr from "ipaddr.js";
import { z } from "zod";
import { DAY, readDuration } from "../duration.ts";
import type { Templates } from "../mail-text/templates.ts";

declare module "zod" {
  interface GlobalMeta {
    /** What belongs into a setting, for messages. */
    expected?: string;
  }
}

/** Brass. */
export const DEFAULT_COLOUR = "#866729";

const ERASE_AFTER = "a duration such as 7d, from 1m to 90d, or 0 for at once";

const duration = (shortest: number, longest: number, expected: string) =>
  z
    .string()
    .transform((text, context) => {
      const milliseconds = readDuration(text);
      if (milliseconds !== null && milliseconds >= shortest && milliseconds <= longest) return milliseconds;
      context.addIssue({ code: "custom", message: expected });
      return z.NEVER;
    })
    .meta({ expected });

const sessionLimits = (idle: string, absolute: string) =>
  z
    .strictObject({
      idle: duration(10_000, 400 * DAY, "a duration such as 30m, from 10s to 400d").prefault(idle),
      absolute: duration(10_000, 400 * DAY, "a duration such as 12h, from 10s to 400d").prefault(absolute),
    })
    .prefault({});

/** Left out, each depends on the mode. */
const windowLimit = z
  .strictObject({
    most: z.number().int().min(1).max(1_000_000).meta({ expected: "a number from 1 to 1000000" }).optional(),
    window: duration(1_000, 30 * DAY, "a duration such as 15m, from 1s to 30d").optional(),
  })
  .prefault({});

/** At most a day for what signs in or sets a password (63B section 4.2). */
const linkLife = (purpose: LinkPurpose, byDefault: string, longest: number) =>
  duration(
    60_000,
    longest,
    `a duration from 1m to ${longest / DAY === 1 ? "24h" : `${longest / DAY}d`} for ${purpose} links`,
  ).prefault(byDefault);

const need = (byDefault: "required" | "optional") =>
  z.enum(["required", "optional", "off"]).default(byDefault).meta({ expected: "required, optional or off" });

const receiver = z
  .string()
  .refine((text) => URL.canParse(text) && /^https?:$/.test(new URL(text).protocol))
  .optional()
  .meta({ expected: "the address of the application's receiver, such as https://huts.example/webhooks" });

/** The address that a mail comes from: alone, or with a name before it. */
const SENDER = /^(?:[^<>"\r\n]{1,80} )?<?[^\s<>@"]+@[^\s<>@"]+>?$/;

const labelList = z.array(z.string().regex(/^[a-z0-9][a-z0-9._-]{0,39}$/)).max(50);

/** As browsers write it: no path, no slash at the end. */
const originText = z.string().refine((text) => {
  const url = URL.canParse(text) ? new URL(text) : null;
  if (url === null || url.origin !== text) return false;
  return url.protocol === "https:" || (url.protocol === "http:" && isLoopbackHost(url.hostname));
});

const pagePath = (byDefault: string) =>
  z
    .string()
    .regex(/^(?:\/(?![/\\])[\x21-\x5b\x5d-\x7e]*|app:[\x21-\x7e]{1,63})$/)
    .default(byDefault)
    .meta({ expected: "a path on this service such as /account, or an application such as app:hut-book" });

/** The client id of a landing that names an application, as `app:hut-book`; `null`: it is a path. */
export function appOfLanding(landing: string): string | null {
  return /^app:(.+)$/.exec(landing)?.[1] ?? null;
}

export const configurationSchema = z.strictObject({
  mode: z.enum(["development", "production"]).meta({ expected: "development or production" }),
  publicUrl: z
    .string()
    .transform((text, context) => {
      const url = URL.canParse(text) ? new URL(text) : null;
      const plain = url !== null && url.search === "" && url.hash === "" && url.username === "";
      if (plain && (url.protocol === "http:" || url.protocol === "https:")) return text.replace(/\/+$/, "");
      context.addIssue({ code: "custom", message: "not a web address" });
      return z.NEVER;
    })
    .meta({ expected: "the address people see, such as https://accounts.example" }),
  listen: z
    .strictObject({
      host: z.string().min(1).default("127.0.0.1").meta({ expected: "a host name or address to listen on" }),
      port: z.number().int().min(0).max(65_535).default(8420).meta({ expected: "a port from 0 to 65535" }),
      hosts: z
        .array(z.string().regex(/^[a-z0-9.-]+(:[0-9]{1,5})?$|^\[[0-9a-f:]+\](:[0-9]{1,5})?$/))
        .default([])
        .meta({
          expected: "a list of internal host names by which the service is called, such as [accounts:8420]",
        }),
      requestTimeout: duration(1_000, 600_000, "a duration such as 10s, from 1s to 10m").prefault("10s"),
      grace: duration(0, 60_000, "a duration such as 2s, up to 1m").optional(),
    })
    .prefault({}),
  trustedProxies: z
    .array(z.string().refine((text) => ipaddr.isValid(text) || ipaddr.isValidCIDR(text)))
    .default([])
    .meta({ expected: "a list of addresses or networks such as [127.0.0.1, 10.0.0.0/8]" }),
  forwardedHeader: z
    .enum(["X-Forwarded-For", "Forwarded"])
    .default("X-Forwarded-For")
    .meta({ expected: "X-Forwarded-For or Forwarded" }),
  site: z
    .strictObject({
      name: z
        .string()
        .min(1)
        .max(60)
        .default("This site")
        .meta({ expected: "the site's name, 1 to 60 characters" }),
      colour: z
        .string()
        .regex(/^#[0-9a-fA-F]{6}$/)
        .default(DEFAULT_COLOUR)
        .meta({ expected: "a colour such as #866729, for the main button of pages and mails" }),
      stylesheet: z.string().min(1).optional().meta({
        expected: "the path of a stylesheet of at most 200 KB, for the people's pages",
      }),
      logo: z.string().min(1).optional().meta({
        expected: "the path of a PNG or JPEG picture of at most 200 KB, for the head of pages and mails",
      }),
      language: z.enum(LANGUAGES).default("en").meta({ expected: "en or it" }),
    })
    .prefault({}),
  database: z.strictObject({
    url: z
      .string()
      .refine((text) => URL.canParse(text) && /^(mariadb|mysql):$/.test(new URL(text).protocol))
      .meta({ expected: "an address such as mariadb://lucchetto@127.0.0.1:3306/lucchetto" }),
    passwordFile: z
      .string()
      .min(1)
      .optional()
      .meta({ expected: "the path of a file of mode 0600 that holds the database password" }),
    connections: z
      .number()
      .int()
      .min(1)
      .max(500)
      .default(10)
      .meta({ expected: "a number of connections from 1 to 500" }),
    atStart: z.enum(["wait", "fail"]).default("wait").meta({ expected: "wait or fail" }),
    deadline: duration(1_000, 600_000, "a duration such as 6s, from 1s to 10m").prefault("6s"),
  }),
  accounts: z
    .strictObject({
      email: need("required"),
      username: need("optional"),
      tellTaken: z.boolean().optional().meta({ expected: "true or false" }),
      verifyEmail: z.enum(["required", "reminded"]).optional().meta({ expected: "required or reminded" }),
      passwordWhenInvited: z
        .enum(["required", "optional"])
        .default("required")
        .meta({ expected: "required or optional" }),
      eraseAfter: z
        .union([z.literal([0, "0"]).transform(() => 0), duration(60_000, 90 * DAY, ERASE_AFTER)])
        .prefault("7d")
        .meta({ expected: ERASE_AFTER }),
    })
    .prefault({}),
  passwords: z
    .strictObject({
      rules: z.enum(["on", "off"]).default("on").meta({ expected: "on or off" }),
      minimumLength: z
        .number()
        .int()
        .min(8)
        .max(128)
        .default(DEFAULT_MINIMUM_LENGTH)
        .meta({ expected: "a whole number from 8 to 128" }),
      pepper: z.enum(["on", "off"]).default("off").meta({ expected: "on or off" }),
      compromisedList: z
        .string()
        .min(1)
        .optional()
        .meta({ expected: "the path of a list compiled by: lucchetto password-list build" }),
      hashing: z
        .strictObject({
          scheme: z
            .string()
            .default(DEFAULT_SCHEME_TEXT)
            .transform((text, context) => {
              try {
                const scheme = readScheme(text);
                if (scheme.algorithm.makes && scheme.pepper === null && scheme.recipe === null) return scheme;
              } catch (error) {
                if (!(error instanceof SchemeError)) throw error;
              }
              context.addIssue({ code: "custom", message: "not a scheme for new records" });
              return z.NEVER;
            })
            .meta({
              expected:
                "the PHC prefix of scrypt, argon2id, pbkdf2-sha256 or pbkdf2-sha512, such as $scrypt$ln=15,r=8,p=3 (the pepper is passwords.pepper)",
            }),
          parallel: z
            .number()
            .int()
            .min(1)
            .max(64)
            .default(Math.max(1, availableParallelism() - 1))
            .meta({ expected: "a number of hashes at once from 1 to 64" }),
          queue: z
            .number()
            .int()
            .min(0)
            .max(10_000)
            .default(100)
            .meta({ expected: "a number of waiting hashes from 0 to 10000" }),
          wait: duration(1_000, 600_000, "a duration such as 15s, from 1s to 10m").prefault("15s"),
        })
        .prefault({}),
    })
    .prefault({}),
  signIn: z
    .strictObject({
      mailLink: z
        .enum(["off", "on", "register"])
        .default("on")
        .meta({ expected: "off, on, or register (new addresses too)" }),
    })
    .prefault({}),
  secondFactor: z
    .strictObject({
      required: z
        .union([z.literal("everybody"), labelList])
        .default([])
        .meta({ expected: "everybody, or a list of labels such as [keeper]" }),
      passkeyOnly: labelList.default([]).meta({ expected: "a list of labels such as [keeper]" }),
    })
    .prefault({}),
  passkeys: z
    .strictObject({
      relyingPartyId: z
        .string()
        .max(253)
        .regex(/^[a-z0-9]([a-z0-9-]*[a-z0-9])?(\.[a-z0-9]([a-z0-9-]*[a-z0-9])?)*$/)
        .optional()
        .meta({ expected: "the host of publicUrl or a parent domain of it, such as brina.example" }),
      origins: z
        .array(originText)
        .max(20)
        .default([])
        .meta({ expected: "a list of origins besides publicUrl's, such as [https://huts.brina.example]" }),
      topOrigins: z
        .array(originText)
        .max(20)
        .default([])
        .meta({ expected: "a list of origins whose pages may frame ours, such as [https://portal.example]" }),
      algorithms: z
        .array(z.enum(["EdDSA", "ES256", "ES384", "ES512", "RS256"]))
        .min(1)
        .default(["EdDSA", "ES256", "RS256"])
        .meta({ expected: "a list of EdDSA, ES256, ES384, ES512 and RS256, the first one preferred" }),
      attestation: z.enum(["none", "direct"]).optional().meta({ expected: "none or direct" }),
      trustAnchors: z.string().min(1).optional().meta({
        expected: "the path of a folder with PEM certificates of the authenticators that are trusted",
      }),
      names: z.string().min(1).optional().meta({
        expected: "the path of a JSON file that names authenticators, in the form of FIDO metadata",
      }),
      counterBehind: z.enum(["refuse", "note"]).default("refuse").meta({ expected: "refuse or note" }),
      giveUp: z.array(z.string().max(253)).default([]).meta({
        expected: "a list of former relying party ids whose passkeys may be lost",
      }),
    })
    .prefault({}),
  links: z
    .strictObject({
      verify: linkLife("verify", "24h", 30 * DAY),
      reset: linkLife("reset", "30m", DAY),
      signIn: linkLife("sign-in", "10m", DAY),
      invite: linkLife("invite", "7d", 30 * DAY),
      changeEmail: linkLife("change-email", "1h", 7 * DAY),
      undoChange: linkLife("undo-change", "7d", 90 * DAY),
    })
    .prefault({}),
  mail: z
    .strictObject({
      via: z
        .enum(["smtp", "mailbox", "none"])
        .optional()
        .meta({ expected: "smtp, mailbox (development), or none" }),
      from: z
        .string()
        .max(254)
        .regex(SENDER)
        .optional()
        .meta({ expected: "the sender, such as Brina Huts <huts@brina.example>" }),
      templates: z
        .string()
        .min(1)
        .optional()
        .meta({ expected: "the path of a folder with templates of your own" }),
      smtp: z
        .strictObject({
          url: z
            .string()
            .refine((text) => URL.canParse(text) && /^smtps?:$/.test(new URL(text).protocol))
            .optional()
            .meta({
              expected: "an address such as smtps://huts@mail.example:465 or smtp://huts@mail.example:587",
            }),
          passwordFile: z.string().min(1).optional().meta({
            expected: "the path of a file of mode 0600 that holds the password for the mail server",
          }),
          startTls: z.enum(["required", "optional"]).optional().meta({ expected: "required or optional" }),
          authorityFile: z.string().min(1).optional().meta({
            expected: "the path of a PEM file with the authority that the server's certificate is from",
          }),
          connections: z
            .number()
            .int()
            .min(1)
            .max(50)
            .default(5)
            .meta({ expected: "a number of connections from 1 to 50" }),
          timeout: duration(1_000, 10 * 60_000, "a duration such as 30s, from 1s to 10m").prefault("30s"),
        })
        .prefault({}),
    })
    .prefault({}),
  sessions: z
    .strictObject({
      ordinary: sessionLimits("30m", "12h"),
      remembered: sessionLimits("14d", "30d"),
      keepEnded: duration(
        DAY,
        3_650 * DAY,
        "how long ended sessions are kept as history, such as 90d, from 1d to 3650d",
      ).prefault("90d"),
    })
    .prefault({}),
  throttle: z
    .strictObject({
      free: z
        .number()
        .int()
        .min(1)
        .max(20)
        .default(5)
        .meta({ expected: "a number of free failures from 1 to 20" }),
      firstWait: duration(1_000, DAY, "a duration such as 5s, from 1s to 1d").optional(),
      longestWait: duration(1_000, DAY, "a duration such as 15m, from 1s to 1d").optional(),
      network: windowLimit,
      registrations: windowLimit,
      apps: windowLimit,
      challenges: windowLimit,
    })
    .prefault({}),
  keys: z
    .strictObject({
      file: z
        .string()
        .min(1)
        .optional()
        .meta({ expected: "the path of a file of mode 0600 that holds the key ring" }),
    })
    .prefault({}),
  webhooks: z
    .strictObject({
      secretFile: z
        .string()
        .min(1)
        .optional()
        .meta({ expected: "the path of a file of mode 0600 that holds a signing secret (whsec_…)" }),
      privateReceivers: z
        .array(z.string().refine((text) => ipaddr.isValid(text) || ipaddr.isValidCIDR(text)))
        .default([])
        .meta({ expected: "a list of addresses or networks such as [127.0.0.1, 10.0.0.0/8]" }),
      consult: z
        .strictObject({
          url: receiver,
          timeout: duration(100, 10_000, "a duration such as 3s, up to 10s").prefault("3s"),
          whenSilent: z.enum(["refuse", "allow"]).optional().meta({ expected: "refuse or allow" }),
          parallel: z
            .number()
            .int()
            .min(1)
            .max(1_000)
            .default(32)
            .meta({ expected: "a number from 1 to 1000" }),
        })
        .prefault({}),
      notify: z
        .strictObject({
          url: receiver,
          timeout: duration(100, 60_000, "a duration such as 10s, up to 60s").prefault("10s"),
        })
        .prefault({}),
    })
    .prefault({}),
  journal: z
    .strictObject({
      keepFor: duration(30 * DAY, 4_000 * DAY, "a duration such as 400d, from 30d to 4000d").prefault("400d"),
      headFile: z
        .string()
        .min(1)
        .optional()
        .meta({ expected: "the path of a file in which the service keeps the head of the journal's chain" }),
    })
    .prefault({}),
  metrics: z
    .strictObject({
      from: z
        .array(z.string().refine((text) => ipaddr.isValid(text) || ipaddr.isValidCIDR(text)))
        .default(["127.0.0.1", "::1"])
        .meta({ expected: "a list of addresses or networks such as [127.0.0.1, 10.0.0.0/8]" }),
      port: z
        .number()
        .int()
        .min(1)
        .max(65_535)
        .optional()
        .meta({ expected: "a port from 1 to 65535, besides listen.port, that answers /metrics alone" }),
      host: z
        .string()
        .min(1)
        .default("127.0.0.1")
        .meta({ expected: "a host name or address to listen on for metrics.port" }),
    })
    .prefault({}),
  proxyCheck: z
    .strictObject({
      clientId: z
        .string()
        .min(1)
        .optional()
        .meta({ expected: "the client id of the application behind the proxy" }),
      proxies: z
        .array(z.string().refine((text) => ipaddr.isValid(text) || ipaddr.isValidCIDR(text)))
        .default([])
        .meta({ expected: "a list of addresses or networks such as [127.0.0.1, 10.0.0.0/8]" }),
      changesFromAnywhere: z.boolean().default(false).meta({ expected: "true or false" }),
    })
    .prefault({}),
  landings: z
    .strictObject({
      afterSignIn: pagePath("/account"),
      afterRegistering: pagePath("/account"),
      afterSignOut: pagePath("/sign-in"),
    })
    .prefault({}),
  lookInside: z.enum(["on", "off"]).default("on").meta({ expected: "on or off (development)" }),
  log: z
    .strictObject({
      level: z
        .enum(["debug", "info", "warn", "error", "silent"])
        .default("info")
        .meta({ expected: "debug, info, warn, error or silent" }),
    })
    .prefault({}),
});

/** The throttle's settings with what depends on the mode filled in; milliseconds. */
export interface ThrottleSettings {
  readonly free: number;
  readonly firstWait: number;
  readonly longestWait: number;
  readonly network: { readonly most: number; readonly window: number };
  readonly registrations: { readonly most: number; readonly window: number };
  /** Calls by which one app works on accounts. */
  readonly apps: { readonly most: number; readonly window: number };
  /** Challenges for passkeys, for those who are not signed in. */
  readonly challenges: { readonly most: number; readonly window: number };
}

/** The webhooks' settings with the signing secret and what the mode says. */
export interface WebhookSettings {
  /** `null`: no receiver is configured. */
  readonly secret: Uint8Array | null;
  readonly reach: { readonly everywhere: boolean; readonly listed: readonly string[] };
  readonly consult: {
    readonly url?: string | undefined;
    readonly timeout: number;
    readonly whenSilent: "refuse" | "allow";
    readonly parallel: number;
  };
  readonly notify: { readonly url?: string | undefined; readonly timeout: number };
}

/** How mail leaves, with what the mode says and the password filled in. */
export type MailSettings =
  | { readonly via: "none" | "mailbox"; readonly from: string }
  | {
      readonly via: "smtp";
      readonly from: string;
      readonly host: string;
      readonly port: number;
      /** TLS from the first byte (RFC 8314); otherwise STARTTLS. */
      readonly isTls: boolean;
      readonly mustStartTls: boolean;
      readonly user: string | null;
      readonly password: string | null;
      /** PEM. */
      readonly authority: string | null;
      readonly connections: number;
      /** Milliseconds. */
      readonly timeout: number;
    };

/** The relying party of passkeys, and what it takes. */
export interface PasskeySettings {
  readonly relyingPartyId: string;
  /** The public address's first. */
  readonly origins: readonly string[];
  /** Of these, those that are no part of the relying party's domain (Web Authentication Level 3, section 5.11). */
  readonly relatedOrigins: readonly string[];
  readonly topOrigins: readonly string[];
  readonly algorithms: readonly CoseAlgorithm[];
  readonly attestation: "none" | "direct";
  /** Empty: every authenticator is trusted. */
  readonly trustAnchors: readonly X509Certificate[];
  /** Names of authenticators, by their AAGUID in hexadecimal. */
  readonly names: ReadonlyMap<string, string>;
  readonly counterBehind: "refuse" | "note";
  readonly giveUp: readonly string[];
}

/** Milliseconds that a link of each purpose lives. */
type LinkLives = Readonly<Record<LinkPurpose, number>>;

/** The configuration as the service uses it. */
export type Configuration = Omit<
  z.output<typeof configurationSchema>,
  "throttle" | "webhooks" | "mail" | "links" | "passkeys"
> & {
  readonly passkeys: PasskeySettings;
  readonly mail: MailSettings;
  /** Every template, an operator's own in place of the built-in one. */
  readonly templates: Templates;
  /** The picture at the head of pages and mails. */
  readonly logo: { readonly content: Buffer; readonly type: "image/png" | "image/jpeg" } | null;
  /** The operator's own, after the pages'. */
  readonly stylesheet: string | null;
  readonly links: LinkLives;
  /** Whether an address must be proved before a first sign-in. */
  readonly verifyEmail: "required" | "reminded";
  readonly throttle: ThrottleSettings;
  readonly webhooks: WebhookSettings;
  /** `null` in development alone, where what it keys is then keyed for this process only. */
  readonly keyRing: KeyRing | null;
  readonly databasePassword: string | null;
  /** Whether registering says that an address is taken. */
  readonly tellTaken: boolean;
  /** Milliseconds in which requests are still taken once the service was told to stop. */
  readonly grace: number;
};

/** What the mode demands beyond each single setting. @returns sentences, each with its remedy; empty if all is well. */
export function faultsOfMode(configuration: z.output<typeof configurationSchema>): string[] {
  const url = new URL(configuration.publicUrl);
  const faults: string[] = [];
  if (configuration.accounts.email === "off" && configuration.accounts.username === "off") {
    faults.push("accounts: email and username are both off; people need one of them to sign in");
  }
  if (configuration.passwords.pepper === "on" && configuration.keys.file === undefined) {
    faults.push("passwords.pepper: found on, which needs a key ring; name one in keys.file");
  }
  if (configuration.metrics.port === configuration.listen.port)
    faults.push(
      `metrics.port: found ${configuration.listen.port}, which is listen.port; expected another port`,
    );
  faults.push(...faultsOfMail(configuration));
  if (configuration.mode === "production") {
    if (url.protocol !== "https:") {
      faults.push(
        `publicUrl: found ${configuration.publicUrl}, expected an address that begins with https:// (production)`,
      );
    }
    if (configuration.passwords.rules === "off") {
      faults.push("passwords.rules: found off, expected on (production)");
    }
    if (configuration.keys.file === undefined) {
      faults.push(
        "keys.file: missing, expected the path of a key ring (production); make one with: lucchetto keys add",
      );
    }
    for (const name of ["consult", "notify"] as const) {
      const { url } = configuration.webhooks[name];
      if (url !== undefined && !url.startsWith("https:")) {
        faults.push(
          `webhooks.${name}.url: found ${url}, expected an address that begins with https:// (production)`,
        );
      }
    }
    const { scheme } = configuration.passwords.hashing;
    const floors = floorsMissedBy(scheme);
    if (floors !== null) {
      faults.push(
        `passwords.hashing.scheme: found ${scheme.text}, expected at least ${floors.join(" or ")} (production)`,
      );
    }
  } else faults.push(...faultsOfReach(configuration));
  return faults;
}

/** Development shows mails, traces and a clock to whoever reaches it: nobody but this machine does. */
function faultsOfReach({ publicUrl, listen, metrics }: z.output<typeof configurationSchema>): string[] {
  const faults: string[] = [];
  if (!isLoopbackHost(listen.host) && listen.host !== "::1")
    faults.push(
      `listen.host: found ${listen.host}, expected 127.0.0.1 or localhost (development listens on loopback only)`,
    );
  if (!isLoopbackHost(new URL(publicUrl).hostname))
    faults.push(
      `publicUrl: found ${publicUrl}, expected a loopback address such as http://localhost:8420 (development answers this machine alone); for others, set mode: production, which needs https`,
    );
  const reachable = listen.hosts.filter((host) => !isLoopbackHost(host.replace(/:\d+$/, "")));
  if (reachable.length > 0)
    faults.push(
      `listen.hosts: found ${reachable.join(", ")}, expected loopback names alone (development answers this machine alone)`,
    );
  if (metrics.port !== undefined && !isLoopbackHost(metrics.host) && metrics.host !== "::1")
    faults.push(
      `metrics.host: found ${metrics.host}, expected a loopback name (development answers this machine alone)`,
    );
  return faults;
}

function faultsOfMail({ mode, mail, accounts }: z.output<typeof configurationSchema>): string[] {
  const { via, smtp, from } = mail;
  const faults: string[] = [];
  const isSmtp = via === "smtp" || (via === undefined && smtp.url !== undefined);
  if (isSmtp && smtp.url === undefined)
    faults.push("mail.smtp.url: missing, expected an address such as smtps://huts@mail.example:465");
  if (isSmtp && from === undefined)
    faults.push("mail.from: missing, expected the sender, such as Brina Huts <huts@brina.example>");
  if (smtp.url !== undefined && via !== undefined && via !== "smtp")
    faults.push(`mail.via: found ${via}, but mail.smtp.url names a mail server; leave one of them out`);
  if (mode === "production" && !isSmtp && via !== "none") {
    faults.push(
      via === "mailbox"
        ? "mail.via: found mailbox, which is for development only; name a mail server in mail.smtp.url, or say on purpose: mail: none"
        : "mail: missing (production); name a mail server in mail.smtp.url and a sender in mail.from, or say on purpose: mail: none",
    );
  }
  if (via === "none" && accounts.verifyEmail === "required")
    faults.push("accounts.verifyEmail: found required, but without mail nobody can prove an address");
  return faults;
}
