/** Running other programs. */
import { spawn } from "node:child_process";
import { randomInt } from "node:crypto";
import { createServer } from "node:net";
import { UserError } from "./say.mjs";

/** Lines of a failed command's output that are shown. */
const SHOWN_LINES = 25;

/** Runs a command to its end. @returns its standard output. @throws UserError with the end of its output. */
export function runCommand(command, args, options = {}) {
  const { input, ...spawnOptions } = options;
  return new Promise((resolve, reject) => {
    const child = spawn(command, args, { stdio: ["pipe", "pipe", "pipe"], ...spawnOptions });
    let out = "";
    let all = "";
    child.stdout.on("data", (chunk) => {
      out += chunk;
      all += chunk;
    });
    child.stderr.on("data", (chunk) => {
      all += chunk;
    });
    child.stdin.on("error", () => {});
    child.stdin.end(input ?? "");
    child.on("error", (error) => reject(new UserError(`${command} cannot be started: ${error.message}`)));
    child.on("close", (code) => {
      if (code === 0) return resolve(out);
      const shown = all.trimEnd().split("\n").slice(-SHOWN_LINES).join("\n");
      reject(new UserError(`${command} ${args.slice(0, 3).join(" ")} failed (exit ${code}):\n${shown}`));
    });
  });
}

/** Waits until `isReady` says yes. @throws UserError after `seconds`, or when the process has ended. */
export async function waitUntil(isReady, { what, seconds, ended = () => false }) {
  const end = performance.now() + seconds * 1_000;
  for (;;) {
    // Not ready yet looks like an error.
    if (await isReady().catch(() => false)) return;
    if (ended()) throw new UserError(`${what} ended before it was ready.`);
    if (performance.now() > end) throw new UserError(`${what} was not ready after ${seconds} seconds.`);
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
}

/** Ends a child process and waits for it; after `seconds` it is killed. */
export function endProcess(child, seconds = 10) {
  if (child.exitCode !== null || child.signalCode !== null) return Promise.resolve();
  return new Promise((resolve) => {
    const timer = setTimeout(() => child.kill("SIGKILL"), seconds * 1_000);
    child.once("exit", () => {
      clearTimeout(timer);
      resolve();
    });
    child.kill("SIGTERM");
  });
}

/** Whether a port of this machine is free. */
export function isPortFree(port) {
  return new Promise((resolve) => {
    const server = createServer();
    server.once("error", () => resolve(false));
    server.listen(port, "127.0.0.1", () => server.close(() => resolve(true)));
  });
}

/**
 * Ports that are handed out: below those that Linux takes for connections going out (`ip_local_port_range`), one of which could
 * come to a port between its being found free and its use; above the last that browsers refuse.
 */
const PORTS = { first: 11_000, end: 32_000 };
let nextPort = randomInt(PORTS.first, PORTS.end);

/** A port that nobody uses at this moment, and that this process has not handed out before. @returns {Promise<number>} */
export async function freePort() {
  for (;;) {
    const port = nextPort;
    nextPort = port + 1 < PORTS.end ? port + 1 : PORTS.first;
    if (await isPortFree(port)) return port;
  }
}
