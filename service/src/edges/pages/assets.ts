/** The static files of the pages, from memory: each as it is, and as it was compressed when the pages were built. */
import { readdirSync, readFileSync, statSync } from "node:fs";
import { extname, join } from "node:path";
import { negotiate } from "@fastify/accept-negotiator";
import type { FastifyPluginAsync } from "fastify";
import { ProblemReply } from "../../base/problem.ts";

const TYPES: Readonly<Record<string, string>> = {
  ".js": "text/javascript; charset=utf-8",
  ".css": "text/css; charset=utf-8",
  ".svg": "image/svg+xml",
  ".woff2": "font/woff2",
};

/** Codings by what stands behind a file's name; the smaller first. */
const CODINGS = { br: ".br", gzip: ".gz", identity: "" } as const;
type Coding = keyof typeof CODINGS;

interface Asset {
  readonly type: string;
  /** Its bytes by content coding (RFC 9110 section 8.4). */
  readonly bodies: ReadonlyMap<Coding, Buffer>;
}

/** File names carry a hash of what is in them. */
const FOR_EVER = "public, max-age=31536000, immutable";

/**
 * Serves `/assets/…`.
 * @param folder where the build put them. @param rebuilds whether they may be built anew while the service runs.
 */
export function assetRoutes(folder: string, { rebuilds }: { rebuilds: boolean }): FastifyPluginAsync {
  let assets = assetsIn(folder);
  const find = (name: string): Asset | undefined => {
    if (rebuilds) assets = assetsIn(folder);
    return assets.get(name);
  };
  return async (app) => {
    app.route<{ Params: { name: string } }>({
      method: ["GET", "HEAD"],
      url: "/assets/:name",
      handler: async (request, reply) => {
        const asset = find(request.params.name);
        if (asset === undefined) throw new ProblemReply("not-found");
        const coding = codingFor(request.headers["accept-encoding"], asset);
        if (coding !== "identity") void reply.header("content-encoding", coding);
        return reply
          .headers({ "cache-control": FOR_EVER, vary: "accept-encoding" })
          .type(asset.type)
          .send(asset.bodies.get(coding));
      },
    });
  };
}

function codingFor(accepted: string | undefined, { bodies }: Asset): Coding {
  const there = [...bodies.keys()];
  return (negotiate(accepted ?? "identity", there) as Coding | null) ?? "identity";
}

/** What was read of each folder, and how old the folder was then. */
const known = new Map<string, { readonly changedAt: number; readonly assets: ReadonlyMap<string, Asset> }>();

/** Everything in a folder, read again only if it has changed. */
function assetsIn(folder: string): ReadonlyMap<string, Asset> {
  const changedAt = statSync(folder, { throwIfNoEntry: false })?.mtimeMs ?? 0;
  const before = known.get(folder);
  if (before?.changedAt === changedAt) return before.assets;
  const assets = readAssets(folder);
  known.set(folder, { changedAt, assets });
  return assets;
}

function readAssets(folder: string): ReadonlyMap<string, Asset> {
  const names = namesIn(folder);
  const all = new Set(names);
  return new Map(
    names.flatMap((name) => {
      const type = TYPES[extname(name)];
      if (type === undefined) return [];
      const bodies = (Object.keys(CODINGS) as Coding[])
        .filter((coding) => all.has(name + CODINGS[coding]))
        .map((coding) => [coding, readFileSync(join(folder, name + CODINGS[coding]))] as const);
      return [[name, { type, bodies: new Map(bodies) }]];
    }),
  );
}

/** None where the pages are not built yet. */
function namesIn(folder: string): string[] {
  try {
    return readdirSync(folder);
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === "ENOENT") return [];
    throw error;
  }
}
