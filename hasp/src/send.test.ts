import type { ServerResponse } from "node:http";
import { createServer } from "node:http";
import type { AddressInfo } from "node:net";
import { expect, test } from "@jest/globals";
import { createSender } from "./send.ts";

const TIMEOUT = 1_000;
/** After which the other side closes a connection that it has answered on before. */
const CLOSES_AFTER = 400;

test("a question that is asked again on another connection has the time that is left of the first", async () => {
  const answers: Array<(response: ServerResponse) => void> = [
    (response) => response.end("{}"),
    ({ socket }) => setTimeout(() => socket?.destroy(), CLOSES_AFTER),
    () => undefined,
  ];
  const server = createServer((_request, response) => answers.shift()?.(response));
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", () => resolve()));
  const { port } = server.address() as AddressInfo;
  const send = createSender(`http://127.0.0.1:${port}`, "Basic x");
  const sent = { path: "/", body: "{}", contentType: "application/json", timeout: TIMEOUT, isQuestion: true };
  try {
    expect(await send(sent)).toMatchObject({ status: 200 });
    const failed = (await send(sent).catch((error: unknown) => error)) as Error;
    const [, waited] = /^no answer within (\d+) ms$/.exec(failed.message) ?? [];
    expect(Number(waited)).toBeLessThanOrEqual(TIMEOUT - CLOSES_AFTER + 50);
    expect(answers).toEqual([]);
  } finally {
    server.closeAllConnections();
    server.close();
  }
});
