/** The outbox: mails that wait are sent over the configured mail server. */
import { nextMailTryAfter } from "@lucchetto/core";
import type { FastifyBaseLogger } from "fastify";
import type { Background } from "../../base/background-work.ts";
import type { SendResult } from "../../base/queue/work.ts";
import { drainQueue } from "../../base/queue/work.ts";
import type { MailRow } from "../../base/storage/index.ts";
import { MailEntity } from "../../base/storage/index.ts";
import type { ServiceContext } from "../../records/context.ts";
import { openBody } from "../../records/mail/mail.ts";
import { messageOf } from "../../records/mail/message.ts";
import type { MailTransport } from "../../records/mail/transport.ts";
import { openTransport, refusalOf } from "../../records/mail/transport.ts";

type Needed = Pick<ServiceContext, "configuration" | "dataSource" | "clock" | "sealingKeys">;

/** Begins to send; without a mail server there is nothing to do. */
export function startSending(context: Needed, logger: Pick<FastifyBaseLogger, "warn" | "debug">): Background {
  const settings = context.configuration.mail;
  if (settings.via !== "smtp") return { close: () => Promise.resolve() };
  const transport = openTransport(settings);
  return drainQueue(
    context,
    {
      what: "mails",
      entity: MailEntity,
      parallel: settings.connections,
      // What it said is kept no longer.
      arrived: { state: "sent", sealedBody: null, nextTryAt: null },
      send: (row) => sendOne(context, transport, row),
      nextTryAfter: nextMailTryAfter,
      close: () => transport.close(),
    },
    logger,
  );
}

async function sendOne(
  { configuration, clock, sealingKeys }: Needed,
  transport: MailTransport,
  row: MailRow,
): Promise<SendResult> {
  const never = (answer: string): SendResult => ({ arrived: false, answer, isFinal: true });
  if (row.expiresAt !== null && row.expiresAt <= clock.now())
    return never("not sent: its link has expired meanwhile");
  const body = openBody(sealingKeys, row);
  if (body === null) return never("not sent: it was sealed under a key that is not in the key ring any more");
  try {
    const { response } = await transport.sendMail(messageOf(configuration, row, body));
    return { arrived: true, answer: response };
  } catch (error) {
    return { arrived: false, ...refusalOf(error) };
  }
}
