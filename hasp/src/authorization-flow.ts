/** The authorization code flow (RFC 6749 section 4.1 with PKCE), and signing out. */
import { createHash } from "node:crypto";
import { CONTINUE_PATH, OAUTH_PATHS, ownPathOr } from "@lucchetto/contract/apps";
import { page, problem, redirect } from "./answers.ts";
import type { HaspCookies } from "./cookies.ts";
import { newDeparture } from "./cookies.ts";
import type { FormVisitors } from "./form-visitors.ts";
import type { Answer, IncomingRequest } from "./incoming-request.ts";
import { isOwnOrigin, isPage, queryOf } from "./incoming-request.ts";
import type { HaspSettings } from "./options.ts";
import type { RecentAnswers } from "./recent.ts";
import type { Lucchetto } from "./service.ts";
import { LucchettoNotSetUp, LucchettoUnreachable } from "./service.ts";
import type { Texts } from "./texts.ts";
import { textsFor } from "./texts.ts";

/** Characters of a wanted page's address that travel along: the whole request has to fit where Lucchetto keeps it. */
const MAX_TARGET = 800;

/** In the address of a page: a browser that keeps no cookie was asked. */
const ASKED = "asked";

/** What somebody is sent off with, beside the standard's parameters. */
type Wish = Readonly<Record<string, string>>;

interface AuthorizationFlow {
  /** Sends somebody off to Lucchetto, and remembers where they wanted to go. */
  startAuthorization(visit: IncomingRequest, next: string, wish?: Wish): Answer;
  /** Sends somebody off whom Lucchetto sent to this application's sign-in path. */
  startedElsewhere(visit: IncomingRequest, issuer: string): Answer;
  /** Sends a guest at an open page off and back, once a visit, without any page in between; `null`: not now. */
  askSilently(visit: IncomingRequest): Answer | null;
  /** Takes them in at the return address. */
  finishAuthorization(visit: IncomingRequest): Promise<Answer>;
  signOut(visit: IncomingRequest): Promise<Answer>;
  /** The answer while Lucchetto cannot be asked. @throws any other error as it is. */
  unreachable(visit: IncomingRequest, error: unknown, cookiesToSet?: readonly string[]): Answer;
}

