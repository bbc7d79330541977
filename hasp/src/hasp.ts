/**
 * The hasp: what hangs between an application and Lucchetto. It does the whole authorization code dance (RFC 6749
 * section 4.1 with PKCE) and afterwards asks at each request who is there.
 */
import { createHash } from "node:crypto";
import type { ServerResponse } from "node:http";
import type { Account, ActiveIntrospection } from "@lucchetto/contract";
import { OAUTH_PATHS, ownPathOr } from "@lucchetto/contract";
import { page, problem, redirect } from "./answers.ts";
import { haspCookies, newDeparture } from "./cookies.ts";
import { createLive } from "./live.ts";
import type { LookUp } from "./lucchetto.ts";
import { createLucchetto, LucchettoUnreachable } from "./lucchetto.ts";
import type { HaspOptions } from "./options.ts";
import { readOptions } from "./options.ts";
import type { Answer, Visit } from "./visit.ts";
import { isOwnOrigin, isPage, pathOf, queryOf } from "./visit.ts";

/** Who is there, as an application sees them. */
export interface SignedInAccount {
  readonly id: string;
  /** The application's own id for the person. */
  readonly reference: string | null;
  readonly email: string | null;
  readonly emailVerified: boolean;
  readonly username: string | null;
  readonly displayName: string | null;
  readonly labels: readonly string[];
  readonly session: {
    readonly id: string;
    readonly aal: 1 | 2;
    readonly amr: readonly string[];
    readonly authTime: Date;
    readonly endsAt: Date;
  };
}

/** What a closed page asks for beyond a session. */
export interface Wanted {
  /** A label that the account must carry. */
  readonly label?: string;
}

/** Either somebody may pass, or this is the answer. */
export type Passage<Account> = { readonly account: Account } | { readonly answer: Answer };

export interface Hasp {
  /**
   * Accounts by id or by the application's own references, 100 at once, to show names beside its own rows; unknown ones
   * are left out. @throws LucchettoUnreachable; RangeError for more than 100.
   */
  lookUp(wanted: LookUp): Promise<Account[]>;
  /** The hasp's own addresses: sign-in, register, return, sign-out. `null` for all others. */
  own(visit: Visit): Promise<Answer | null>;
  /**
   * The stream for open pages, where the address is its own. @returns whether it took the request; then nobody else
   * answers.
   */
  live(visit: Visit, response: () => ServerResponse): Promise<boolean>;
  /** Who is there, for a page open to all; `null` for a guest, and also when Lucchetto cannot be asked. */
  open(visit: Visit): Promise<SignedInAccount | null>;
  /** Who is there, for a closed page; else the answer: off to sign in for people, 401 for programs, 403, 503. */
  closed(visit: Visit, wanted?: Wanted): Promise<Passage<SignedInAccount>>;
}

