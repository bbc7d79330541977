/**
 * The mail server hangs, refuses everything, and dies in the middle of mails, under load: who asks for something waits for none
 * of it, and every mail arrives when the server is well again.
 *
 *     node bench/faults/mail.mjs [--seconds 12] [--rate 10]
 */
import { performance } from "node:perf_hooks";
import { setTimeout as pause } from "node:timers/promises";
import { parseArgs } from "node:util";
import { beginLoad, inWords, longestOf } from "./load.mjs";
import { judge, setStage } from "./stage.mjs";

const { values } = parseArgs({
  options: { seconds: { type: "string", default: "12" }, rate: { type: "string", default: "10" } },
});
const stage = await setStage({ instances: 1 });
const load = beginLoad(stage.urls, { rate: Number(values.rate), authorization: await stage.addApp() });
await pause(5_000);
const falls = [];
for (const mode of ["hang", "refuse", "cut"]) {
  stage.letMailFall(mode);
  const began = performance.now();
  await pause(Number(values.seconds) * 1_000);
  stage.letMailFall("well");
  const answers = load.answers.filter((one) => one.began >= began);
  falls.push({ mode, answers: answers.slice() });
  await pause(3_000);
}
await load.end();
const wellAt = performance.now();
const count = async (where) =>
  Number((await stage.database.query(`SELECT COUNT(*) AS n FROM mail WHERE ${where}`))[0][0].n);
while ((await count("state = 'waiting'")) > 0 && performance.now() - wellAt < 300_000) await pause(500);
const allAfter = (performance.now() - wellAt) / 1_000;
const [sent, waiting, givenUp] = [
  await count("state = 'sent'"),
  await count("state = 'waiting'"),
  await count("state = 'given-up'"),
];
const mails = await stage.mails();
const different = new Set(mails.map(({ id }) => id)).size;
await stage.strike();

judge(
  `A mail server that falls in three ways for ${values.seconds} s each, one instance, ${values.rate} requests a second`,
  [
    ...falls.map(({ mode, answers }) => ({
      wanted: `${mode}: nobody waits`,
      came: `${inWords(answers)}, the longest ${longestOf(answers).toFixed(0)} ms`,
      holds: answers.every(({ status }) => status > 0 && status < 500) && longestOf(answers) < 3_000,
    })),
    {
      wanted: "every mail arrives, and none is given up",
      came: `${sent} sent, ${waiting} waiting, ${givenUp} given up; ${mails.length} arrivals of ${different} Message-IDs`,
      holds: waiting === 0 && givenUp === 0 && different === sent,
    },
    {
      wanted: "soon after it is well (the next try is at most 2 min away)",
      came: `${allAfter.toFixed(0)} s`,
      holds: allAfter <= 150,
    },
  ],
);
