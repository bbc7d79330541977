/** Decisions of webhooks: how a message is signed (Standard Webhooks 1.0), and when a delivery is tried again. */
import { createHmac } from "node:crypto";

const SECRET_PREFIX = "whsec_";
/** Bytes of a secret, as the description of Standard Webhooks asks for. */
const SECRET_BYTES = { least: 24, most: 64 } as const;

/**
 * Reads a signing secret: `whsec_` and 24 to 64 bytes in base64.
 * @returns the bytes; `null` if the text is none.
 * @example
 * ```ts
 * readWebhookSecret("whsec_" + "A".repeat(32)).length // → 24
 * readWebhookSecret("a secret") // → null
 * ```
 */
export function readWebhookSecret(text: string): Uint8Array | null {
  if (!text.startsWith(SECRET_PREFIX)) return null;
  const base64 = text.slice(SECRET_PREFIX.length);
  const bytes = Buffer.from(base64, "base64");
  const isWhole = bytes.toString("base64").replace(/=+$/, "") === base64.replace(/=+$/, "");
  if (!isWhole || bytes.length < SECRET_BYTES.least || bytes.length > SECRET_BYTES.most) return null;
  return new Uint8Array(bytes);
}

/**
 * Makes a signing secret of 32 random bytes.
 * @example
 * ```ts
 * writeWebhookSecret(new Uint8Array(24)) // → "whsec_AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA"
 * ```
 */
export function writeWebhookSecret(random: Uint8Array): string {
  return SECRET_PREFIX + Buffer.from(random).toString("base64");
}

/** What is signed. */
export interface WebhookMessage {
  readonly id: string;
  readonly at: Date;
  /** The body, byte for byte. */
  readonly body: string;
}

/**
 * The three headers of a signed message: id, seconds since 1970, and HMAC-SHA-256 over `id.timestamp.body`.
 * @example
 * ```ts
 * const message = { id: "0192f0c1-89ab-7def-8123-456789abcdef", at: new Date(0), body: "{}" };
 * Object.keys(signWebhook(new Uint8Array(24), message)) // → [ "webhook-id", "webhook-timestamp", "webhook-signature" ]
 * ```
 */
export function signWebhook(secret: Uint8Array, { id, at, body }: WebhookMessage): Record<string, string> {
  const timestamp = String(Math.floor(at.getTime() / 1_000));
  const signature = createHmac("sha256", secret).update(`${id}.${timestamp}.${body}`).digest("base64");
  return {
    "webhook-id": id,
    "webhook-timestamp": timestamp,
    "webhook-signature": `v1,${signature}`,
  };
}

const SECOND = 1_000;
const MINUTE = 60 * SECOND;
const HOUR = 60 * MINUTE;
/** Waits after each failed try; together some three days. */
const WAITS = [5 * SECOND, 30 * SECOND, 2 * MINUTE, 10 * MINUTE, HOUR, 6 * HOUR, 24 * HOUR, 48 * HOUR];

/**
 * When a delivery is tried again. @param tries made so far, at least 1. @returns `null`: it is given up.
 * @example
 * ```ts
 * nextTryAfter(1, new Date("2026-07-01T06:00:00Z")) // → new Date("2026-07-01T06:00:05.000Z")
 * ```
 */
export function nextTryAfter(tries: number, now: Date): Date | null {
  const wait = WAITS[tries - 1];
  return wait === undefined ? null : new Date(now.getTime() + wait);
}
