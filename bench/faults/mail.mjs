/**
 * The mail server hangs, refuses everything, and dies in the middle of mails, under load: who asks for something waits for none
 * of it, and every mail arrives when the server is well again.
 *
 *     node bench/faults/mail.mjs [--seconds 12] [--rate 10]
 */
import { parseArgs } from "node:util";
import { judged, playFalls, waitForAll } from "./falls.mjs";
import { beginLoad } from "./load.mjs";
import { judge, setStage } from "./stage.mjs";

const { values } = parseArgs({
  options: { seconds: { type: "string", default: "12" }, rate: { type: "string", default: "10" } },
});
const stage = await setStage({ instances: 1 });
const load = beginLoad(stage.urls, { rate: Number(values.rate), authorization: await stage.addApp() });
const falls = await playFalls(load, { seconds: Number(values.seconds), set: stage.letMailFall });
const end = await waitForAll(stage.database, "mail");
const different = new Set((await stage.mails()).map(({ id }) => id)).size;
await stage.strike();

judge(
  `A mail server that falls in three ways for ${values.seconds} s each, one instance, ${values.rate} requests a second`,
  judged(falls, end, different),
);
