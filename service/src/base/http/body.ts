/** Bodies: strict UTF-8 JSON that cannot reach prototypes, and form fields for the standards' endpoints. */
import type { FastifyInstance, FastifyRequest } from "fastify";
import { parse as parseJson } from "secure-json-parse";
import { ProblemReply } from "../problem.ts";

/** Largest body in bytes. */
export const BODY_LIMIT = 64 * 1024;
const READING = { parseAs: "buffer", bodyLimit: BODY_LIMIT } as const;

/** Takes `application/json` only. The framework's own parser would let invalid UTF-8 pass as U+FFFD. */
export function acceptJson(app: FastifyInstance): void {
  app.removeAllContentTypeParsers();
  app.addContentTypeParser<Buffer>(
    "application/json",
    READING,
    async (_request: FastifyRequest, body: Buffer) => {
      const text = decodeUtf8(body);
      if (text === "")
        throw new ProblemReply("malformed-request", {
          detail: "The body is empty; a JSON object is expected.",
        });
      try {
        return parseJson(text, null, { protoAction: "error", constructorAction: "error" }) as unknown;
      } catch {
        throw new ProblemReply("malformed-request", {
          detail: "The body is not JSON, or it has members named __proto__ or constructor.prototype.",
        });
      }
    },
  );
}

/** Takes `application/x-www-form-urlencoded` only; their readers refuse a field that stands twice. */
export function acceptForms(app: FastifyInstance): void {
  app.removeAllContentTypeParsers();
  app.addContentTypeParser<Buffer>(
    "application/x-www-form-urlencoded",
    READING,
    async (_request: FastifyRequest, body: Buffer) => new URLSearchParams(decodeUtf8(body)),
  );
}

const UTF_8 = new TextDecoder("utf-8", { fatal: true });

function decodeUtf8(body: Buffer): string {
  try {
    return UTF_8.decode(body);
  } catch {
    throw new ProblemReply("malformed-request", { detail: "The body is not valid UTF-8." });
  }
}
