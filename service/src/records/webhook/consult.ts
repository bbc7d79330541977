/** Asking the application before an account is created, changed or erased. Outside any transaction, and never for long. */
import type { ConsultAnswer, ConsultQuestion } from "@lucchetto/contract";
import { consultAnswer } from "@lucchetto/contract";
import { signWebhook } from "@lucchetto/core";
import type { FastifyBaseLogger } from "fastify";
import type { Clock } from "../../base/clock/clock.ts";
import type { Configuration } from "../../base/config/index.ts";
import { post, ReceiverFault } from "../../base/http/post.ts";
import { ProblemReply } from "../../base/problem.ts";
import type { Asker } from "../../base/queue/places.ts";
import { createPlaces } from "../../base/queue/places.ts";
import { newId } from "../../base/storage/index.ts";

type Question = Omit<ConsultQuestion, "at">;
/** What the application filled in. */
export interface FilledIn {
  readonly displayName?: string | null;
  readonly labels?: readonly string[];
  readonly reference?: string | null;
}

/**
 * Asks. Without a receiver everything is allowed.
 * @throws ProblemReply `refused-by-application` with the application's own sentence, `application-unresponsive` if it gave no usable answer
 * and the configuration says to refuse then, `too-busy` if too many questions are open.
 */
export type Consult = (question: Question, asker: Asker) => Promise<FilledIn>;

/** Seconds told to whoever was refused for want of an answer. */
const RETRY_AFTER = 10;

/** For each question that may be open at once, so many wait. */
const QUESTIONS_WAITING = 10;

export function createConsult(
  { webhooks }: Pick<Configuration, "webhooks">,
  clock: Clock,
  logger: FastifyBaseLogger,
): Consult {
  const { url, timeout, whenSilent, parallel } = webhooks.consult;
  if (url === undefined || webhooks.secret === null) return () => Promise.resolve({});
  const { secret, reach } = webhooks;
  // In turn by network. Whoever is sent away from the line was not asked about, and is refused: silence is the application's alone.
  const places = createPlaces({
    parallel,
    queue: parallel * QUESTIONS_WAITING,
    wait: Math.ceil(timeout / 2),
  });

  const ask = async (question: Question): Promise<ConsultAnswer> => {
    const at = clock.now();
    const body = JSON.stringify({ ...question, at: at.toISOString() } satisfies ConsultQuestion);
    const headers = signWebhook(secret, { id: newId(at), at, body });
    return readAnswer(await post(url, { body, headers }, { timeout, reach }));
  };

  return async (question, asker) => {
    let answer: ConsultAnswer;
    try {
      answer = await places.run(asker, () => ask(question));
    } catch (error) {
      if (!(error instanceof ReceiverFault)) throw error;
      logger.warn(
        { type: question.type, fault: error.message, whenSilent },
        "the application gave no answer",
      );
      if (whenSilent === "allow") return {};
      throw new ProblemReply("application-unresponsive", { retryAfter: RETRY_AFTER });
    }
    if (answer.decision === "refuse")
      throw new ProblemReply("refused-by-application", { detail: answer.message });
    const { displayName, labels, reference } = answer;
    return {
      ...(displayName === undefined ? {} : { displayName }),
      ...(labels === undefined ? {} : { labels }),
      ...(reference === undefined ? {} : { reference }),
    };
  };
}

function readAnswer({ status, body }: { status: number; body: string }): ConsultAnswer {
  if (status !== 200) throw new ReceiverFault(`it answered ${status} in place of 200`);
  let json: unknown;
  try {
    json = JSON.parse(body);
  } catch {
    throw new ReceiverFault("its answer is no JSON");
  }
  const read = consultAnswer.safeParse(json);
  if (read.success) return read.data;
  const [issue] = read.error.issues;
  throw new ReceiverFault(
    `the response is invalid: ${issue?.path.map(String).join(".") || "decision"}: ${issue?.message ?? "wrong"}`,
  );
}
