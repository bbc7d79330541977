/** Drives a server over kept connections, one request at a time on each: plain sockets, so that the driver costs little. */
import { readFileSync } from "node:fs";
import { connect } from "node:net";
import { performance } from "node:perf_hooks";

/**
 * @param request makes the bytes of the next one; `holds` must stand in every reply.
 * @param processes ids of those whose work is added up, by name.
 * @returns requests a second, the 99th percentile of their milliseconds, and the microseconds of processor time that each of the
 * processes, and this one as the driver, took for a request.
 */
export async function drive({ port, request, holds, connections, seconds, processes = {} }) {
  const times = [];
  const before = workOf(processes);
  const began = performance.now();
  const until = began + seconds * 1_000;
  await Promise.all(
    Array.from({ length: connections }, () => driveOne({ port, request, holds, until, times })),
  );
  const lasted = (performance.now() - began) / 1_000;
  const work = workOf(processes);
  times.sort((left, right) => left - right);
  const costs = Object.entries(work).map(([name, micros]) => [name, (micros - before[name]) / times.length]);
  return {
    rate: times.length / lasted,
    p99: times[Math.floor(times.length * 0.99)],
    ...Object.fromEntries(costs),
  };
}

/** Where the time of a request goes. */
export function costsInWords({ rate: _rate, p99: _p99, ...costs }) {
  const named = Object.entries(costs).map(([name, micros]) => `${name} ${micros.toFixed(0)}`);
  return `µs of a core for each request: ${named.join(", ")}`;
}

/** Clock ticks of a second in /proc (proc(5)). */
const TICKS = 100;

/** Microseconds of processor time that processes have taken so far, and this one. */
function workOf(processes) {
  const { user, system } = process.cpuUsage();
  const taken = Object.entries(processes).map(([name, pid]) => {
    const fields = readFileSync(`/proc/${pid}/stat`, "utf8").split(") ")[1].split(" ");
    return [name, ((Number(fields[11]) + Number(fields[12])) / TICKS) * 1_000_000];
  });
  return { ...Object.fromEntries(taken), driver: user + system };
}

export const middle = (figures) =>
  figures.toSorted((one, other) => one - other)[Math.floor(figures.length / 2)];

/** The median of each figure of some turns. */
export function middleOf(turns) {
  return Object.fromEntries(
    Object.keys(turns[0]).map((name) => [name, middle(turns.map((turn) => turn[name]))]),
  );
}

function driveOne({ port, request, holds, until, times }) {
  return new Promise((resolve, reject) => {
    const socket = connect({ port, host: "127.0.0.1", noDelay: true });
    let sentAt = 0;
    let text = "";
    const next = () => {
      if (performance.now() >= until) return socket.end(resolve);
      sentAt = performance.now();
      text = "";
      socket.write(request());
    };
    socket.on("connect", next);
    socket.on("error", reject);
    socket.on("data", (part) => {
      text += part.toString("latin1");
      const head = text.indexOf("\r\n\r\n");
      if (head < 0) return;
      const length = /content-length: (\d+)/i.exec(text);
      if (length === null || text.length < head + 4 + Number(length[1])) return;
      if (!text.startsWith("HTTP/1.1 200") || !text.includes(holds))
        return reject(new Error(`an unexpected reply: ${text.slice(0, 300)}`));
      times.push(performance.now() - sentAt);
      next();
    });
  });
}
