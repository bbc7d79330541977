/**
 * The database's disk is full for a while, under load: what cannot be kept is refused in time, nothing acknowledged is lost, and
 * all is well again when there is room.
 *
 *     node bench/faults/disk-full.mjs [--seconds 20] [--rate 10] [--megabytes 360]
 *
 * As root: the database stands on a small file system in memory.
 */
import { mkdtempSync, rmSync, statfsSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { performance } from "node:perf_hooks";
import { setTimeout as pause } from "node:timers/promises";
import { parseArgs } from "node:util";
import { runCommand } from "../../scripts/process.mjs";
import { beginLoad, inWords, longestOf } from "./load.mjs";
import { judge, PASSWORD, setStage } from "./stage.mjs";

const { values } = parseArgs({
  options: {
    seconds: { type: "string", default: "20" },
    rate: { type: "string", default: "10" },
    megabytes: { type: "string", default: "360" },
  },
});
const data = mkdtempSync(join(tmpdir(), "lucchetto-small-"));
await runCommand("mount", ["-t", "tmpfs", "-o", `size=${values.megabytes}m`, "lucchetto-small", data]);
const { answers, fullFrom, roomAt, readyAfter, registered, lost } = await play().finally(async () => {
  await runCommand("umount", ["-l", data]);
  rmSync(data, { recursive: true, force: true });
});

async function play() {
  const stage = await setStage({ instances: 1, data });
  const [url] = stage.urls;
  const load = beginLoad(stage.urls, { rate: Number(values.rate), authorization: await stage.addApp() });
  await pause(5_000);
  const filler = join(data, "filler");
  const fullFrom = performance.now();
  // Whatever the database frees meanwhile is taken as well.
  while (performance.now() - fullFrom < Number(values.seconds) * 1_000) {
    const { bavail, bsize } = statfsSync(data);
    if (bavail > 0)
      writeFileSync(filler, Buffer.alloc(Math.min(bavail * bsize, 64 * 1_024 * 1_024)), { flag: "a" });
    await pause(20);
  }
  rmSync(filler);
  const roomAt = performance.now();
  while ((await fetch(`${url}/readyz`)).status !== 200 && performance.now() - roomAt < 30_000)
    await pause(50);
  const readyAfter = (performance.now() - roomAt) / 1_000;
  await pause(8_000);
  const people = load.people().slice();
  const answers = await load.end();
  const lost = [];
  for (const identifier of people) {
    const proof = { type: "password", identifier, password: PASSWORD };
    const { status } = await fetch(`${url}/v1/sign-in`, {
      method: "POST",
      headers: { "content-type": "application/json" },
      body: JSON.stringify({ proof, deliver: "token" }),
    });
    if (status !== 201) lost.push(`${identifier}: ${status}`);
  }
  await stage.strike();
  return { answers, fullFrom, roomAt, readyAfter, registered: people.length, lost };
}

const during = answers.filter(({ began }) => began >= fullFrom && began < roomAt);
const after = answers.filter(({ began }) => began > roomAt + 3_000);
const bad = during.filter(({ status }) => status === 0 || (status >= 500 && status !== 503));
judge(
  `The database's disk is full for ${values.seconds} s, one instance, ${values.rate} requests begun a second`,
  [
    {
      wanted: "what cannot be kept is a 503, nothing else",
      came: `${inWords(during)} ${bad
        .slice(0, 2)
        .map(({ what, text }) => `${what}: ${text}`)
        .join("; ")}`,
      holds: bad.length === 0,
    },
    {
      wanted: "it was full: something was refused",
      came: `${during.filter(({ status }) => status === 503).length} refused`,
      holds: during.some(({ status }) => status === 503),
    },
    {
      wanted: "no request is longer than 10 s",
      came: `${(longestOf(answers) / 1_000).toFixed(1)} s`,
      holds: longestOf(answers) <= 10_500,
    },
    { wanted: "ready within 5 s of room", came: `${readyAfter.toFixed(1)} s`, holds: readyAfter <= 5 },
    {
      wanted: "3 s after it all is well",
      came: inWords(after),
      holds: after.length > 0 && after.every(({ status }) => status > 0 && status < 500),
    },
    {
      wanted: "everybody whose registration was answered can sign in",
      came: `${registered - lost.length} of ${registered} ${lost.slice(0, 3).join("; ")}`,
      holds: lost.length === 0 && registered > 0,
    },
  ],
);
