/** The hasp: what hangs between an application and Lucchetto. At each request it asks who is there. */
import type { Account } from "@lucchetto/contract/apps";
import { ownPathOr } from "@lucchetto/contract/apps";
import type { AccessRequirements, LabelWish, UnmetRequirement } from "./access-requirements.ts";
import { assertWanted, firstUnmet, nameOfWish, stepUpParameters } from "./access-requirements.ts";
import type { SignedInAccount } from "./account.ts";
import { page, problem, redirect } from "./answers.ts";
import { createAuthorizationFlow } from "./authorization-flow.ts";
import { haspCookies } from "./cookies.ts";
import { readAuthorization } from "./credentials.ts";
import type { FormVisitors } from "./form-visitors.ts";
import { createFormVisitors } from "./form-visitors.ts";
import { readGuard } from "./guard.ts";
import type { Answer, IncomingRequest } from "./incoming-request.ts";
import { hasMatchingOrigin, isOwnOrigin, isPage, isReading, pathOf, queryOf } from "./incoming-request.ts";
import type { EventResponse } from "./live.ts";
import { createLive } from "./live.ts";
import { createLucchetto } from "./lucchetto.ts";
import type { HaspOptions } from "./options.ts";
import { HaspOptionsError, readOptions } from "./options.ts";
import { recentAnswers } from "./recent.ts";
import { createRecogniser } from "./recognise.ts";
import type { RouteMap } from "./route-map.ts";
import { createRouteMap, isMapShown, MAP_PATH } from "./route-map.ts";
import type { Accounts, LookUp } from "./service.ts";
import { LucchettoRefused, LucchettoUnreachable } from "./service.ts";
import { textsFor } from "./texts.ts";

/** Either somebody may pass, or this is the answer. */
export type AccessResult<Account> = { readonly account: Account } | { readonly answer: Answer };

/** The hasp without a framework: requests in, answers or people out. */
export interface Hasp {
  /** What the application's server does with accounts; for an app with the right `accounts`. */
  readonly accounts: Accounts;
  /**
   * Accounts by id or by the application's own references, 100 at once, to show names beside its own rows; unknown ones
   * are left out. @throws LucchettoUnreachable; RangeError for more than 100.
   */
  lookUp(wanted: LookUp): Promise<Account[]>;
  /** Whether an address is one that `own` and `live` look at; most are not, and need not wait for them. */
  isOwn(visit: IncomingRequest): boolean;
  /** The hasp's own addresses: sign-in, register, return, sign-out. `null` for all others. */
  own(visit: IncomingRequest): Promise<Answer | null>;
  /**
   * The stream for open pages, where the address is its own. @returns whether it took the request; then nobody else
   * answers.
   */
  live(visit: IncomingRequest, sink: () => EventResponse): Promise<boolean>;
  /** What the option `guard` wants at a path, all of it; nothing where it is open. */
  guarded(visit: IncomingRequest): readonly AccessRequirements[];
  /** Who is there, for a page open to all; `null` for a guest, and also when Lucchetto cannot be asked. */
  open(visit: IncomingRequest): Promise<SignedInAccount | null>;
  /**
   * With the option `askSilently`: where to send a guest at an open page, once a visit, to learn whether they are signed in at Lucchetto; they
   * come back to the same page. `null`: they stay.
   */
  askSilently(visit: IncomingRequest): Answer | null;
  /** Which routes there are, and what is kept of them. */
  readonly routes: RouteMap;
  /** Forms of the application's own, with the option `forms`. */
  readonly forms: Pick<FormVisitors, "before">;
  /** Who is there, for a closed page; else the answer: off to sign in for people, 401 for programs, 403, 503. */
  closed(visit: IncomingRequest, wanted?: AccessRequirements): Promise<AccessResult<SignedInAccount>>;
}

