/** Drives a server over kept connections, one request at a time on each: plain sockets, so that the driver costs little. */
import { connect } from "node:net";
import { performance } from "node:perf_hooks";

/**
 * @param request makes the bytes of the next one; `holds` must stand in every reply.
 * @returns requests a second, and the 99th percentile of their milliseconds.
 */
export async function drive({ port, request, holds, connections, seconds }) {
  const times = [];
  const began = performance.now();
  const until = began + seconds * 1_000;
  await Promise.all(
    Array.from({ length: connections }, () => driveOne({ port, request, holds, until, times })),
  );
  const lasted = (performance.now() - began) / 1_000;
  times.sort((left, right) => left - right);
  return { rate: times.length / lasted, p99: times[Math.floor(times.length * 0.99)] };
}

/** The median of each figure of some turns. */
export function middleOf(turns) {
  const middle = (figures) => figures.sort((one, other) => one - other)[Math.floor(figures.length / 2)];
  return { rate: middle(turns.map(({ rate }) => rate)), p99: middle(turns.map(({ p99 }) => p99)) };
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
