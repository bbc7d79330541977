/**
 * The receiver of notices hangs, refuses everything, and dies in the middle of answers, under load: who asks for something waits
 * for none of it, and every notice arrives when the receiver is well again.
 *
 *     node bench/faults/receiver.mjs [--seconds 12] [--rate 10]
 */
import { createServer } from "node:http";
import { parseArgs } from "node:util";
import { judged, playFalls, waitForAll } from "./falls.mjs";
import { beginLoad } from "./load.mjs";
import { judge, setStage, tellingReceiver } from "./stage.mjs";

const { values } = parseArgs({
  options: { seconds: { type: "string", default: "12" }, rate: { type: "string", default: "10" } },
});
let mode = "well";
const received = new Set();
const receiver = createServer((request, response) => {
  if (mode === "cut") return void request.once("data", () => request.socket.destroy());
  request.resume().on("end", () => {
    if (mode === "hang") return;
    if (mode === "refuse") return response.writeHead(503).end();
    received.add(request.headers["webhook-id"]);
    response.writeHead(204).end();
  });
});
await new Promise((resolve) => receiver.listen(0, "127.0.0.1", resolve));
const stage = await setStage({ instances: 1, ...tellingReceiver(receiver.address().port) });
const load = beginLoad(stage.urls, { rate: Number(values.rate), authorization: await stage.addApp() });
const falls = await playFalls(load, { seconds: Number(values.seconds), set: (value) => (mode = value) });
const end = await waitForAll(stage.database, "delivery");
await stage.strike();
receiver.closeAllConnections();
receiver.close();

judge(
  `A receiver that falls in three ways for ${values.seconds} s each, one instance, ${values.rate} requests a second`,
  judged(falls, end, received.size),
);
