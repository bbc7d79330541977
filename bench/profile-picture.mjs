/**
 * Draws where the time of CPU profiles goes, as `--profile` of a benchmark leaves them.
 *
 *     node bench/profile-picture.mjs OUT.png 'What it is=FILE.cpuprofile' …
 */
import { existsSync, readFileSync } from "node:fs";
import { dirname, resolve } from "node:path";
import { fileURLToPath } from "node:url";
import { originalPositionFor, TraceMap } from "@jridgewell/trace-mapping";
import { startBrowser } from "@lucchetto/rehearsal";
import { ROOT } from "../scripts/prerequisites.mjs";
import { say } from "../scripts/say.mjs";

const [picture, ...profiles] = process.argv.slice(2);
if (picture === undefined || profiles.length === 0) {
  say("usage: node bench/profile-picture.mjs OUT.png 'What it is=FILE.cpuprofile' …");
  process.exit(2);
}

/** Whose time it is, by the file that a function was written in; the first that fits. */
const OWNERS = [
  [/^(writev|writeBuffer|writeUtf8String|writeLatin1String)$/, "the system: writing to sockets"],
  [/garbage collector/, "garbage collection"],
  [
    /^node:(_http|internal\/(streams|stream_base|timers|process)|net|events|timers|stream|buffer|internal\/buffer)/,
    "Node: HTTP, sockets, streams",
  ],
  [/^node:internal\/crypto|^node:crypto/, "Node: hashes and random bytes"],
  [
    /node_modules\/(mysql2|typeorm|sql-escaper|sqlstring|lru|iconv|long|named|generate|denque)/,
    "database driver and mapper",
  ],
  [
    /node_modules\/(fastify|find-my-way|avvio|express|router|finalhandler|parseurl|fast-json|light-my|@fastify|proxy-addr|forwarded|content-type|body-parser|qs|send|mime|vary|etag|fresh|accepts|negotiator)/,
    "the web framework",
  ],
  [/(service|core|contract)\/(src|dist)/, "the service's own code"],
  [/hasp\/(src|dist)/, "the hasp"],
  [/bench\//, "the application's page"],
  [/node_modules/, "other packages"],
];

/** Shares below are not drawn. */
const MIN_SHARE_SHOWN = 0.005;

const maps = new Map();
/** The file that a function was written in, through the map of its bundle. */
function sourceOf({ url, lineNumber, columnNumber }) {
  if (!url.startsWith("file:")) return url;
  const file = fileURLToPath(url);
  if (!maps.has(file))
    maps.set(file, existsSync(`${file}.map`) ? new TraceMap(readFileSync(`${file}.map`, "utf8")) : null);
  const map = maps.get(file);
  if (map === null) return file;
  const { source } = originalPositionFor(map, { line: lineNumber + 1, column: columnNumber });
  return source === null ? file : resolve(dirname(file), source);
}

/** Milliseconds by owner, the most first; what the process waited is left out. */
function sumUp(file) {
  const { nodes, samples, timeDeltas } = JSON.parse(readFileSync(file, "utf8"));
  const spent = new Map();
  for (const [index, id] of samples.entries()) spent.set(id, (spent.get(id) ?? 0) + timeDeltas[index]);
  const sums = new Map();
  for (const { id, callFrame } of nodes) {
    const { functionName } = callFrame;
    if (functionName === "(idle)" || functionName === "(root)") continue;
    const source = sourceOf(callFrame);
    const owner =
      OWNERS.find(([pattern]) => pattern.test(source === "" ? functionName : source))?.[1] ??
      "the engine and the rest";
    sums.set(owner, (sums.get(owner) ?? 0) + (spent.get(id) ?? 0) / 1_000);
  }
  return [...sums].filter(([, spentThere]) => spentThere > 0).toSorted(([, left], [, right]) => right - left);
}

const charts = profiles.map((one) => {
  const at = one.lastIndexOf("=");
  const sums = sumUp(one.slice(at + 1));
  const all = sums.reduce((sum, [, spent]) => sum + spent, 0);
  say(`${one.slice(0, at)}: ${(all / 1_000).toFixed(1)} s busy`);
  for (const [owner, spent] of sums) say(`  ${((100 * spent) / all).toFixed(1).padStart(5)} %  ${owner}`);
  const shown = sums.filter(([, spent]) => spent / all > MIN_SHARE_SHOWN);
  return {
    title: `${one.slice(0, at)} (${(all / 1_000).toFixed(1)} s busy)`,
    labels: shown.map(([owner]) => owner),
    shares: shown.map(([, spent]) => Math.round((1_000 * spent) / all) / 10),
  };
});

const browser = await startBrowser();
const page = await browser.newPage({ viewport: { width: 1280, height: 120 + 340 * charts.length } });
await page.setContent(
  `<body style="margin:24px;font-family:sans-serif;background:#fff">${charts.map((_, index) => `<div style="height:330px"><canvas id="c${index}"></canvas></div>`).join("")}</body>`,
);
await page.addScriptTag({ path: resolve(ROOT, "node_modules/chart.js/dist/chart.umd.js") });
await page.evaluate((drawn) => {
  // The same scale for all, so that bars can be compared.
  const max = Math.ceil(Math.max(...drawn.flatMap(({ shares }) => shares)) / 5) * 5;
  for (const [index, { title, labels, shares }] of drawn.entries())
    new globalThis.Chart(globalThis.document.getElementById(`c${index}`), {
      type: "bar",
      data: { labels, datasets: [{ data: shares, backgroundColor: "#3f6f8f", barThickness: 18 }] },
      options: {
        animation: false,
        indexAxis: "y",
        maintainAspectRatio: false,
        plugins: { legend: { display: false }, title: { display: true, text: title, font: { size: 16 } } },
        scales: {
          x: { max, title: { display: true, text: "% of its busy time" } },
          y: { ticks: { font: { size: 13 } } },
        },
      },
    });
}, charts);
await page.screenshot({ path: picture });
await browser.close();
