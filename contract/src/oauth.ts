/** The standards' endpoints (RFC 6749, 7636, 7662, 7009, 8414, 9207; OpenID Connect RP-Initiated Logout 1.0): unknown members are ignored, names are snake_case. */
import { z } from "zod";

/** Paths below the public address. */
export const OAUTH_PATHS = {
  authorize: "/oauth/authorize",
  token: "/oauth/token",
  introspect: "/oauth/introspect",
  revoke: "/oauth/revoke",
  endSession: "/oauth/end-session",
  metadata: "/.well-known/oauth-authorization-server",
} as const;

/** RFC 8414 section 2. */
export const metadata = z
  .object({
    issuer: z.string(),
    authorization_endpoint: z.string(),
    token_endpoint: z.string(),
    introspection_endpoint: z.string(),
    revocation_endpoint: z.string(),
    end_session_endpoint: z.string(),
    response_types_supported: z.array(z.string()),
    response_modes_supported: z.array(z.string()),
    grant_types_supported: z.array(z.string()),
    code_challenge_methods_supported: z.array(z.string()),
    token_endpoint_auth_methods_supported: z.array(z.string()),
    introspection_endpoint_auth_methods_supported: z.array(z.string()),
    revocation_endpoint_auth_methods_supported: z.array(z.string()),
    prompt_values_supported: z.array(z.string()),
    acr_values_supported: z.array(z.string()),
    authorization_response_iss_parameter_supported: z.boolean(),
    service_documentation: z.string(),
  })
  .meta({ id: "AuthorizationServerMetadata" });
/** The authorization server's metadata (RFC 8414 section 2). */
export type Metadata = z.output<typeof metadata>;

/** RFC 6749 section 5.1. */
export const tokenReply = z
  .object({ access_token: z.string(), token_type: z.string(), expires_in: z.number().int() })
  .meta({ id: "TokenReply" });
/** What a code was exchanged for (RFC 6749 section 5.1). */
export type TokenReply = z.output<typeof tokenReply>;

/** RFC 6749 section 5.2. */
export const oauthError = z
  .object({ error: z.string(), error_description: z.string().optional() })
  .meta({ id: "OAuthError" });
/** An error of the `/oauth` endpoints (RFC 6749 section 5.2). */
export type OAuthError = z.output<typeof oauthError>;

/** RFC 7662 section 2.2. */
export const activeIntrospection = z.object({
  active: z.literal(true),
  sub: z.string().describe("the account's id"),
  reference: z.string().nullable(),
  username: z.string().nullable(),
  email: z.string().nullable(),
  email_verified: z.boolean(),
  name: z.string().nullable(),
  labels: z.array(z.string()),
  sid: z.string().optional().describe("the session's id; missing for an access key"),
  key_id: z.string().optional().describe("the access key's id"),
  iat: z.number().int(),
  auth_time: z.number().int().optional().describe("missing for an access key"),
  exp: z
    .number()
    .int()
    .optional()
    .describe("the earlier of the session's two limits; missing for an access key without an end"),
  checked_at: z.number().int().describe("now, by the service's clock"),
  acr: z.string().describe("aal1 or aal2"),
  amr: z.array(z.string()),
  client_id: z.string(),
  token_type: z.literal("Bearer"),
  iss: z.string(),
});

/** Of an inactive token nothing else is said. */
export const introspection = z
  .discriminatedUnion("active", [z.object({ active: z.literal(false) }), activeIntrospection])
  .meta({ id: "Introspection" });
/** The answer of introspection; `active: false` alone for anything that is no living check token (RFC 7662 section 2.2). */
export type Introspection = z.output<typeof introspection>;
/** What introspection says of a living check token (RFC 7662 section 2.2). */
export type ActiveIntrospection = z.output<typeof activeIntrospection>;
