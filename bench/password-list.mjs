/**
 * The compiled list of compromised passwords at ten million entries: bytes an entry, look-ups a second (against a Set
 * of the same digests in memory, as far as one fits), false negatives and false positives.
 *
 *     node bench/password-list.mjs [entries]
 */
import { spawnSync } from "node:child_process";
import { createHash } from "node:crypto";
import { createWriteStream } from "node:fs";
import { mkdtemp, rm, stat } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { performance } from "node:perf_hooks";
import { fileURLToPath } from "node:url";
import { layoutFor, placesOf } from "@lucchetto/core";
import { openCompromisedList } from "../service/dist/records/password/compromised.js";

const ENTRIES = Number(process.argv[2] ?? 10_000_000);
const ASKED = 200_000;
const NOT_LISTED = 2_000_000;
const COMMAND = fileURLToPath(new URL("../cli/bin/lucchetto.js", import.meta.url));

const passwordAt = (number) => `listed ${number}`;
const directory = await mkdtemp(join(tmpdir(), "lucchetto-bench-"));
const text = join(directory, "digests.txt");
const list = join(directory, "list.pwlist");
try {
  await writeText();
  const textBytes = (await stat(text)).size;
  const began = performance.now();
  const built = spawnSync(process.execPath, [COMMAND, "password-list", "build", text, "--out", list], {
    stdio: ["ignore", "inherit", "inherit"],
  });
  if (built.status !== 0) throw new Error("the list was not built");
  const seconds = (performance.now() - began) / 1_000;
  const { size } = await stat(list);
  say("built", `${ENTRIES.toLocaleString("en")} entries in ${seconds.toFixed(1)} s`);
  say(
    "size",
    `${(size / ENTRIES).toFixed(3)} bytes an entry (the text: ${(textBytes / ENTRIES).toFixed(1)})`,
  );

  const opened = await openCompromisedList(list);
  const { entriesBegin } = placesOf(layoutFor(ENTRIES));
  say("held in memory", `${(entriesBegin / 1024).toFixed(0)} KiB, the index`);
  const numbers = Array.from({ length: ASKED }, (_, index) => Math.floor((index * ENTRIES) / ASKED));
  const onDisk = await rate(async () => {
    let missed = 0;
    for (const number of numbers) if (!(await opened.holds(passwordAt(number)))) missed += 1;
    say("false negatives", `${missed} of ${ASKED.toLocaleString("en")} listed ones`);
  });
  const set = new Set(numbers.map((number) => digest(passwordAt(number))));
  const inMemory = await rate(async () => {
    for (const number of numbers) if (!set.has(digest(passwordAt(number)))) throw new Error("not in the set");
  });
  say("look-ups a second", `${onDisk.toLocaleString("en")} from the file`);
  say("a Set of digests", `${inMemory.toLocaleString("en")}; ratio ${(onDisk / inMemory).toFixed(3)}`);
  let wrong = 0;
  for (let number = 0; number < NOT_LISTED; number += 100) {
    const asked = Array.from({ length: 100 }, (_, index) => opened.holds(`unlisted ${number + index}`));
    wrong += (await Promise.all(asked)).filter(Boolean).length;
  }
  say("false positives", `${wrong} of ${NOT_LISTED.toLocaleString("en")} unlisted ones`);
  await opened.close();
} finally {
  await rm(directory, { recursive: true, force: true });
}

async function writeText() {
  const stream = createWriteStream(text);
  for (let number = 0; number < ENTRIES; number += 10_000) {
    let lines = "";
    for (let at = number; at < Math.min(ENTRIES, number + 10_000); at += 1)
      lines += `${digest(passwordAt(at))}:1\n`;
    if (!stream.write(lines)) await new Promise((resolve) => stream.once("drain", resolve));
  }
  await new Promise((resolve) => stream.end(resolve));
}

function digest(password) {
  return createHash("sha1").update(password).digest("hex").toUpperCase();
}

async function rate(work) {
  const began = performance.now();
  await work();
  return Math.round((ASKED * 1_000) / (performance.now() - began));
}

function say(what, figure) {
  process.stdout.write(`${what.padEnd(20)} ${figure}\n`);
}
