/** Headers of every reply. */
import type { FastifyHelmetOptions } from "@fastify/helmet";
import helmet from "@fastify/helmet";
import Fastify from "fastify";

const HSTS_SECONDS = 2 * 365 * 24 * 3_600;

/** None that a fault of the framework or of a package would have. */
const STATUS_OF_SAMPLE = 204;

/**
 * Headers of every reply, by lower-case name: the same for all, so they are made once.
 * @param publicUrl over https browsers are told to stay there (RFC 6797).
 * @throws Error if they cannot be made.
 */
export function makeReplyHeaders(publicUrl: string): Promise<Record<string, string>> {
  return headersOf({
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
}

/**
 * What helmet would set on a reply: asked once, of an application of its own.
 * @throws Error if that application could not answer as it should: without these headers nothing starts.
 */
async function headersOf(options: FastifyHelmetOptions): Promise<Record<string, string>> {
  const sample = Fastify();
  await sample.register(helmet, options);
  sample.get("/", async (_request, reply) => reply.code(STATUS_OF_SAMPLE).send());
  const { headers, statusCode, body } = await sample.inject("/");
  await sample.close();
  if (statusCode !== STATUS_OF_SAMPLE)
    throw new Error(`The headers of replies could not be made (${statusCode}): ${body}`);
  const own = new Set(["connection", "content-length", "date", "keep-alive"]);
  const entries = Object.entries(headers).filter(([name, value]) => !own.has(name) && value !== undefined);
  return Object.fromEntries(entries.map(([name, value]) => [name, String(value)]));
}
