#!/usr/bin/env node
/**
 * What a page costs a browser: requests, bytes over the wire, and the time from the reply's first byte to the first paint.
 *
 *     node bench/page-weight.mjs [address of a page; the demo's sign-in page unless given]
 */
import { startBrowser } from "@lucchetto/rehearsal";

const ADDRESS = process.argv[2] ?? "http://localhost:8420/sign-in";
const ROUNDS = 7;

const browser = await startBrowser();
const rounds = [];
for (let round = 0; round < ROUNDS; round += 1) {
  // A fresh browser each time: nothing is kept from before.
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
  const page = await context.newPage();
  const network = await context.newCDPSession(page);
  await network.send("Network.enable");
  let requests = 0;
  let bytes = 0;
  network.on("Network.requestWillBeSent", () => (requests += 1));
  network.on("Network.loadingFinished", ({ encodedDataLength }) => (bytes += encodedDataLength));
  await page.goto(ADDRESS, { waitUntil: "load" });
  await page.waitForSelector("form");
  const paint = await page.evaluate(async () => {
    await document.fonts.ready;
    const [navigation] = performance.getEntriesByType("navigation");
    const [first] = performance.getEntriesByName("first-contentful-paint");
    return first.startTime - navigation.responseStart;
  });
  rounds.push({ requests, bytes, paint });
  await context.close();
}
await browser.close();
const median = (pick) => rounds.map(pick).sort((left, right) => left - right)[Math.floor(ROUNDS / 2)];
process.stdout.write(
  `${ADDRESS}: ${median((one) => one.requests)} requests, ${(median((one) => one.bytes) / 1_000).toFixed(1)} kB, first paint ${median((one) => one.paint).toFixed(0)} ms after the reply (medians of ${ROUNDS})\n`,
);
