import { EventEmitter } from "node:events";
import { describe, expect, test } from "@jest/globals";
import type { EventSink } from "./session-streams.ts";
import { keepSessionStreams } from "./session-streams.ts";

/** A client's stream, as node's response is one. */
class Client extends EventEmitter implements EventSink {
  destroyed = false;
  readonly said: string[] = [];
  write(text: string): void {
    this.said.push(text);
  }
  end(text = ""): void {
    this.said.push(text);
    this.hangUp();
  }
  hangUp(): void {
    this.destroyed = true;
    this.emit("close");
  }
}

describe("streams of sessions", () => {
  test("HA-4 clients that hang up before, during or after are not counted, and nobody is asked about them", async () => {
    let asked = 0;
    const streams = keepSessionStreams(
      (ids) => {
        asked += 1;
        return Promise.resolve(new Set(ids));
      },
      () => undefined,
    );
    const gone = Array.from({ length: 100 }, () => new Client());
    for (const client of gone) client.hangUp();
    expect(gone.map((client) => streams.keep("early", client))).toEqual(gone.map(() => false));
    const here = Array.from({ length: 100 }, (_, index) => ({ client: new Client(), id: `s${index % 10}` }));
    for (const { client, id } of here) expect(streams.keep(id, client)).toBe(true);
    expect(streams.count()).toBe(100);
    for (const { client } of here) client.hangUp();
    expect(streams.count()).toBe(0);
    await new Promise((resolve) => setTimeout(resolve, 1_300));
    expect(asked).toBe(0);
  });

  test("HA-4 a session has twenty streams at most; an ended one is told to all of its streams and to no other", async () => {
    const living = new Set(["stays", "ends"]);
    const streams = keepSessionStreams(
      () => Promise.resolve(living),
      () => undefined,
    );
    const of = (id: string) =>
      Array.from({ length: 25 }, () => new Client()).filter((client) => streams.keep(id, client));
    const [stays, ends] = [of("stays"), of("ends")];
    expect([stays.length, ends.length]).toEqual([20, 20]);
    living.delete("ends");
    while (streams.count() > 20) await new Promise((resolve) => setTimeout(resolve, 50));
    expect(ends.every(({ said }) => said.join("").includes("event: ended"))).toBe(true);
    expect(stays.every(({ said }) => said.length === 0)).toBe(true);
    streams.close();
    expect(streams.count()).toBe(0);
  });
});
