/** The OpenAPI 3.1 document, made from the contract's own schemas. */
import type { Route } from "@lucchetto/contract";
import {
  introspection,
  metadata,
  OAUTH_PATHS,
  oauthError,
  problem,
  routes,
  tokenReply,
} from "@lucchetto/contract";
import { z } from "zod";

const VERSION = "0.1.0";

/** Collects named schemas while a document is made, so that each stands in it once. */
type Components = Record<string, unknown>;
type Json = Record<string, unknown>;

/** @param options.development whether the calls that only development mode has are described too. */
export function describeApi(options: { publicUrl: string; siteName: string; development: boolean }): object {
  const components: Components = {};
  const paths = { ...describeRoutes(components, options.development), ...describeStandards(components) };
  return {
    openapi: "3.1.0",
    info: {
      title: `Lucchetto: accounts of ${options.siteName}`,
      version: VERSION,
      description:
        "Times are ISO 8601 in UTC, ids UUIDv7, members camelCase. Requests with unknown members are refused. Errors are problem details (RFC 9457).",
    },
    servers: [{ url: options.publicUrl }],
    paths,
    components: {
      schemas: components,
      securitySchemes: {
        ownToken: { type: "http", scheme: "bearer", description: "Own token (lcs_…), or the own cookie" },
        appKey: { type: "http", scheme: "basic", description: "Client id and app key (lcp_…)" },
      },
    },
  };
}

/** A schema as JSON Schema 2020-12. Named ones go to the components, and stand here as a reference. */
function schemaOf(components: Components, schema: z.ZodType, io: "input" | "output" = "output"): Json {
  const {
    $schema: _$schema,
    $defs,
    id,
    ...own
  } = z.toJSONSchema(schema, { io, unrepresentable: "any" }) as Json;
  for (const [name, definition] of Object.entries(($defs ?? {}) as Record<string, Json>)) {
    components[name] = withComponentReferences(definition);
  }
  const named = schema.meta()?.id ?? id;
  if (typeof named !== "string") return withComponentReferences(own);
  components[named] = withComponentReferences(own);
  return { $ref: `#/components/schemas/${named}` };
}

function withComponentReferences({ $schema: _$schema, id: _id, ...schema }: Json): Json {
  return JSON.parse(JSON.stringify(schema).replaceAll('"#/$defs/', '"#/components/schemas/')) as Json;
}

function problemReply(components: Components): Json {
  return {
    description: "A problem (RFC 9457); `code` says which",
    content: { "application/problem+json": { schema: schemaOf(components, problem) } },
  };
}

function describeRoutes(components: Components, development: boolean): Json {
  const paths: Record<string, Json> = {};
  for (const route of Object.values(routes) as Route[]) {
    if (route.access === "development" && !development) continue;
    const path = route.path.replace(/:([A-Za-z]+)/g, "{$1}");
    (paths[path] ??= {})[route.method.toLowerCase()] = describeRoute(components, route);
  }
  return paths;
}

function describeRoute(components: Components, route: Route): Json {
  const replies = Object.entries(route.replies).map(([status, schema]) => [
    status,
    status === "204"
      ? { description: "Done" }
      : { description: "Done", content: { "application/json": { schema: schemaOf(components, schema) } } },
  ]);
  const parameters = [
    ...describeParameters(components, "path", route.params),
    ...describeParameters(components, "query", route.query),
  ];
  const open = route.access === "anybody" || route.access === "development";
  return {
    operationId: route.name,
    summary: route.summary,
    tags: [route.path.split("/")[2] ?? ""],
    ...(open ? {} : { security: [{ [route.access === "app" ? "appKey" : "ownToken"]: [] }] }),
    ...(parameters.length === 0 ? {} : { parameters }),
    ...(route.body === undefined
      ? {}
      : {
          requestBody: {
            required: true,
            content: { "application/json": { schema: schemaOf(components, route.body, "input") } },
          },
        }),
    responses: {
      ...Object.fromEntries(replies),
      "4XX": problemReply(components),
      "5XX": problemReply(components),
    },
  };
}

function describeParameters(
  components: Components,
  place: "path" | "query",
  schema: z.ZodObject | undefined,
): Json[] {
  if (schema === undefined) return [];
  const { properties = {}, required = [] } = schemaOf(components, schema, "input") as {
    properties?: Record<string, Json>;
    required?: string[];
  };
  return Object.entries(properties).map(([name, member]) => ({
    name,
    in: place,
    required: required.includes(name),
    schema: member,
  }));
}

function describeStandards(components: Components): Json {
  const form = (schema: z.ZodObject) => ({
    required: true,
    content: { "application/x-www-form-urlencoded": { schema: schemaOf(components, schema, "input") } },
  });
  const json = (schema: z.ZodType) => ({
    description: "Done",
    content: { "application/json": { schema: schemaOf(components, schema) } },
  });
  const refused = json(oauthError);
  const ofApps = { tags: ["oauth"], security: [{ appKey: [] }] };
  return {
    [OAUTH_PATHS.metadata]: {
      get: {
        tags: ["oauth"],
        summary: "Authorization server metadata (RFC 8414)",
        responses: { "200": json(metadata) },
      },
    },
    [OAUTH_PATHS.authorize]: {
      get: {
        tags: ["oauth"],
        summary: "Authorization endpoint (RFC 6749 section 4.1.1, PKCE S256 required)",
        parameters: describeParameters(
          components,
          "query",
          z.object({
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
        ),
        responses: {
          "303": {
            description: "To the return address with `code`, `state` and `iss`, or to the sign-in page",
          },
          "400": problemReply(components),
        },
      },
    },
    [OAUTH_PATHS.token]: {
      post: {
        ...ofApps,
        summary: "Swap a code for a check token (RFC 6749 section 4.1.3)",
        requestBody: form(
          z.object({
            grant_type: z.literal("authorization_code"),
            code: z.string(),
            redirect_uri: z.string(),
            code_verifier: z.string(),
          }),
        ),
        responses: { "200": json(tokenReply), "400": refused, "401": refused },
      },
    },
    [OAUTH_PATHS.introspect]: {
      post: {
        ...ofApps,
        summary: "Who is there (RFC 7662); asking counts as use",
        requestBody: form(
          z.object({
            token: z.string().describe("a check token of this app (lck_…), or an access key (lca_…)"),
            token_type_hint: z.string().optional(),
            username: z.string().optional().describe("the name that came with an access key as HTTP Basic"),
          }),
        ),
        responses: { "200": json(introspection), "400": refused, "401": refused },
      },
    },
    "/v1/proxy-check": {
      get: {
        tags: ["proxy-check"],
        summary:
          "Asked by reverse proxies before they let a request through; the configuration lists who may ask",
        parameters: describeParameters(
          components,
          "query",
          z.object({
            label: z.string().optional().describe("403 to whoever does not carry it"),
            guests: z.enum(["yes"]).optional().describe("guests pass, without identity"),
          }),
        ),
        responses: {
          "200": { description: "May pass; who it is stands in the headers Lucchetto-…" },
          "401": problemReply(components),
          "403": problemReply(components),
        },
      },
    },
    [OAUTH_PATHS.revoke]: {
      post: {
        ...ofApps,
        summary: "End one check token (RFC 7009)",
        requestBody: form(z.object({ token: z.string(), token_type_hint: z.string().optional() })),
        responses: { "200": { description: "Done, whatever the token was" }, "400": refused, "401": refused },
      },
    },
  };
}
