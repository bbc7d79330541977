/** What the HTTP server does with connections that stand still, its limit made short. */
import { randomUUID } from "node:crypto";
import { once } from "node:events";
import type { Socket } from "node:net";
import { connect } from "node:net";
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import { pino } from "pino";
import { freePort } from "../../scripts/process.mjs";
import { Drain } from "../src/base/http/drain.ts";
import { createApp } from "../src/records/http/server.ts";

const app = createApp({
  configuration: {
    publicUrl: "http://localhost",
    trustedProxies: [],
    forwardedHeader: "X-Forwarded-For",
    listen: { requestTimeout: 600_000 },
  },
  headers: {},
  logger: pino({ level: "silent" }),
  idOf: () => randomUUID(),
  shortcut: () => false,
  drain: new Drain(),
});
let port: number;
let ofLargeAnswer: Promise<Socket>;

beforeAll(async () => {
  app.server.timeout = 100;
  app.get("/slow", async ({ raw: { socket } }) => {
    await once(socket, "timeout");
    return "answered";
  });
  ofLargeAnswer = new Promise((resolve) =>
    app.get("/large", async ({ raw: { socket } }) => {
      resolve(socket);
      return Buffer.alloc(100_000_000);
    }),
  );
  port = await freePort();
  await app.listen({ port, host: "127.0.0.1" });
});
afterAll(() => app.close());

test("whoever waits for an answer is not cut off while it is being made", async () => {
  const reply = await fetch(`http://127.0.0.1:${port}/slow`);
  expect(await reply.text()).toBe("answered");
});

test("whoever takes nothing of an answer is cut off", async () => {
  const client = connect(port, "127.0.0.1").pause();
  client.write("GET /large HTTP/1.1\r\nHost: localhost\r\n\r\n");
  await once(await ofLargeAnswer, "close");
  client.destroy();
});
