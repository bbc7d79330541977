/**
 * For an application with forms of its own (`lucchetto app add --own-forms`): its server calls Lucchetto for the visitor
 * in front of it, under its app key, and says where the visitor is.
 *
 *     const forms = ownForms({ service, appKey });
 *     const visitor = forms.before({ address: request.ip, userAgent: request.headers["user-agent"], device: cookies.device });
 *     const { body } = await visitor.call(routes.signIn, { body: { proof: { type: "password", identifier, password } } });
 *     if (body.outcome === "signed-in") keep(body.token, visitor.newDevice());
 *
 * The tokens it gets count beside this key alone; keep them in a cookie that is HttpOnly, or on the server.
 */
import type { Client } from "@lucchetto/contract/apps";
import { createClient } from "@lucchetto/contract/apps";
import { faultOfKey } from "./options.ts";

export { codeProofOf, ProblemError, routes, UnreachableError } from "@lucchetto/contract/apps";

/** Who is in front of the application. */
export interface FormVisitor {
  /** IP address; from `X-Forwarded-For` only behind a proxy of one's own. */
  readonly address: string;
  readonly userAgent?: string | undefined;
  /** The mark that `newDevice` gave before, by which the browser is known again. */
  readonly device?: string | undefined;
  /** The own token (or the token of a sign-in in progress) that a call before gave. */
  readonly token?: string | undefined;
}

export interface BeforeVisitor {
  /** Calls the contract. @throws ProblemError, whose `problem.errors` stand at the fields; UnreachableError. */
  readonly call: Client;
  /** A mark that came with a reply, to be kept in the browser for long; `undefined` if none did. */
  newDevice(): string | undefined;
}

export interface OwnForms {
  before(visitor: FormVisitor): BeforeVisitor;
}

/** @throws TypeError for a key that is none. */
export function ownForms(options: {
  readonly service: string;
  readonly appKey: string | undefined;
  readonly timeout?: number;
}): OwnForms {
  const { service, appKey, timeout } = options;
  const fault = faultOfKey(appKey);
  if (appKey === undefined || fault !== null) throw new TypeError(`appKey: ${fault}`);
  const baseUrl = service.replace(/\/+$/, "");
  return {
    before({ address, userAgent, device, token }) {
      let newDevice: string | undefined;
      const call = createClient({
        baseUrl,
        headers: {
          "lucchetto-app-key": appKey,
          "lucchetto-visitor-address": address,
          ...(userAgent === undefined ? {} : { "lucchetto-visitor-agent": userAgent }),
          ...(device === undefined ? {} : { "lucchetto-visitor-device": device }),
        },
        onReply: (headers) => (newDevice = headers.get("lucchetto-visitor-device") ?? newDevice),
        ...(token === undefined ? {} : { token }),
        ...(timeout === undefined ? {} : { timeout }),
      });
      return { call, newDevice: () => newDevice };
    },
  };
}
