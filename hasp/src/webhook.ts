/**
 * Reads a webhook that Lucchetto sent: its signature first (Standard Webhooks 1.0), then what it says.
 *
 *     const read = readWebhook({ secret, headers: request.headers, body: rawText, now: new Date() });
 */
import { createHmac, timingSafeEqual } from "node:crypto";
import type { ConsultAnswer, ConsultQuestion, Notice } from "@lucchetto/contract/apps";
import { consultQuestion, notice } from "@lucchetto/contract/apps";

/** Milliseconds that a message's time may differ from ours; older ones may be replayed. */
const TOLERANCE = 5 * 60_000;

export type { ConsultAnswer, ConsultQuestion, Notice };

/** A message as it came. */
export interface IncomingWebhook {
  /** `whsec_…`, as the service has it. */
  readonly secret: string;
  readonly headers: Readonly<Record<string, string | string[] | undefined>>;
  /** The body byte for byte, before any parsing. */
  readonly body: string;
  readonly now: Date;
}

/** The message is not from Lucchetto, too old, or none that is known. Answer 400 or 401, and do nothing. */
export class WebhookRefused extends Error {
  override readonly name = "WebhookRefused";
}

/** @returns its id, the same at every try of a notice, and what it says. @throws WebhookRefused; RangeError for a secret that is none. */
export function readWebhook(
  incoming: IncomingWebhook,
):
  | { readonly id: string; readonly question: ConsultQuestion }
  | { readonly id: string; readonly notice: Notice } {
  assertSecret(incoming.secret);
  const id = header(incoming, "webhook-id");
  const timestamp = header(incoming, "webhook-timestamp");
  const at = Number(timestamp) * 1_000;
  if (!(Math.abs(incoming.now.getTime() - at) <= TOLERANCE))
    throw new WebhookRefused("its time is missing, or too far from ours");
  if (!isSigned(incoming, `${id}.${timestamp}.${incoming.body}`))
    throw new WebhookRefused("its signature is not the one of this secret");
  const json = parse(incoming.body);
  const asked = consultQuestion.safeParse(json);
  if (asked.success) return { id, question: asked.data };
  const told = notice.safeParse(json);
  if (told.success) return { id, notice: told.data };
  throw new WebhookRefused("it is neither a question nor a notice that is known here");
}

/** Bytes that a secret has at least (Standard Webhooks 1.0). */
const MIN_SECRET_BYTES = 24;

/** With an empty secret anybody could sign. @throws RangeError. */
function assertSecret(secret: string): void {
  const isSecret = /^whsec_[A-Za-z0-9+/]+={0,2}$/.test(secret);
  if (isSecret && Buffer.from(secret.slice("whsec_".length), "base64").length >= MIN_SECRET_BYTES) return;
  throw new RangeError(
    "secret: expected the signing secret, which begins with whsec_ and has 24 bytes at least (is the variable empty?)",
  );
}

function isSigned(incoming: IncomingWebhook, signed: string): boolean {
  const key = Buffer.from(incoming.secret.replace(/^whsec_/, ""), "base64");
  const expected = createHmac("sha256", key).update(signed).digest();
  // While a secret is changed, several signatures may come, each with its version.
  return header(incoming, "webhook-signature")
    .split(" ")
    .filter((one) => one.startsWith("v1,"))
    .map((one) => Buffer.from(one.slice("v1,".length), "base64"))
    .some((given) => given.length === expected.length && timingSafeEqual(given, expected));
}

function header({ headers }: IncomingWebhook, name: string): string {
  const value = headers[name];
  if (typeof value === "string" && value !== "") return value;
  throw new WebhookRefused(`the header ${name} is missing`);
}

function parse(body: string): unknown {
  try {
    return JSON.parse(body);
  } catch {
    throw new WebhookRefused("its body is no JSON");
  }
}
