/** What an application says once, and what follows from it. */
import { MAIL_LANGUAGES, ownPathOr } from "@lucchetto/contract/apps";
import type { Language } from "@lucchetto/contract/language";
import { knownLanguage } from "@lucchetto/contract/language";
import { assertWanted } from "./access-requirements.ts";
import type { Guard } from "./guard.ts";
import { assertPattern } from "./guard.ts";
import type { KeptTokens } from "./kept-tokens.ts";
import type { Lucchetto } from "./service.ts";

/** Of forms of the application's own. */
export interface FormsOptions {
  /**
   * Path of the form. Guests at closed pages are sent to it with `?next=` the page they wanted, and whoever signed in there and
   * lacks something with `lacks=level` or `lacks=freshness`, too.
   */
  readonly page: string;
  /** Whether guests are sent to it; `true` unless said otherwise. `false`: they are sent to Lucchetto. */
  readonly takesGuests?: boolean;
  /** Where the visitors' tokens are kept. This process's memory unless said otherwise: instances that share visitors need a shared one. */
  readonly keep?: KeptTokens;
}

/** How an application is registered with Lucchetto. `lucchetto app add` prints all of it. */
export interface HaspOptions {
  /** Lucchetto's public address, such as `https://accounts.example`. */
  readonly service: string;
  /**
   * Where this server reaches Lucchetto, if not by its public address: `http://accounts.internal:8420`. Lucchetto answers
   * there if the name stands under `listen.hosts` in its configuration.
   */
  readonly internalAddress?: string;
  readonly clientId: string;
  /** The app key (`lcp_…`); from the environment, never from the code. Undefined is refused, with a word. */
  readonly appKey: string | undefined;
  /** The registered return address. The hasp answers at its path; nothing else may stand there. */
  readonly returnAddress: string;
  /** A registered address where people land after signing out. Lucchetto's own page if left out. */
  readonly signedOutAddress?: string;
  /** Paths of this application at which the hasp begins and ends sign-ins. */
  readonly paths?: {
    readonly signIn?: string;
    readonly register?: string;
    readonly signOut?: string;
    /** Of the stream for open pages; its browser module stands at the same path with `.js`. */
    readonly live?: string;
  };
  /** Says what is wrong with the set-up on a page. `true` unless NODE_ENV is `production`. */
  readonly development?: boolean;
  /** Where warnings go: the application's log for Fastify, node's warnings otherwise. */
  readonly warn?: (text: string) => void;
  /** Of the hasp's own small pages where a browser names neither `en` nor `it`. `en` unless said otherwise. */
  readonly language?: Language;
  /** Milliseconds to wait for Lucchetto. 5 seconds unless said otherwise. */
  readonly timeout?: number;
  /** Paths that are closed, or open, without each route saying so. */
  readonly guard?: Guard;
  /**
   * Lets a page's cookie change something whatever page sent it. `false` unless said otherwise. The price: the application
   * keeps foreign pages' requests apart by itself.
   */
  readonly changesFromAnywhere?: boolean;
  /**
   * Takes people's own passwords as HTTP Basic; the app must be registered with `--basic-passwords`. `prompt`: browsers are asked for it
   * too, in their own window, and nobody is sent to Lucchetto's pages. The price: no second factor, and no signing out but by closing the browser.
   */
  readonly basicPasswords?: boolean | "prompt";
  /**
   * Forms of the application's own (`lucchetto app add --own-forms`): `hasp.forms` calls Lucchetto for the visitor in front of them, and
   * whoever signs in there is known at closed pages. The price: the application sees people's passwords.
   */
  readonly forms?: FormsOptions;
  /**
   * Asks Lucchetto at a guest's first open page of a visit whether they are signed in there (`prompt=none`), so that nobody who is has to
   * press "Sign in". `false` unless said otherwise. The price: each guest's first page takes two redirects more, Lucchetto sees that visit,
   * and while it is away that first page is not shown.
   */
  readonly askSilently?: boolean;
  /**
   * Milliseconds for which an answer may be used again, up to 60,000. 0 unless said otherwise. The price: a session that
   * ended, a suspended account and a changed label show that much later.
   */
  readonly keepAnswersFor?: number;
  /**
   * While Lucchetto cannot be reached: `closed` (unless said otherwise) refuses closed pages; `last-known` lets in whoever
   * was known within the last five minutes. The price: a session that ended meanwhile goes on for as long.
   */
  readonly whenUnreachable?: "closed" | "last-known";
  /** From `@lucchetto/hasp/testing`: stands in for the service in an application's own tests. */
  readonly testing?: { readonly lucchetto: Lucchetto };
}

/** Options with everything filled in. */
export interface HaspSettings {
  readonly service: string;
  /** Where calls go to. */
  readonly callsTo: string;
  readonly clientId: string;
  readonly appKey: string;
  readonly returnAddress: URL;
  readonly signedOutAddress: string | null;
  readonly paths: {
    readonly signIn: string;
    readonly register: string;
    readonly signOut: string;
    readonly live: string;
  };
  readonly development: boolean;
  readonly warn: (text: string) => void;
  readonly language: Language;
  readonly timeout: number;
  readonly guard: Guard | undefined;
  readonly basicPasswords: boolean | "prompt";
  readonly changesFromAnywhere: boolean;
  readonly forms: FormsOptions | null;
  readonly askSilently: boolean;
  readonly keepAnswersFor: number;
  readonly whenUnreachable: "closed" | "last-known";
  readonly testing: HaspOptions["testing"] | undefined;
}

