/** How an app shows its key: HTTP Basic, or `client_id` and `client_secret` in the body (RFC 6749 section 2.3.1). */
import type { FastifyRequest } from "fastify";
import { readBasicPair } from "../../base/http/basic.ts";
import { ProblemReply } from "../../base/problem.ts";
import type { KeyedApp } from "../../records/app/store.ts";
import type { ServiceContext } from "../../records/context.ts";
import { recogniseApp } from "../../records/granting/recognise-app.ts";
import { parameter } from "./form.ts";
import { OAuthRefusal } from "./refusal.ts";

/** The app that asks. @throws OAuthRefusal `invalid_client`, `invalid_request`. */
export async function authenticateApp(
  context: ServiceContext,
  request: FastifyRequest,
  form: URLSearchParams,
): Promise<KeyedApp> {
  if (request.url.includes("?")) {
    throw new OAuthRefusal(
      "invalid_request",
      "This endpoint takes its parameters in the body, never in the address.",
    );
  }
  const credentials = readCredentials(request.headers.authorization, form);
  const app = credentials && (await recogniseApp(context, credentials));
  if (app === null) throw new OAuthRefusal("invalid_client", "The client id or the app key is wrong.");
  return app;
}

/** What an app shows as its own, not checked yet. @throws OAuthRefusal `invalid_request`. */
function readCredentials(
  authorization: string | undefined,
  form: URLSearchParams,
): { clientId: string; key: string } | null {
  const clientId = parameter(form, "client_id");
  const key = parameter(form, "client_secret");
  if (authorization === undefined)
    return clientId === undefined || key === undefined ? null : { clientId, key };
  if (key !== undefined) {
    throw new OAuthRefusal(
      "invalid_request",
      "The app key came twice: in the Authorization header and in the body.",
    );
  }
  return readAppBasic(authorization);
}

/** For calls of the contract that an app makes with its key as HTTP Basic. @throws ProblemReply `app-unknown`. */
export async function readApp(context: ServiceContext, request: FastifyRequest): Promise<KeyedApp> {
  const { authorization } = request.headers;
  const credentials = authorization === undefined ? null : readAppBasic(authorization);
  const app = credentials && (await recogniseApp(context, credentials));
  if (app !== null) return app;
  const challenge = `Basic realm="${context.configuration.publicUrl}"`;
  throw new ProblemReply("app-unknown", { headers: { "www-authenticate": challenge } });
}

/** Both halves are form-encoded before they are put together (RFC 6749 section 2.3.1). */
export function readAppBasic(authorization: string): { clientId: string; key: string } | null {
  const pair = readBasicPair(authorization);
  if (pair === null) return null;
  try {
    return { clientId: decodeForm(pair.name), key: decodeForm(pair.password) };
  } catch {
    // No form encoding (RFC 6749 section 2.3.1): no credentials.
    return null;
  }
}

function decodeForm(text: string): string {
  return decodeURIComponent(text.replaceAll("+", " "));
}
