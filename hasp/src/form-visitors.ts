/**
 * Visitors who sign in with forms of the application's own: its server calls Lucchetto for them. Their own tokens stay at
 * the server; the browser holds a handle, a mark by which it is known again, and the check token that opens closed pages.
 */
import { randomBytes } from "node:crypto";
import type { Client } from "@lucchetto/contract/apps";
import { CONTINUE_PATH, ownPathOr, ProblemError, routes, UnreachableError } from "@lucchetto/contract/apps";
import { problemOf } from "./answers.ts";
import type { HaspCookies } from "./cookies.ts";
import type { BeforeVisitor } from "./forms.ts";
import { ownForms } from "./forms.ts";
import type { IncomingRequest } from "./incoming-request.ts";
import { isOwnOrigin, isReading, queryOf } from "./incoming-request.ts";
import { keepSealed, tokensInMemory } from "./kept-tokens.ts";
import type { HaspSettings } from "./options.ts";
import { LucchettoUnreachable } from "./service.ts";

/** A visitor at a form of the application's own. */
export interface VisitorAtForm {
  /**
   * Calls the contract for the visitor, and keeps what comes of it: whoever is signed in by the reply is known at closed
   * pages from then on. @throws ProblemError, whose `problem.errors` stand at the fields; UnreachableError.
   */
  readonly call: Client;
  /** The path of this application to go on to once signed in: what `?next=` of the form's page says; `/` without. */
  readonly next: string;
  /** For `routes.askForLink` and invitations: the path of Lucchetto behind which `next` waits, so that the mail leads on to it from any device. */
  readonly returnTo: string;
  /** What the page was opened for, where somebody signed in was sent to it: `level` or `freshness` is lacking. */
  readonly lacks: "level" | "freshness" | null;
}

export interface FormVisitors {
  /**
   * @param setCookie takes one line for the reply's Set-Cookie at a time; before the reply is sent.
   * @throws ProblemError `foreign-origin` for what a page of another site sent.
   */
  before(visit: IncomingRequest, setCookie: (line: string) => void): VisitorAtForm;
  /** Ends the session that was begun in a form. @returns its id; `null`: there was none. @throws LucchettoUnreachable. */
  signOut(visit: IncomingRequest): Promise<string | null>;
}

/** What is kept for a visitor. */
interface Kept {
  /** Of the session. */
  readonly own?: string;
  readonly sessionId?: string;
  /** Of a sign-in in progress. */
  readonly pending?: string;
}

/** Seconds that something is kept for somebody who does not come back: as long as the longest session unless configured otherwise. */
const KEPT_FOR = 30 * 86_400;
/** Seconds for a sign-in in progress, which lapses sooner: guests who only make noise take no place for long. */
const PENDING_FOR = 3_600;
/** After which there is nobody any more. */
const ENDINGS: ReadonlySet<string> = new Set([routes.signOut.name, routes.eraseOwnAccount.name]);
const NEW_SIGN_INS: ReadonlySet<string> = new Set([routes.signIn.name, routes.register.name]);

/** What replies carry that matters here. */
interface Told {
  readonly token?: string;
  readonly session?: { readonly id: string };
}

