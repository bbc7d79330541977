/** The service's clock, moved for a while. It is set right again whatever happens: a second process does it when this one is gone. */
import { spawn } from "node:child_process";
import type { Client } from "@lucchetto/contract";
import { routes } from "@lucchetto/contract";
import { StepLeftOut } from "./failed.ts";

/** Waits until its input ends, which it does when whoever holds the other end is gone, however it went. */
const GUARD = `process.stdin.resume().on("end", async () => {
  for (let tries = 0; tries < 50; tries += 1) {
    try {
      const reply = await fetch(process.argv[1] + "/v1/development/clock", {
        method: "POST",
        headers: { "content-type": "application/json" },
        body: JSON.stringify({ milliseconds: Number(process.argv[2]) }),
      });
      if (reply.ok) break;
    } catch {}
    await new Promise((resolve) => setTimeout(resolve, 200));
  }
});`;

/** The service's time. @throws StepLeftOut where its clock cannot be read. */
export async function serviceTime(client: Client): Promise<number> {
  try {
    return Date.parse((await client(routes.showClock)).body.now);
  } catch (error) {
    throw new StepLeftOut("the service's clock can be moved only in development", { cause: error });
  }
}

/**
 * Does something while the clock is so far ahead.
 * @param service the service's address. @param milliseconds how far.
 */
export async function whileMoved<Result>(
  { client, service }: { client: Client; service: string },
  milliseconds: number,
  work: () => Promise<Result>,
): Promise<Result> {
  await serviceTime(client);
  const guard = spawn(process.execPath, ["-e", GUARD, service.replace(/\/$/, ""), String(-milliseconds)], {
    stdio: ["pipe", "ignore", "ignore"],
    detached: true,
    env: {},
  });
  const ended = new Promise((resolve) => guard.once("close", resolve));
  try {
    await client(routes.advanceClock, { body: { milliseconds } });
    return await work();
  } finally {
    // The guard does it, so that it is done once, and by one way alone.
    guard.stdin.end();
    await ended;
  }
}
