/** The typed client made from the routes: every reply is read by its schema. */
import type { CallParts, ClientOptions } from "./call.ts";
import { exchange, foreignAnswer, problemError } from "./call.ts";
import { readReply } from "./read-reply.ts";
import type { CallOf, ReceivedReply, Route } from "./route.ts";
import { problem } from "./shapes/people.ts";

/** Calls one route; resolves with the reply, rejects with ProblemError or UnreachableError. */
export type Client = <R extends Route>(
  route: R,
  ...call: keyof CallOf<R> extends never ? [] : [CallOf<R>]
) => Promise<ReceivedReply<R>>;

/** Makes a client. */
export function createClient(options: ClientOptions): Client {
  const call = async (route: Route, parts: CallParts = {}): Promise<{ status: number; body: unknown }> => {
    const { status, body, version } = await exchange(options, route, parts);
    const schema = route.replies[status];
    const read = schema === undefined ? null : readReply(schema, body);
    if (read !== null) return { status, body: read.value };
    const received = problem.safeParse(body);
    if (received.success) throw problemError(received.data, version);
    throw foreignAnswer(options, status);
  };
  return call as Client;
}
