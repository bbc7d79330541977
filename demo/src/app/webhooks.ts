/** The application's side of webhooks: it is asked before somebody joins, and told what happened. */
import type { ConsultAnswer, ConsultQuestion } from "@lucchetto/hasp";
import { readWebhook, WebhookRefused } from "@lucchetto/hasp";
import type { FastifyInstance } from "fastify";

/** A made-up house rule. */
const UNWELCOME = "@spam.example";

/** @param secret `whsec_…`, as the service has it. */
export function addWebhooks(app: FastifyInstance, secret: string): void {
  void app.register(async (own) => {
    // The signature covers the body byte for byte, so it is read as text.
    own.removeAllContentTypeParsers();
    own.addContentTypeParser("application/json", { parseAs: "string" }, (_request, body, done) =>
      done(null, body),
    );

    own.post("/webhooks", { preHandler: app.hasp.open({ asks: false }) }, async (request, reply) => {
      try {
        const read = readWebhook({
          secret,
          headers: request.headers,
          body: request.body as string,
          now: new Date(),
        });
        if ("question" in read) return answerQuestion(read.question);
        app.log.info({ type: read.notice.type, accountId: read.notice.data.accountId }, "told");
        return reply.status(204).send();
      } catch (error) {
        if (!(error instanceof WebhookRefused)) throw error;
        return reply.status(400).send({ refused: error.message });
      }
    });
  });
}

function answerQuestion({ type, account }: ConsultQuestion): ConsultAnswer {
  if (type === "account.create" && account.email?.endsWith(UNWELCOME) === true)
    return { decision: "refuse", message: "Brina Huts takes no members from spam.example." };
  return { decision: "allow" };
}
