/** What looking inside adds to the pages, as it was built beside them. */
import { readFileSync } from "node:fs";
import { extname, join } from "node:path";
import { gzipSync } from "node:zlib";
import { negotiate } from "@fastify/accept-negotiator";
import type { FastifyPluginAsync } from "fastify";
import { CONSOLE_DIRECTORY } from "../../base/locations.ts";
import { ProblemReply } from "../../base/problem.ts";

export const FILES_PATH = "/inside";

const TYPES: Readonly<Record<string, string>> = {
  ".js": "text/javascript; charset=utf-8",
  ".css": "text/css; charset=utf-8",
};

/** `GET /inside/…`, read anew each time: in development they are built again while the service runs. */
export const insideFiles: FastifyPluginAsync = async (app) => {
  app.get<{ Params: { name: string } }>(`${FILES_PATH}/:name`, async (request, reply) => {
    const { name } = request.params;
    const type = /^[\w-]+\.(js|css)$/.test(name) ? TYPES[extname(name)] : undefined;
    if (type === undefined) throw new ProblemReply("not-found");
    const body = readBuilt(name);
    void reply.headers({ "cache-control": "no-cache", vary: "accept-encoding" }).type(type);
    if (negotiate(request.headers["accept-encoding"] ?? "identity", ["gzip", "identity"]) !== "gzip")
      return reply.send(body);
    return reply.header("content-encoding", "gzip").send(gzipSync(body));
  });
};

function readBuilt(name: string): Buffer {
  try {
    return readFileSync(join(CONSOLE_DIRECTORY, "inside", name));
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === "ENOENT") throw new ProblemReply("not-found");
    throw error;
  }
}
