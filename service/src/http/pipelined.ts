/** How many requests one connection may have under way: whoever sends many at once and reads nothing fills no memory. */
import type { ServerResponse } from "node:http";
import type { Socket } from "node:net";

/** Browsers and proxies send one at a time; programs that pipeline send a few. */
const MAX_PIPELINED = 32;

/** @returns counts a request of a connection in, until it is answered; `false`: there are too many, and the connection was ended. */
export function limitPipelined(): (socket: Socket, response: ServerResponse) => boolean {
  const underWay = new WeakMap<Socket, number>();
  return (socket, response) => {
    const count = (underWay.get(socket) ?? 0) + 1;
    if (count > MAX_PIPELINED) {
      socket.destroy();
      return false;
    }
    underWay.set(socket, count);
    response.once("close", () => underWay.set(socket, (underWay.get(socket) ?? 1) - 1));
    return true;
  };
}
