/**
 * How fast notices go out to a receiver that answers after ten milliseconds, and what sign-ins feel of one that hangs.
 *
 *     node bench/faults/notices.mjs [--notices 3000]
 */
import { createServer } from "node:http";
import { performance } from "node:perf_hooks";
import { setTimeout as pause } from "node:timers/promises";
import { parseArgs } from "node:util";
import { judge, PASSWORD, setStage, tellingReceiver } from "./stage.mjs";

const { values } = parseArgs({ options: { notices: { type: "string", default: "3000" } } });
const COUNT = Number(values.notices);
const ANSWER_AFTER = 10;
const received = new Set();
let hangs = false;
const receiver = createServer((request, response) => {
  request.resume().on("end", () => {
    if (hangs) return;
    setTimeout(() => {
      received.add(request.headers["webhook-id"]);
      response.writeHead(204).end();
    }, ANSWER_AFTER);
  });
});
await new Promise((resolve) => receiver.listen(0, "127.0.0.1", resolve));
const stage = await setStage({ instances: 1, ...tellingReceiver(receiver.address().port) });
await stage.database.query(
  `INSERT INTO delivery (id, type, body, state, tries, nextTryAt, createdAt)
   SELECT CONCAT('01900009-0000-7000-8000-', LPAD(LOWER(HEX(seq)), 12, '0')), 'account.changed', '{"type":"account.changed"}', 'waiting', 0,
     UTC_TIMESTAMP(3), UTC_TIMESTAMP(3) FROM seq_1_to_${COUNT}`,
);
const began = performance.now();
while (received.size < COUNT && performance.now() - began < 120_000) await pause(20);
const rate = received.size / ((performance.now() - began) / 1_000);

hangs = true;
const [url] = stage.urls;
const post = async (path, body) => {
  const asked = performance.now();
  const headers = { "content-type": "application/json" };
  const { status } = await fetch(url + path, { method: "POST", headers, body: JSON.stringify(body) });
  return { status, took: performance.now() - asked };
};
const email = "anna@brina.example";
await post("/v1/accounts", { email, password: PASSWORD });
const proof = { type: "password", identifier: email, password: PASSWORD };
const signIns = [];
for (let turn = 0; turn < 10; turn += 1) signIns.push(await post("/v1/sign-in", { proof, deliver: "token" }));
const longest = Math.max(...signIns.map(({ took }) => took));
await stage.strike();
receiver.closeAllConnections();
receiver.close();

judge(`${COUNT} notices to a receiver that answers after ${ANSWER_AFTER} ms, one instance`, [
  { wanted: "all arrive", came: `${received.size}`, holds: received.size === COUNT },
  { wanted: "at least 200 a second", came: `${rate.toFixed(0)} a second`, holds: rate >= 200 },
  {
    wanted: "a receiver that hangs holds no sign-in",
    came: `${signIns.map(({ status }) => status).join(" ")}, the longest ${longest.toFixed(0)} ms`,
    holds: signIns.every(({ status }) => status === 201) && longest < 5_000,
  },
]);
