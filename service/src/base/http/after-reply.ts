/** Work that is done after a reply, so that its time tells nobody what there was to do. */
import type { FastifyInstance, FastifyRequest } from "fastify";

/** Begins such work; what is under way is waited for before the service closes. */
type AfterReply = (request: FastifyRequest, what: string, work: () => Promise<void>) => void;

/** @returns the door to it. @param app closes only when nothing is under way. */
export function afterReplies(app: FastifyInstance): AfterReply {
  const underway = new Set<Promise<void>>();
  app.addHook("onClose", async () => {
    await Promise.all(underway);
  });
  return (request, what, work) => {
    const done: Promise<void> = work()
      .catch((error: unknown) => request.log.error({ err: error }, `${what} could not be written`))
      .finally(() => underway.delete(done));
    underway.add(done);
  };
}
