/** The OpenAPI 3.1 document of all calls, written by a package from the contract's own schemas. */
import { STATUS_CODES } from "node:http";
import type { Route } from "@lucchetto/contract";
import { problemsOf, routes, VERSION } from "@lucchetto/contract";
import type { ZodOpenApiOperationObject, ZodOpenApiPathsObject, ZodOpenApiResponseObject } from "zod-openapi";
import { createDocument } from "zod-openapi";
import { addExamples } from "./example.ts";
import { problemReplies } from "./problem-replies.ts";
import { standardPaths } from "./standards.ts";

interface Description {
  readonly publicUrl: string;
  readonly siteName: string;
  /** Whether the calls that only development mode has are described too. */
  readonly development: boolean;
}

/** Makes the document: each named schema once, each status with its own problems, an example beside each reply. */
export function describeApi({ publicUrl, siteName, development }: Description): object {
  const described = (Object.values(routes) as Route[]).filter(
    ({ access, inDevelopment }) => development || (access !== "development" && inDevelopment !== true),
  );
  const document = createDocument({
    openapi: "3.1.0",
    info: {
      title: `Lucchetto: accounts of ${siteName}`,
      version: VERSION,
      description:
        "Times are ISO 8601 in UTC, ids UUIDv7, members camelCase. Requests with unknown members are refused; replies may grow. Errors are problem details (RFC 9457).",
      license: { name: "Apache-2.0", identifier: "Apache-2.0" },
    },
    servers: [{ url: publicUrl }],
    paths: { ...pathsOf(described, publicUrl), ...standardPaths(publicUrl) },
    components: {
      securitySchemes: {
        ownToken: { type: "http", scheme: "bearer", description: "Own token (lcs_…), or the own cookie" },
        appKey: { type: "http", scheme: "basic", description: "Client id and app key (lcp_…)" },
      },
    },
  });
  return addExamples(document);
}

function pathsOf(described: readonly Route[], publicUrl: string): ZodOpenApiPathsObject {
  const paths: Record<string, Record<string, ZodOpenApiOperationObject>> = {};
  for (const route of described) {
    const path = route.path.replace(/:([A-Za-z]+)/g, "{$1}");
    (paths[path] ??= {})[route.method.toLowerCase()] = operationOf(route, publicUrl);
  }
  return paths;
}

function operationOf(route: Route, publicUrl: string): ZodOpenApiOperationObject {
  const { access, body, params, query } = route;
  const isOpen = access === "anybody" || access === "development";
  const requestParams = {
    ...(params === undefined ? {} : { path: params }),
    ...(query === undefined ? {} : { query }),
  };
  return {
    operationId: route.name,
    summary: route.summary,
    tags: [route.path.split("/")[2] ?? ""],
    security: isOpen ? [] : [{ [access === "app" ? "appKey" : "ownToken"]: [] }],
    ...(Object.keys(requestParams).length === 0 ? {} : { requestParams }),
    ...(body === undefined
      ? {}
      : { requestBody: { required: true, content: { "application/json": { schema: body } } } }),
    responses: { ...repliesOf(route), ...problemReplies(problemsOf(route), publicUrl) },
  };
}

function repliesOf({ replies }: Route): Record<`${number}`, ZodOpenApiResponseObject> {
  return Object.fromEntries(
    Object.entries(replies).map(([status, schema]) => [
      status,
      {
        description: STATUS_CODES[status] ?? status,
        ...(status === "204" ? {} : { content: { "application/json": { schema } } }),
      },
    ]),
  );
}