/** Makes a hasp. @throws HaspOptionsError if the set-up cannot work. */
export function createHasp(options: HaspOptions): Hasp {
  const settings = readOptions(options);
  const { service, returnAddress, paths } = settings;
  const cookies = haspCookies(returnAddress);
  const lucchetto = settings.testing?.lucchetto ?? createLucchetto(settings);
  const recent = recentAnswers();
  const live = createLive(lucchetto, cookies.readCheckToken);
  const forms = createFormVisitors(settings, { cookies });
  const flow = createAuthorizationFlow(settings, { lucchetto, cookies, recent, forms });
  const { recognise } = createRecogniser(settings, { lucchetto, cookies, recent });
  const guard = readGuard(settings.guard);
  const { signIn, register, signOut } = paths;
  const isShown = isMapShown(settings);
  const routes = createRouteMap(settings, { guard, isShown });
  const ownPaths = new Set([
    ...(isShown ? [MAP_PATH] : []),
    signIn,
    register,
    signOut,
    returnAddress.pathname,
    paths.live,
    `${paths.live}.js`,
  ]);

  return {
    accounts: lucchetto.accounts,
    routes,
    lookUp: (wanted) => lucchetto.lookUp(wanted),
    guarded: (visit) => guard(visit.url),
    isOwn: (visit) => ownPaths.has(pathOf(visit)),
    async own(visit) {
      const path = pathOf(visit);
      if (path === paths.signOut) return flow.signOut(visit);
      if (!isReading(visit)) return null;
      if (path === `${paths.live}.js`) return live.script();
      if (path === returnAddress.pathname && visit.method === "GET") return flow.finishAuthorization(visit);
      if (path === MAP_PATH) return routes.show(visit);
      if (path !== paths.signIn && path !== paths.register) return null;
      const query = queryOf(visit);
      const issuer = query.get("iss");
      if (issuer !== null && path === paths.signIn) return flow.startedElsewhere(visit, issuer);
      const next = ownPathOr("/", query.get("next") ?? "/");
      if (path === paths.register) return flow.startAuthorization(visit, next, { prompt: "create" });
      // `?by=mail`: the sign-in page begins with a mailed link in place of the password.
      return flow.startAuthorization(visit, next, query.get("by") === "mail" ? { by: "mail" } : {});
    },

    async live(visit, sink) {
      if (visit.method !== "GET" || pathOf(visit) !== paths.live) return false;
      await live.stream(visit, sink());
      return true;
    },

    async open(visit) {
      if (isCrossSiteWrite(visit)) return null;
      try {
        return await recognise(visit);
      } catch (error) {
        if (error instanceof LucchettoUnreachable || error instanceof LucchettoRefused) return null;
        throw error;
      }
    },

    askSilently: (visit) => flow.askSilently(visit),
    forms: {
      before(visit, setCookie) {
        if (settings.forms === null)
          throw new HaspOptionsError(
            "forms: set this option to use hasp.forms, and register the application with --own-forms",
          );
        return forms.before(visit, setCookie);
      },
    },

    async closed(visit, wanted = {}) {
      assertWanted(wanted);
      if (isCrossSiteWrite(visit)) {
        const detail =
          "A browser sent this from a page that is not this application's own, or without saying where it comes from. Scripts send an access key instead of a cookie.";
        return { answer: problem(service, "foreign-origin", { detail }) };
      }
      let account: SignedInAccount | null;
      try {
        account = await recognise(visit, wanted.freshWithin !== undefined);
      } catch (error) {
        if (error instanceof LucchettoRefused) return { answer: error.answerFor(service) };
        return { answer: flow.unreachable(visit, error) };
      }
      if (account === null) return { answer: askToSignIn(visit, wanted) };
      const lack = firstUnmet(account, wanted);
      return lack === null ? { account } : { answer: refuse(visit, lack, wanted) };
    },
  };

  function isScript({ headers }: IncomingRequest): boolean {
    return readAuthorization(headers.authorization, settings) !== null;
  }

  /**
   * Whether a change would be made on the strength of something that browsers send along by themselves, cookie or Basic
   * password, without their saying that a page of this application asked for it.
   */
  function isCrossSiteWrite(visit: IncomingRequest): boolean {
    if (isReading(visit)) return false;
    if (isScript(visit))
      return /^Basic /i.test(visit.headers.authorization ?? "") && !isOwnOrigin(visit, returnAddress.origin);
    if (settings.changesFromAnywhere || cookies.readCheckToken(visit.headers.cookie) === undefined)
      return false;
    return !hasMatchingOrigin(visit, returnAddress.origin);
  }

  function askToSignIn(visit: IncomingRequest, wanted: AccessRequirements): Answer {
    const prompts = settings.basicPasswords === "prompt";
    // Where a browser asks by itself, it shows the page to whoever gives up.
    if (isPage(visit) && (prompts || !isScript(visit))) {
      if (isReading(visit) && !prompts)
        return ownForm(visit) ?? flow.startAuthorization(visit, visit.url, stepUpParameters(wanted));
      const { language, signIn: text, signedOutMeanwhile, signInFirst } = textsFor(visit, settings.language);
      return page({
        status: 401,
        language,
        ...(isReading(visit) ? signInFirst : signedOutMeanwhile),
        link: { href: signIn, text },
        headers: { "www-authenticate": challengesFor(visit)[0] ?? "Bearer" },
      });
    }
    const shown = readAuthorization(visit.headers.authorization, settings)?.kind;
    const detail =
      shown === "password"
        ? "The name or the password in the Authorization header is wrong."
        : shown === "access-key"
          ? "The access key in the Authorization header is not known, has ended, or was shown under another name."
          : `Nobody is signed in. Sign in at ${returnAddress.origin}${paths.signIn} and try again, or send an access key: Authorization: Bearer lca_…`;
    const challenges = challengesFor(visit, shown === undefined ? "" : ', error="invalid_token"');
    return problem(service, "not-signed-in", { detail, headers: { "www-authenticate": challenges } });
  }

  /** The way to the application's own form; `null`: people are sent to Lucchetto. */
  function ownForm(visit: IncomingRequest, lacks?: "level" | "freshness"): Answer | null {
    if (settings.forms === null) return null;
    const { page: form, takesGuests = true } = settings.forms;
    // What is lacking is shown where the session was begun.
    const isFor = lacks === undefined ? takesGuests : cookies.readHandle(visit.headers.cookie) !== undefined;
    if (!isFor) return null;
    const query = new URLSearchParams({ next: visit.url, ...(lacks === undefined ? {} : { lacks }) });
    return redirect(`${form}?${query.toString()}`);
  }

  /** Basic is not offered to browsers, unless that is wanted: they ask for a password in a window of their own. */
  function challengesFor({ headers }: IncomingRequest, error = ""): string[] {
    const realm = `realm="${returnAddress.origin}"`;
    const bearer = `Bearer ${realm}${error}`;
    if (settings.basicPasswords === "prompt") return [`Basic ${realm}, charset="UTF-8"`, bearer];
    return headers["sec-fetch-site"] === undefined ? [bearer, `Basic ${realm}, charset="UTF-8"`] : [bearer];
  }

  function refuse(visit: IncomingRequest, lack: UnmetRequirement, wanted: AccessRequirements): Answer {
    if (lack === "label") return refuseWithoutLabel(visit, wanted.label ?? "");
    // RFC 9470: what is lacking can be shown.
    if (lack !== "session" && isPage(visit) && isReading(visit))
      return ownForm(visit, lack) ?? flow.startAuthorization(visit, visit.url, stepUpParameters(wanted));
    const step = Object.entries(stepUpParameters(wanted)).map(([name, value]) => `, ${name}="${value}"`);
    const why = {
      session: "This is for people in a session; an access key does not do here.",
      level: "This is for people who have shown a second factor.",
      freshness: "This needs a proof that was shown a short while ago.",
    }[lack];
    const challenge = `Bearer realm="${returnAddress.origin}", error="insufficient_user_authentication", error_description="${why}"${step.join("")}`;
    const detail = `${why} Sign in again at ${returnAddress.origin}${paths.signIn}, or open the page in a browser.`;
    return problem(service, "step-up-required", { detail, headers: { "www-authenticate": challenge } });
  }

  function refuseWithoutLabel(visit: IncomingRequest, wish: LabelWish): Answer {
    if (isPage(visit)) {
      const { language, toTheStart, withoutLabel } = textsFor(visit, settings.language);
      return page({
        status: 403,
        language,
        title: withoutLabel.title,
        text: withoutLabel.text(nameOfWish(wish, withoutLabel)),
        link: { href: "/", text: toTheStart },
      });
    }
    const name = nameOfWish(wish, { or: '" or "', and: '" and "' });
    return problem(service, "label-missing", { detail: `The account does not carry the label "${name}".` });
  }
}
