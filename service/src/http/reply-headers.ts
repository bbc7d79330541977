/** Headers of every reply. */
import type { FastifyHelmetOptions } from "@fastify/helmet";
import helmet from "@fastify/helmet";
import type { FastifyInstance } from "fastify";
import Fastify from "fastify";

const HSTS_SECONDS = 2 * 365 * 24 * 3_600;

/** They are the same for all, so they are made once. @returns them. */
export async function setReplyHeaders(
  app: FastifyInstance,
  publicUrl: string,
): Promise<Record<string, string>> {
  const headers = await headersOf({
    // Pages bring a policy of their own; everything else is data and may load nothing.
    contentSecurityPolicy: {
      useDefaults: false,
      directives: { defaultSrc: ["'none'"], frameAncestors: ["'none'"] },
    },
    referrerPolicy: { policy: "no-referrer" },
    strictTransportSecurity: publicUrl.startsWith("https:") ? { maxAge: HSTS_SECONDS } : false,
    frameguard: { action: "deny" },
    crossOriginResourcePolicy: { policy: "same-origin" },
  });
  app.addHook("onRequest", (request, reply, done) => {
    reply.headers(headers).header("x-request-id", request.id);
    done();
  });
  return headers;
}

/** What helmet would set on a reply: asked once, of an application of its own. */
async function headersOf(options: FastifyHelmetOptions): Promise<Record<string, string>> {
  const sample = Fastify();
  await sample.register(helmet, options);
  sample.get("/", async (_request, reply) => reply.send());
  const { headers } = await sample.inject("/");
  await sample.close();
  const own = new Set(["connection", "content-length", "date", "keep-alive"]);
  const entries = Object.entries(headers).filter(([name, value]) => !own.has(name) && value !== undefined);
  return Object.fromEntries(entries.map(([name, value]) => [name, String(value)]));
}