/** Makes a hasp. @throws HaspOptionsError if the set-up cannot work. */
export function createHasp(options: HaspOptions): Hasp {
  const settings = readOptions(options);
  const { service, clientId, returnAddress, paths } = settings;
  const cookies = haspCookies(returnAddress);
  const lucchetto = createLucchetto(settings);
  const live = createLive(lucchetto, cookies.readCheckToken);

  /** Sends somebody off to Lucchetto, and remembers where they wanted to go. */
  function depart(visit: Visit, next: string, wish: { prompt?: "create"; by?: "mail" } = {}): Answer {
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
      ...wish,
    }).toString();
    return redirect(address.href, cookies.writeDeparture(departure, visit.headers.cookie));
  }

  /**
   * In development: cookies set under one name of this machine are not sent to the other, so somebody who left from
   * `127.0.0.1` and comes back to `localhost` would be sent round for ever. Better to say so.
   */
  function wrongLoopbackName(visit: Visit): Answer | null {
    const { host } = visit.headers;
    if (!settings.development || host === undefined || host === returnAddress.host) return null;
    const right = returnAddress.origin + visit.url;
    return page({
      status: 421,
      title: `Open this application at ${returnAddress.origin}`,
      text: `You opened it at ${host}, but it is registered with the return address ${returnAddress.href}. To browsers these are two sites, and a cookie of one is not sent to the other. Open it under the registered name, or register this one with: lucchetto app add.`,
      link: { href: right, text: right },
    });
  }

  async function arrive(visit: Visit): Promise<Answer> {
    const query = queryOf(visit);
    const state = query.get("state") ?? "";
    const departure = cookies.readDeparture(visit.headers.cookie, state);
    if (departure === null)
      return beginAgain("This browser did not ask for this sign-in, or it took too long.");
    const spent = [cookies.removeDeparture(state)];
    if (query.get("iss") !== service)
      return beginAgain("The answer does not come from the expected service.", spent);
    if (query.has("error")) {
      const reason = query.get("error_description") ?? query.get("error") ?? "";
      return beginAgain(`The sign-in was not completed: ${reason}`, spent);
    }
    try {
      const token = await lucchetto.swap(query.get("code") ?? "", departure.verifier);
      if (token === null)
        return beginAgain("The sign-in took too long, or its answer was used before.", spent);
      return redirect(departure.next, [...spent, cookies.writeCheckToken(token)]);
    } catch (error) {
      return unreachable(visit, error);
    }
  }

  function beginAgain(text: string, spent: readonly string[] = []): Answer {
    return page({
      status: 400,
      title: "Please begin again",
      text: `${text} Nobody was signed in.`,
      link: { href: `${paths.signIn}?next=%2F`, text: "Sign in" },
      cookies: spent,
    });
  }

  async function signOut(visit: Visit): Promise<Answer> {
    if (visit.method !== "POST") {
      return page({
        status: 405,
        title: "Not by a link",
        text: "Signing out takes a press of the button.",
        headers: { allow: "POST" },
      });
    }
    if (!isOwnOrigin(visit, returnAddress.origin)) {
      return problem(service, "foreign-origin", {
        detail: "Only this application's own pages may sign people out.",
      });
    }
    const gone = [cookies.removeCheckToken()];
    const token = cookies.readCheckToken(visit.headers.cookie);
    const landing = settings.signedOutAddress;
    try {
      const who = token === undefined ? null : await lucchetto.introspect(token);
      if (token === undefined || who === null) return redirect(landing ?? "/", gone);
      await lucchetto.revoke(token);
      const address = new URL(`${service}/sign-out`);
      const fields = {
        client_id: clientId,
        sid: who.sid,
        ...(landing === null ? {} : { return_to: landing }),
      };
      address.search = new URLSearchParams(fields).toString();
      return redirect(address.href, gone);
    } catch (error) {
      return unreachable(visit, error, gone);
    }
  }

  function unreachable(visit: Visit, error: unknown, cookiesToSet: readonly string[] = []): Answer {
    if (!(error instanceof LucchettoUnreachable)) throw error;
    const detail = settings.development
      ? `Who you are cannot be asked at the moment: ${error.message}.`
      : "Who you are cannot be asked at the moment. Try again soon.";
    const headers = { "retry-after": "5" };
    if (!isPage(visit)) return problem(service, "storage-unavailable", { detail, headers });
    return page({ status: 503, title: "One moment, please", text: detail, cookies: cookiesToSet, headers });
  }

  return {
    lookUp: (wanted) => lucchetto.lookUp(wanted),
    async own(visit) {
      const path = pathOf(visit);
      const reading = visit.method === "GET" || visit.method === "HEAD";
      if (path === paths.signOut) return signOut(visit);
      if (path === `${paths.live}.js` && reading) return live.script();
      if (!reading) return null;
      if (path === returnAddress.pathname && visit.method === "GET") return arrive(visit);
      const next = queryOf(visit).get("next") ?? "/";
      // `?by=mail`: the sign-in page begins with a mailed link in place of the password.
      if (path === paths.signIn)
        return depart(visit, next, queryOf(visit).get("by") === "mail" ? { by: "mail" } : {});
      if (path === paths.register) return depart(visit, next, { prompt: "create" });
      return null;
    },

    async live(visit, response) {
      if (visit.method !== "GET" || pathOf(visit) !== paths.live) return false;
      await live.stream(visit, response());
      return true;
    },

    async open(visit) {
      const token = cookies.readCheckToken(visit.headers.cookie);
      if (token === undefined) return null;
      try {
        const who = await lucchetto.introspect(token);
        return who && accountOf(who);
      } catch (error) {
        if (error instanceof LucchettoUnreachable) return null;
        throw error;
      }
    },

    async closed(visit, wanted = {}) {
      const token = cookies.readCheckToken(visit.headers.cookie);
      let who: ActiveIntrospection | null;
      try {
        who = token === undefined ? null : await lucchetto.introspect(token);
      } catch (error) {
        return { answer: unreachable(visit, error) };
      }
      if (who === null) return { answer: askToSignIn(visit) };
      if (wanted.label !== undefined && !who.labels.includes(wanted.label)) {
        return { answer: refuseWithoutLabel(visit, wanted.label) };
      }
      return { account: accountOf(who) };
    },
  };

  function askToSignIn(visit: Visit): Answer {
    if (isPage(visit) && (visit.method === "GET" || visit.method === "HEAD")) return depart(visit, visit.url);
    const detail = `Nobody is signed in. Sign in at ${returnAddress.origin}${paths.signIn} and try again.`;
    const headers = { "www-authenticate": `Bearer realm="${returnAddress.origin}"` };
    if (!isPage(visit)) return problem(service, "not-signed-in", { detail, headers });
    const link = { href: paths.signIn, text: "Sign in" };
    return page({
      status: 401,
      title: "You are not signed in any more",
      text: "What you sent was not taken.",
      link,
      headers,
    });
  }

  function refuseWithoutLabel(visit: Visit, label: string): Answer {
    if (isPage(visit)) {
      const text = `This page is for people with the label “${label}”, which your account does not carry.`;
      return page({
        status: 403,
        title: "This page is not for you",
        text,
        link: { href: "/", text: "Back to the start" },
      });
    }
    return problem(service, "label-missing", { detail: `The account does not carry the label "${label}".` });
  }
}

function accountOf(who: ActiveIntrospection): SignedInAccount {
  return {
    id: who.sub,
    reference: who.reference,
    email: who.email,
    emailVerified: who.email_verified,
    username: who.username,
    displayName: who.name,
    labels: who.labels,
    session: {
      id: who.sid,
      aal: who.acr === "aal2" ? 2 : 1,
      amr: who.amr,
      authTime: new Date(who.auth_time * 1_000),
      endsAt: new Date(who.exp * 1_000),
    },
  };
}
