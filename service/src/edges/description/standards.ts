/** The standards' endpoints in the description: forms in, members in snake_case out, refusals as RFC 6749 section 5.2. */
import { introspection, metadata, OAUTH_PATHS, oauthError, tokenReply } from "@lucchetto/contract";
import { z } from "zod";
import type { ZodOpenApiPathsObject, ZodOpenApiResponseObject } from "zod-openapi";
import { problemReplies } from "./problem-replies.ts";

const TAGS = ["oauth"];
const OF_APPS = { tags: TAGS, security: [{ appKey: [] }] };

const form = (schema: z.ZodObject) => ({
  required: true,
  content: { "application/x-www-form-urlencoded": { schema } },
});

const json = (description: string, schema: z.ZodType): ZodOpenApiResponseObject => ({
  description,
  content: { "application/json": { schema } },
});

/** RFC 6749 section 5.2, with what each `error` means here. */
function refusals(errors: Readonly<Record<string, string>>): ZodOpenApiResponseObject {
  const examples = Object.entries(errors).map(([error, meaning]) => [
    error,
    { summary: meaning, value: { error, error_description: meaning } },
  ]);
  return {
    description: Object.entries(errors)
      .map(([error, meaning]) => `\`${error}\`: ${meaning}`)
      .join(" "),
    content: { "application/json": { schema: oauthError, examples: Object.fromEntries(examples) } },
  };
}

const APP_REFUSED = refusals({
  invalid_client: "The client id or the app key is missing or wrong.",
});
const FORM_REFUSED = refusals({ invalid_request: "A parameter is missing, or comes twice." });

const endSessionParameters = z.object({
  client_id: z.string().optional(),
  post_logout_redirect_uri: z.string().optional().describe("a registered address to come back to"),
  state: z.string().optional().describe("comes back with it"),
  logout_hint: z
    .string()
    .optional()
    .describe("the session's id (sid of introspection): who knows it is not asked whether to sign out"),
});

/** The standards' paths, and the proxy check. */
export function standardPaths(publicUrl: string): ZodOpenApiPathsObject {
  const unavailable = problemReplies(["internal-error", "storage-unavailable"], publicUrl);
  const ofSigningOut = {
    tags: TAGS,
    security: [],
    responses: {
      "303": { description: "To the sign-out page, where the browser's own session ends" },
      ...problemReplies(["unknown-app", "unregistered-return-address"], publicUrl),
      ...unavailable,
    },
  };
  return {
    [OAUTH_PATHS.metadata]: {
      get: {
        operationId: "showAuthorizationServerMetadata",
        tags: TAGS,
        security: [],
        summary: "Authorization server metadata (RFC 8414)",
        responses: { "200": json("The metadata", metadata) },
      },
    },
    [OAUTH_PATHS.authorize]: {
      get: {
        operationId: "authorize",
        tags: TAGS,
        security: [],
        summary: "Authorization endpoint (RFC 6749 section 4.1.1, PKCE S256 required)",
        requestParams: {
          query: z.object({
            response_type: z.literal("code"),
            client_id: z.string(),
            redirect_uri: z.string(),
            code_challenge: z.string(),
            code_challenge_method: z.literal("S256"),
            state: z.string().optional(),
            prompt: z.enum(["none", "create"]).optional(),
            acr_values: z.string().optional(),
            max_age: z.string().optional(),
          }),
        },
        responses: {
          "303": {
            description:
              "To the return address with `code`, `state` and `iss`; with `error` where the request is refused; or to the sign-in page",
          },
          ...problemReplies(["unknown-app", "unregistered-return-address"], publicUrl),
          ...unavailable,
        },
      },
    },
    [OAUTH_PATHS.token]: {
      post: {
        ...OF_APPS,
        operationId: "exchangeCode",
        summary: "Exchange an authorization code for a check token (RFC 6749 section 4.1.3)",
        requestBody: form(
          z.object({
            grant_type: z.literal("authorization_code"),
            code: z.string(),
            redirect_uri: z.string(),
            code_verifier: z.string(),
          }),
        ),
        responses: {
          "200": json("The check token", tokenReply),
          "400": refusals({
            invalid_request: "A parameter is missing, or comes twice.",
            invalid_grant:
              "The code is unknown, was used, has expired, or belongs to another app, address or verifier.",
            unsupported_grant_type: "Only authorization_code is known.",
          }),
          "401": APP_REFUSED,
          ...unavailable,
        },
      },
    },
    [OAUTH_PATHS.introspect]: {
      post: {
        ...OF_APPS,
        operationId: "introspect",
        summary: "Who is there (RFC 7662); asking counts as use",
        requestBody: form(
          z.object({
            token: z.string().describe("a check token of this app (lck_…), or an access key (lca_…)"),
            token_type_hint: z.string().optional(),
            username: z.string().optional().describe("the name that came with an access key as HTTP Basic"),
          }),
        ),
        responses: {
          "200": json("Active, with who it is; or only that it is not", introspection),
          "400": FORM_REFUSED,
          "401": APP_REFUSED,
          ...unavailable,
        },
      },
    },
    [OAUTH_PATHS.revoke]: {
      post: {
        ...OF_APPS,
        operationId: "revoke",
        summary: "End one check token (RFC 7009)",
        requestBody: form(z.object({ token: z.string(), token_type_hint: z.string().optional() })),
        responses: {
          "200": { description: "It is no longer active, whatever the token was" },
          "400": FORM_REFUSED,
          "401": APP_REFUSED,
          ...unavailable,
        },
      },
    },
    [OAUTH_PATHS.endSession]: {
      get: {
        ...ofSigningOut,
        operationId: "signOutFromApp",
        summary: "Sign out of Lucchetto from an application (OpenID Connect RP-Initiated Logout 1.0)",
        requestParams: { query: endSessionParameters },
      },
      post: {
        ...ofSigningOut,
        operationId: "signOutFromAppByForm",
        summary: "The same, from a form",
        requestBody: form(endSessionParameters),
      },
    },
    "/v1/proxy-check": {
      get: {
        operationId: "checkForProxy",
        tags: ["proxy-check"],
        security: [],
        summary:
          "Asked by reverse proxies before they let a request through; the configuration lists who may ask",
        requestParams: {
          query: z.object({
            label: z.string().optional().describe("403 to whoever does not carry it"),
            guests: z.enum(["yes"]).optional().describe("guests pass, without identity"),
          }),
        },
        responses: {
          "200": { description: "May pass; who it is stands in the headers Lucchetto-…" },
          ...problemReplies(["not-signed-in", "label-missing", "proxies-only"], publicUrl),
          ...unavailable,
        },
      },
    },
  };
}
