/**
 * An app with forms of its own calls for the person in front of it: its key says which app, and headers say who the
 * visitor is, so that tries are counted where they come from. An app without that right is one caller like any other.
 */
import { hashToken } from "@lucchetto/core";
import type { FastifyInstance, FastifyRequest } from "fastify";
import { networkOf } from "../../base/http/network.ts";
import { ProblemReply } from "../../base/problem.ts";
import type { ServiceContext } from "../context.ts";
import { noteUseOf } from "../granting/recognise-app.ts";

export const BEHALF_HEADERS = {
  appKey: "lucchetto-app-key",
  address: "lucchetto-visitor-address",
  agent: "lucchetto-visitor-agent",
  device: "lucchetto-visitor-device",
} as const;

/** The app that calls, and the visitor in front of it. */
interface Delegation {
  readonly appId: string;
  /** An IP address. */
  readonly address: string;
  readonly userAgent: string | undefined;
  /** The known-device mark that the app keeps in its visitor's browser. */
  readonly mark: string | undefined;
}

declare module "fastify" {
  interface FastifyRequest {
    /** Set where an app with forms of its own calls for a visitor. */
    behalf: Delegation | null;
  }
}

/** Reads the headers, for every call that has them. */
export function readDelegation(app: FastifyInstance, context: ServiceContext): void {
  app.decorateRequest("behalf", null);
  app.addHook("onRequest", (request, _reply, done) => {
    const key = request.headers[BEHALF_HEADERS.appKey];
    if (key === undefined) return done();
    behalfOf(context, request, String(key)).then(
      (behalf) => {
        request.behalf = behalf;
        done();
      },
      (error: unknown) => done(error as Error),
    );
  });
}

/** @throws ProblemReply `app-unknown`, `malformed-request`. */
async function behalfOf(
  context: ServiceContext,
  { headers }: FastifyRequest,
  key: string,
): Promise<Delegation | null> {
  const { lookUps, appUsage: questions } = context;
  const hashed = hashToken("app-key", key);
  const app = hashed === null ? null : await lookUps.appKey(hashed);
  if (app === null)
    throw new ProblemReply("app-unknown", {
      detail: "The header Lucchetto-App-Key holds no app key that is known here.",
    });
  noteUseOf(context, app);
  if (!app.ownForms) return null;
  const address = String(headers[BEHALF_HEADERS.address] ?? "");
  if (networkOf(address) === null)
    throw new ProblemReply("malformed-request", {
      detail:
        "An app with forms of its own says who its visitor is: send Lucchetto-Visitor-Address with the visitor's IP address.",
    });
  questions.note(app.appId, "own-forms");
  const one = (name: string) => (headers[name] === undefined ? undefined : String(headers[name]));
  return {
    appId: app.appId,
    address,
    userAgent: one(BEHALF_HEADERS.agent),
    mark: one(BEHALF_HEADERS.device),
  };
}
