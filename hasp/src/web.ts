/**
 * The hasp for everything that takes a web `Request` and gives a `Response`.
 *
 *     const hasp = webHasp({ service, clientId, appKey, returnAddress });
 *     async function handle(request: Request): Promise<Response> {
 *       const own = await hasp.own(request);
 *       if (own !== null) return own;
 *       const passage = await hasp.closed(request, { label: "keeper" });
 *       if ("answer" in passage) return passage.answer;
 *       return Response.json({ who: passage.account.displayName });
 *     }
 */
import type { AccessRequirements } from "./access-requirements.ts";
import type { SignedInAccount } from "./account.ts";
import type { VisitorAtForm } from "./form-visitors.ts";
import type { AccessResult as PlainPassage, Hasp } from "./hasp.ts";
import { createHasp } from "./hasp.ts";
import type { Answer, IncomingRequest } from "./incoming-request.ts";
import type { EventResponse } from "./live.ts";
import type { HaspOptions } from "./options.ts";

/** Either somebody may pass, or this is the answer. */
export type WebPassage = { readonly account: SignedInAccount } | { readonly answer: Response };

/** Where a request comes from; wanted only for `basicPasswords`. */
export interface From {
  readonly address?: string;
}

/** The hasp for handlers that take a `Request` and return a `Response`. */
export interface WebHasp {
  /** The hasp's own addresses; `null` for all others, unless the option `guard` closes them. */
  own(request: Request, from?: From): Promise<Response | null>;
  /** Who is there; `null` for a guest. */
  open(request: Request, from?: From): Promise<SignedInAccount | null>;
  /** With the option `askSilently`: the answer to a guest at an open page, once a visit; `null`: they stay. */
  askSilently(request: Request): Response | null;
  closed(request: Request, wanted?: AccessRequirements, from?: From): Promise<WebPassage>;
  lookUp: Hasp["lookUp"];
  /** What the application's server does with accounts; for an app with the right `accounts`. */
  accounts: Hasp["accounts"];
  forms: {
    /** The visitor at a form of the application's own, with the option `forms`. @param setCookie takes lines for the response. */
    before(request: Request, from: Required<From>, setCookie: (line: string) => void): VisitorAtForm;
  };
}

/** Makes it. @throws HaspOptionsError if the set-up cannot work. */
export function webHasp(options: HaspOptions): WebHasp {
  const hasp = createHasp(options);
  return {
    lookUp: hasp.lookUp,
    accounts: hasp.accounts,
    forms: {
      before: (request, from, setCookie) => hasp.forms.before(visitOf(request, from), setCookie),
    },
    async own(request, from) {
      const visit = visitOf(request, from);
      if (hasp.isOwn(visit)) {
        const stream = eventStream();
        if (await hasp.live(visit, () => stream.sink)) return stream.response();
        const answer = await hasp.own(visit);
        if (answer !== null) return responseOf(answer);
      }
      for (const wanted of hasp.guarded(visit)) {
        const passage = await hasp.closed(visit, wanted);
        if ("answer" in passage) return responseOf(passage.answer);
      }
      return null;
    },
    open: (request, from) => hasp.open(visitOf(request, from)),
    askSilently: (request) => {
      const answer = hasp.askSilently(visitOf(request));
      return answer && responseOf(answer);
    },
    async closed(request, wanted, from) {
      const passage: PlainPassage<SignedInAccount> = await hasp.closed(visitOf(request, from), wanted);
      return "answer" in passage ? { answer: responseOf(passage.answer) } : passage;
    },
  };
}

function visitOf(request: Request, from: From = {}): IncomingRequest {
  const { pathname, search, host } = new URL(request.url);
  const headers = Object.fromEntries(request.headers);
  return {
    method: request.method,
    url: pathname + search,
    // A server may have taken the name out of the headers and into the address.
    headers: { host, ...headers },
    address: from.address,
  };
}

function responseOf({ status, headers, body }: Answer): Response {
  const all = new Headers();
  for (const [name, value] of Object.entries(headers))
    for (const one of [value].flat()) all.append(name, one);
  return new Response(body === "" ? null : body, { status, headers: all });
}

/** A sink whose events become the body of a response. */
function eventStream(): { sink: EventResponse; response: () => Response } {
  const encoder = new TextEncoder();
  let head = { status: 200, headers: {} as Record<string, string> };
  let closed: () => void = () => undefined;
  let controller: ReadableStreamDefaultController<Uint8Array> | null = null;
  const body = new ReadableStream<Uint8Array>({
    start: (made) => void (controller = made),
    cancel: () => {
      controller = null;
      closed();
    },
  });
  return {
    response: () => new Response(head.status === 204 ? null : body, head),
    sink: {
      writeHead: (status, headers) => void (head = { status, headers }),
      write: (text) => controller?.enqueue(encoder.encode(text)),
      end(text = "") {
        if (text !== "") controller?.enqueue(encoder.encode(text));
        controller?.close();
        controller = null;
        closed();
      },
      once: (_event, listener) => void (closed = listener),
    },
  };
}
