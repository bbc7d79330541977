/** The way to the mail server: a pool of connections that stay open. */
import type { Transporter } from "nodemailer";
import { createTransport } from "nodemailer";
import type SMTPPool from "nodemailer/lib/smtp-pool/index.js";
import type { MailSettings } from "../../base/config/index.ts";

type SmtpSettings = Extract<MailSettings, { via: "smtp" }>;
export type MailTransport = Transporter<SMTPPool.SentMessageInfo, SMTPPool.Options>;

/** Messages over one connection before another is opened. */
const MESSAGES_A_CONNECTION = 500;

/** Opens nothing yet. */
export function openTransport({
  host,
  port,
  isTls,
  mustStartTls,
  user,
  password,
  authority,
  connections,
  timeout,
}: SmtpSettings): MailTransport {
  return createTransport({
    pool: true,
    host,
    port,
    secure: isTls,
    requireTLS: mustStartTls,
    ...(user === null ? {} : { auth: { user, pass: password ?? "" } }),
    ...(authority === null ? {} : { tls: { ca: authority } }),
    maxConnections: connections,
    maxMessages: MESSAGES_A_CONNECTION,
    connectionTimeout: timeout,
    greetingTimeout: timeout,
    socketTimeout: timeout,
    disableFileAccess: true,
    disableUrlAccess: true,
  });
}

/** What became of a try that failed. */
export interface Refusal {
  /** Trying again will not help: the server refuses this mail for good (RFC 5321 section 4.2.1, 5yz). */
  readonly isFinal: boolean;
  /** In one line, without the mail's content. */
  readonly answer: string;
}

/** What is said after these is said of this mail; before them it is the configuration's fault, and every mail would be lost by it. */
const OF_THE_MAIL: ReadonlySet<string | undefined> = new Set(["RCPT TO", "DATA"]);

/** Reads an error of the transport. A server that refuses the sender, the sign-in or everybody is tried again. */
export function refusalOf(error: unknown): Refusal {
  const { responseCode, response, code, command, message } = error as {
    responseCode?: number;
    command?: string;
    response?: string;
    code?: string;
    message?: string;
  };
  const isFinal = responseCode !== undefined && responseCode >= 500 && OF_THE_MAIL.has(command);
  const said = response ?? [code, message].filter((part) => part !== undefined).join(": ");
  return { isFinal, answer: said };
}
