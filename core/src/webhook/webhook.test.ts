import { randomBytes } from "node:crypto";
import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { nextTryAfter, readWebhookSecret, signWebhook, writeWebhookSecret } from "./index.ts";

describe("webhooks", () => {
  test("a message is signed as Standard Webhooks describes it", () => {
    // The example of the description, computed apart with a shell's openssl.
    const secret = readWebhookSecret("whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw");
    if (secret === null) throw new Error("not read");
    const headers = signWebhook(secret, {
      id: "msg_p5jXN8AQM9LWM0D4loKWxJek",
      at: new Date(1_614_265_330_000),
      body: '{"test": 2432232314}',
    });
    expect(headers).toEqual({
      "webhook-id": "msg_p5jXN8AQM9LWM0D4loKWxJek",
      "webhook-timestamp": "1614265330",
      "webhook-signature": "v1,g0hM9SsE+OTPJTGt/tmIKtSyZlE3uFJELVlNIOLJ1OE=",
    });
  });

  test("property: a secret is read back, and no other text is one", () => {
    fc.assert(
      fc.property(fc.uint8Array({ minLength: 24, maxLength: 64 }), (bytes) => {
        expect(readWebhookSecret(writeWebhookSecret(bytes))).toEqual(bytes);
      }),
    );
    for (const text of ["", "whsec_", "whsec_c2hvcnQ=", randomBytes(32).toString("base64"), "whsec_!!!!"])
      expect(readWebhookSecret(text)).toBeNull();
  });

  test("waits grow, and at last it is given up", () => {
    const now = new Date(0);
    const waits = Array.from({ length: 9 }, (_, index) => nextTryAfter(index + 1, now)?.getTime() ?? null);
    const kept = waits.filter((wait) => wait !== null);
    expect(kept).toEqual([...kept].sort((left, right) => left - right));
    expect(new Set(kept).size).toBe(8);
    expect(waits.at(-1)).toBeNull();
  });
});