const DEFAULT_TIMEOUT = 5_000;
const MAX_KEPT_MILLISECONDS = 60_000;

/** The set-up cannot work. The message names the option, what was found and what is expected. */
export class HaspOptionsError extends Error {
  override readonly name = "HaspOptionsError";
}

/** @throws HaspOptionsError. */
export function readOptions(options: HaspOptions): HaspSettings {
  const returnAddress = readAddress("returnAddress", options.returnAddress);
  const service = readAddress("service", options.service).href.replace(/\/+$/, "");
  const callsTo =
    options.internalAddress === undefined
      ? service
      : readAddress("internalAddress", options.internalAddress).href.replace(/\/+$/, "");
  if (options.clientId === "")
    throw new HaspOptionsError("clientId: it is empty; `lucchetto app list` shows the client ids");
  const fault = faultOfKey(options.appKey);
  if (options.appKey === undefined || fault !== null) throw new HaspOptionsError(`appKey: ${fault}`);
  const { keepAnswersFor = 0, guard } = options;
  if (!(keepAnswersFor >= 0 && keepAnswersFor <= MAX_KEPT_MILLISECONDS)) {
    throw new HaspOptionsError(
      `keepAnswersFor: found ${keepAnswersFor}, expected milliseconds from 0 to ${MAX_KEPT_MILLISECONDS}`,
    );
  }
  const { basicPasswords = false } = options;
  if (![true, false, "prompt"].includes(basicPasswords))
    throw new HaspOptionsError(
      `basicPasswords: found ${JSON.stringify(basicPasswords)}, expected true, false or "prompt"`,
    );
  if (guard !== undefined) assertGuard(guard);
  const page = options.forms?.page;
  if (page !== undefined && (/[?#]/.test(page) || ownPathOr("", page) === ""))
    throw new HaspOptionsError(
      `forms.page: found ${JSON.stringify(page)}, expected a path of the application such as /desk`,
    );
  if (options.testing !== undefined && process.env["NODE_ENV"] === "production")
    throw new HaspOptionsError(
      "testing: found in production, where everybody could be anybody; leave it out",
    );
  return {
    service,
    callsTo,
    clientId: options.clientId,
    appKey: options.appKey,
    returnAddress,
    signedOutAddress:
      options.signedOutAddress === undefined
        ? null
        : readAddress("signedOutAddress", options.signedOutAddress).href,
    paths: {
      signIn: options.paths?.signIn ?? "/sign-in",
      register: options.paths?.register ?? "/register",
      signOut: options.paths?.signOut ?? "/sign-out",
      live: options.paths?.live ?? "/hasp-live",
    },
    development: options.development ?? process.env["NODE_ENV"] !== "production",
    warn: options.warn ?? ((text) => process.emitWarning(text)),
    language: readLanguage(options.language),
    timeout: options.timeout ?? DEFAULT_TIMEOUT,
    guard: options.guard,
    basicPasswords,
    changesFromAnywhere: options.changesFromAnywhere ?? false,
    forms: options.forms ?? null,
    askSilently: options.askSilently === true,
    keepAnswersFor: options.keepAnswersFor ?? 0,
    whenUnreachable: options.whenUnreachable ?? "closed",
    testing: options.testing,
  };
}

function readLanguage(language: Language = "en"): Language {
  if (knownLanguage(language) !== null) return language;
  throw new HaspOptionsError(
    `language: found ${JSON.stringify(language)}, expected one of ${MAIL_LANGUAGES.join(", ")}`,
  );
}

/** What is wrong with an app key; `null` if it looks like one. */
export function faultOfKey(appKey: string | undefined): string | null {
  if (appKey === undefined || appKey === "")
    return "LUCCHETTO_APP_KEY is not set (there is no app key); `lucchetto app add` and `app new-key` show one";
  if (appKey.startsWith("lcp_")) return null;
  return "expected an app key, which begins with lcp_ (is another value in its place?)";
}

function assertGuard(guard: Guard): void {
  const entries = "open" in guard ? guard.open : guard.closed;
  for (const [index, one] of entries.entries()) {
    try {
      if (typeof one === "string") assertPattern(one);
      else {
        assertPattern(one.path);
        assertWanted(one);
      }
    } catch (error) {
      throw new HaspOptionsError(`guard.${index}: ${(error as Error).message}`);
    }
  }
}

function readAddress(name: string, text: string): URL {
  const url = URL.canParse(text) ? new URL(text) : null;
  if (url?.protocol === "http:" || url?.protocol === "https:") return url;
  throw new HaspOptionsError(
    `${name}: found ${JSON.stringify(text)}, expected an address such as https://accounts.example`,
  );
}