export function createFormVisitors(
  settings: HaspSettings,
  { cookies }: { cookies: HaspCookies },
): FormVisitors {
  const { forms, callsTo, appKey, returnAddress, timeout, service } = settings;
  const store = keepSealed(forms?.keep ?? tokensInMemory());
  const own = ownForms({ service: callsTo, appKey, timeout });

  async function read(handle: string | undefined): Promise<Kept> {
    const text = handle === undefined ? null : await store.read(handle);
    return text === null ? {} : (JSON.parse(text) as Kept);
  }

  function inFrontOf({ address, headers }: IncomingRequest, token: string | undefined): BeforeVisitor {
    if (address === undefined)
      throw new TypeError("forms: the address that the request comes from is wanted, and was not said");
    const device = cookies.readDevice(headers.cookie);
    return own.before({ address, userAgent: headers["user-agent"], device, token });
  }

  function before(visit: IncomingRequest, setCookie: (line: string) => void): VisitorAtForm {
    if (!isReading(visit) && !isOwnOrigin(visit, returnAddress.origin))
      throw new ProblemError({
        ...problemOf(service, "foreign-origin", "Only this application's own pages may send its forms."),
        requestId: "",
      });
    let handle = cookies.readHandle(visit.headers.cookie);
    let kept: Kept | null = null;

    /** Under a new handle each time: one that somebody put into the browser before leads to nothing. */
    async function keep(next: Kept): Promise<void> {
      if (handle !== undefined) await store.remove(handle);
      kept = next;
      handle = randomBytes(32).toString("base64url");
      await store.write(handle, JSON.stringify(next), next.own === undefined ? PENDING_FOR : KEPT_FOR);
      setCookie(cookies.writeHandle(handle));
    }

    async function forget(): Promise<void> {
      if (handle !== undefined) await store.remove(handle);
      handle = undefined;
      kept = {};
      for (const line of [cookies.removeHandle(), cookies.removeCheckToken()]) setCookie(line);
    }

    const call = async (route: (typeof routes)[keyof typeof routes], ...parts: never[]) => {
      kept ??= await read(handle);
      const isOwn = route.access === "session" || NEW_SIGN_INS.has(route.name);
      const visitor = inFrontOf(visit, isOwn ? kept.own : (kept.pending ?? kept.own));
      const ask = visitor.call as (...all: unknown[]) => Promise<{ status: number; body: unknown }>;
      const reply = await ask(route, ...parts).finally(() => {
        const mark = visitor.newDevice();
        if (mark !== undefined) setCookie(cookies.writeDevice(mark));
      });
      if (ENDINGS.has(route.name)) await forget();
      else await take((reply.body ?? {}) as Told);
      return reply;
    };

    async function take({ token, session }: Told): Promise<void> {
      if (token?.startsWith("lci_") === true) await keep({ ...kept, pending: token });
      if (token?.startsWith("lcs_") !== true) return;
      // A proof within the session gives a new own token; who is known at closed pages stays the same.
      const sessionId = session?.id ?? kept?.sessionId;
      const isSame = sessionId === kept?.sessionId && sessionId !== undefined;
      await keep({ own: token, ...(sessionId === undefined ? {} : { sessionId }) });
      if (isSame && cookies.readCheckToken(visit.headers.cookie) !== undefined) return;
      const { body } = await inFrontOf(visit, token).call(routes.makeCheckToken);
      setCookie(cookies.writeCheckToken(body.checkToken));
    }

    const query = queryOf(visit);
    const lacks = query.get("lacks");
    const next = ownPathOr("/", query.get("next") ?? "/");
    const way = new URLSearchParams({
      client_id: settings.clientId,
      target_link_uri: returnAddress.origin + next,
    });
    return {
      call: call as unknown as Client,
      next,
      returnTo: `${new URL(service).pathname.replace(/\/$/, "")}${CONTINUE_PATH}?${way.toString()}`,
      lacks: lacks === "level" || lacks === "freshness" ? lacks : null,
    };
  }

  return {
    before,
    async signOut(visit) {
      const handle = cookies.readHandle(visit.headers.cookie);
      const { own: token, sessionId = null } = await read(handle);
      if (handle === undefined) return null;
      // A sign-in in progress is forgotten with it.
      if (token === undefined) {
        await store.remove(handle);
        return null;
      }
      try {
        await inFrontOf(visit, token).call(routes.signOut);
      } catch (error) {
        if (error instanceof UnreachableError)
          throw new LucchettoUnreachable(error.message, { cause: error });
        // One that ended elsewhere is as good as signed out.
        if (!(error instanceof ProblemError)) throw error;
      }
      await store.remove(handle);
      return sessionId;
    },
  };
}