export function createAuthorizationFlow(
  settings: HaspSettings,
  {
    lucchetto,
    cookies,
    recent,
    forms,
  }: {
    lucchetto: Lucchetto;
    cookies: HaspCookies;
    recent: RecentAnswers;
    forms: Pick<FormVisitors, "signOut">;
  },
): AuthorizationFlow {
  const { service, clientId, returnAddress, paths } = settings;

  function startAuthorization(
    visit: IncomingRequest,
    next: string,
    wish: Wish = {},
    cookiesToSet: readonly string[] = [],
  ): Answer {
    const wrongName = wrongLoopbackName(visit);
    if (wrongName !== null) return wrongName;
    const departure = newDeparture(ownPathOr("/", next));
    const address = new URL(service + OAUTH_PATHS.authorize);
    const challenge = createHash("sha256").update(departure.verifier, "ascii").digest("base64url");
    address.search = new URLSearchParams({
      response_type: "code",
      client_id: clientId,
      redirect_uri: returnAddress.href,
      state: departure.state,
      code_challenge: challenge,
      code_challenge_method: "S256",
      ...targetOf(departure.next),
      ...wish,
    }).toString();
    return redirect(address.href, [
      ...cookies.writeDeparture(departure, visit.headers.cookie),
      ...cookiesToSet,
    ]);
  }

  /** The wanted page: from a mail that is opened elsewhere, or a day later, Lucchetto leads back to it through `startedElsewhere`. */
  function targetOf(next: string): Wish {
    const page = returnAddress.origin + next;
    return page.length > MAX_TARGET ? {} : { target_link_uri: page };
  }

  /** Somebody whom Lucchetto sends here to sign in (OpenID Connect Core, section 4): nothing about who they are is taken from the address. */
  function startedElsewhere(visit: IncomingRequest, issuer: string): Answer {
    const texts = textsFor(visit, settings.language);
    if (issuer !== service) return beginAgain(texts, texts.beginAgain.unexpectedService);
    const target = queryOf(visit).get("target_link_uri") ?? "";
    const page = URL.canParse(target) ? new URL(target) : returnAddress;
    const isOurs = page.origin === returnAddress.origin && page !== returnAddress;
    const next = isOurs ? page.pathname + page.search : "/";
    // Where people sign in with a form of the application's own, the page sends them to it if they still have to.
    if (settings.forms !== null && settings.forms.takesGuests !== false)
      return redirect(ownPathOr("/", next));
    return startAuthorization(visit, next);
  }

  /**
   * In development: cookies set under one name of this machine are not sent to the other, so somebody who left from
   * `127.0.0.1` and comes back to `localhost` would be sent round for ever. Better to say so.
   */
  function wrongLoopbackName(visit: IncomingRequest): Answer | null {
    const { host } = visit.headers;
    if (!settings.development || host === undefined) return null;
    // `localhost:80` is `localhost`.
    const asked = `${returnAddress.protocol}//${host}`;
    if (!URL.canParse(asked) || new URL(asked).host === returnAddress.host) return null;
    const right = returnAddress.origin + visit.url;
    return page({
      status: 421,
      title: `Open this application at ${returnAddress.origin}`,
      text: `You opened it at ${host}, but it is registered with the return address ${returnAddress.href}. To browsers these are two sites, and a cookie of one is not sent to the other. Open it under the registered name, or register this one with: lucchetto app add.`,
      link: { href: right, text: right },
    });
  }

  function askSilently(visit: IncomingRequest): Answer | null {
    const { cookie, "sec-fetch-mode": mode } = visit.headers;
    const isNavigation =
      visit.method === "GET" && isPage(visit) && (mode === undefined || mode === "navigate");
    if (!settings.askSilently || !isNavigation || visit.headers.authorization !== undefined) return null;
    if (cookies.wasAsked(cookie) || queryOf(visit).has(ASKED)) return null;
    // Whoever was known here is a guest now, or Lucchetto cannot be reached: nobody is sent there to find out.
    if (cookies.readCheckToken(cookie) !== undefined) return null;
    return startAuthorization(visit, visit.url, { prompt: "none" }, [cookies.writeAsked()]);
  }

  async function finishAuthorization(visit: IncomingRequest): Promise<Answer> {
    const query = queryOf(visit);
    const state = query.get("state") ?? "";
    const departure = cookies.readDeparture(visit.headers.cookie, state);
    // Nobody is signed in there: that is all a silent question wants to know. A browser without cookies is not asked again.
    if (settings.askSilently && query.get("error") === "login_required")
      return departure === null
        ? redirect(`/?${ASKED}=1`, [])
        : redirect(departure.next, [cookies.removeDeparture(state)]);
    const texts = textsFor(visit, settings.language);
    const { beginAgain: why } = texts;
    if (departure === null) return beginAgain(texts, why.notFromHere);
    const spent = [cookies.removeDeparture(state)];
    if (query.get("iss") !== service) return beginAgain(texts, why.unexpectedService, spent);
    if (query.get("error") === "unmet_authentication_requirements")
      return unmet(texts, departure.next, spent);
    if (query.has("error")) {
      const reason = query.get("error_description") ?? query.get("error") ?? "";
      return beginAgain(texts, why.notCompleted(reason), spent);
    }
    try {
      const token = await lucchetto.exchangeCode(query.get("code") ?? "", departure.verifier);
      if (token === null) return beginAgain(texts, why.tooLate, spent);
      return redirect(departure.next, [...spent, cookies.writeCheckToken(token)]);
    } catch (error) {
      return unreachable(visit, error);
    }
  }

  /** An honest no: the account has nothing with which it could meet what a page asks for. It can be set up, and the way leads on to the page. */
  function unmet({ language, withoutSecondFactor }: Texts, next: string, spent: readonly string[]): Answer {
    const { add, ...said } = withoutSecondFactor;
    const target = new URLSearchParams({ client_id: clientId, ...targetOf(next) });
    const onwards = `${new URL(service).pathname.replace(/\/$/, "")}${CONTINUE_PATH}?${target.toString()}`;
    const address = `${service}/account/second-factor?${new URLSearchParams({ next: onwards }).toString()}`;
    return page({ status: 403, language, ...said, link: { href: address, text: add }, cookies: spent });
  }

  function beginAgain(
    { language, signIn, beginAgain: { title, text } }: Texts,
    why: string,
    spent: readonly string[] = [],
  ): Answer {
    return page({
      status: 400,
      language,
      title,
      text: text(why),
      link: { href: `${paths.signIn}?next=%2F`, text: signIn },
      cookies: spent,
    });
  }

  async function signOut(visit: IncomingRequest): Promise<Answer> {
    if (visit.method !== "POST") {
      const { language, signOutByLink } = textsFor(visit, settings.language);
      return page({ status: 405, language, ...signOutByLink, headers: { allow: "POST" } });
    }
    if (!isOwnOrigin(visit, returnAddress.origin)) {
      return problem(service, "foreign-origin", {
        detail: "Only this application's own pages may sign people out.",
      });
    }
    const gone = [cookies.removeCheckToken()];
    const isForms = cookies.readHandle(visit.headers.cookie) !== undefined;
    if (isForms) gone.push(cookies.removeHandle());
    const token = cookies.readCheckToken(visit.headers.cookie);
    const landing = settings.signedOutAddress;
    if (token !== undefined) recent.forget(token);
    try {
      // A session that was begun in a form of the application ends there: Lucchetto's pages know nothing of it.
      const ended = isForms ? await forms.signOut(visit) : null;
      const sid = token === undefined ? undefined : (await lucchetto.introspect(token))?.sid;
      if (token === undefined || sid === undefined) return redirect(landing ?? "/", gone);
      await lucchetto.revoke(token);
      // What the server had forgotten of such a session: it ended with its check token.
      if (isForms && ended === null && (await lucchetto.findLiving([sid])).size === 0)
        return redirect(landing ?? "/", gone);
      const address = new URL(`${service}/sign-out`);
      const fields = { client_id: clientId, sid, ...(landing === null ? {} : { return_to: landing }) };
      address.search = new URLSearchParams(fields).toString();
      return redirect(address.href, gone);
    } catch (error) {
      return unreachable(visit, error, gone);
    }
  }

  function unreachable(visit: IncomingRequest, error: unknown, cookiesToSet: readonly string[] = []): Answer {
    if (!(error instanceof LucchettoUnreachable)) throw error;
    const isNotSetUp = error instanceof LucchettoNotSetUp;
    const headers: Record<string, string> = isNotSetUp ? {} : { "retry-after": "5" };
    const reason = settings.development ? ` (${error.message})` : "";
    if (!isPage(visit)) {
      const detail = isNotSetUp
        ? `This application is not known to Lucchetto${reason}. Whoever runs it has to fix that.`
        : `Lucchetto cannot be asked who this is${reason}. Try again in a moment.`;
      return problem(service, isNotSetUp ? "application-not-set-up" : "storage-unavailable", {
        detail,
        headers,
      });
    }
    const { language, unreachable: away, notSetUp } = textsFor(visit, settings.language);
    const said = isNotSetUp ? notSetUp : away;
    const text = said.text + reason;
    return page({ status: 503, language, title: said.title, text, cookies: cookiesToSet, headers });
  }

  return {
    startAuthorization,
    startedElsewhere,
    askSilently,
    finishAuthorization: finishAuthorization,
    signOut,
    unreachable,
  };
}
