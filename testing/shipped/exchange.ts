/** One request as bytes, for what clients would not send or would hide: the reply's headers as they stand on the wire. */
import { request } from "node:http";
import { connect } from "node:net";

export interface Exchange {
  readonly status: number;
  /** By lower-case name; what came more than once is joined. */
  readonly headers: Readonly<Record<string, string>>;
  readonly body: string;
}

export interface Asked {
  readonly method?: string;
  readonly path: string;
  readonly headers?: Readonly<Record<string, string>>;
  readonly body?: string;
}

/** @param base address of the service. A stream is read up to its first bytes. */
export function exchange(
  base: string,
  { method = "GET", path, headers = {}, body }: Asked,
): Promise<Exchange> {
  const { hostname, port } = new URL(base);
  return new Promise((resolve, reject) => {
    const sent = request({ hostname, port, method, path, headers, agent: false }, (reply) => {
      let text = "";
      const end = () => {
        resolve({ status: reply.statusCode ?? 0, headers: plain(reply.headers), body: text });
        sent.destroy();
      };
      reply.setEncoding("utf8");
      reply.on("data", (chunk: string) => {
        text += chunk;
        if (reply.headers["content-type"]?.startsWith("text/event-stream") === true) end();
      });
      reply.once("end", end);
      reply.once("error", reject);
    });
    sent.once("error", reject);
    sent.end(body);
  });
}

function plain(headers: NodeJS.Dict<string | string[]>): Record<string, string> {
  return Object.fromEntries(
    Object.entries(headers).map(([name, value]) => [
      name,
      Array.isArray(value) ? value.join(", ") : String(value),
    ]),
  );
}

/** Sends bytes that are no proper request. */
export function exchangeRaw(base: string, bytes: string): Promise<Exchange> {
  const { hostname, port } = new URL(base);
  return new Promise((resolve, reject) => {
    const socket = connect(Number(port), hostname, () => socket.write(bytes));
    let text = "";
    socket.on("data", (chunk) => (text += chunk.toString("latin1")));
    socket.once("error", reject);
    socket.once("close", () => {
      const [head = "", body = ""] = text.split("\r\n\r\n", 2);
      const [line = "", ...lines] = head.split("\r\n");
      const headers = lines.map((one) => [
        one.slice(0, one.indexOf(":")).toLowerCase(),
        one.slice(one.indexOf(":") + 1).trim(),
      ]);
      resolve({ status: Number(line.split(" ")[1]), headers: Object.fromEntries(headers), body });
    });
  });
}
