import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import type { Browser } from "playwright-core";
import { openTab, startBrowser } from "../../testing/browser.ts";
import type { TestService } from "../../testing/service.ts";
import { send } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";

/** Of everything that the sign-in page loads, fonts and headers included. */
const MAX_BYTES = 110_000;
const MAX_REQUESTS = 8;

let service: TestService;
let browser: Browser;
beforeAll(async () => {
  service = await startShipped();
  browser = await startBrowser();
});
afterAll(async () => {
  await browser.close();
  await service.stop();
});

describe("the weight of pages", () => {
  test("the sign-in page stays within its bytes and requests, and loads nothing of the console's", async () => {
    const { context, page, complaints } = await openTab(browser);
    const network = await context.newCDPSession(page);
    await network.send("Network.enable");
    const addresses = new Map<string, string>();
    let bytes = 0;
    network.on("Network.requestWillBeSent", ({ requestId, request }) =>
      addresses.set(requestId, request.url),
    );
    network.on("Network.loadingFinished", ({ encodedDataLength }) => (bytes += encodedDataLength));
    await page.goto(`${service.url}/sign-in`, { waitUntil: "load" });
    await page.waitForSelector("form");
    await page.evaluate(async () => void (await document.fonts.ready));
    const loaded = [...addresses.values()].map((address) => new URL(address).pathname);
    expect({ loaded, enough: loaded.length <= MAX_REQUESTS }).toEqual({ loaded, enough: true });
    expect(bytes).toBeGreaterThan(30_000);
    expect(bytes).toBeLessThanOrEqual(MAX_BYTES);
    expect(complaints).toEqual([]);
    await context.close();
  });

  test("files come as the browser takes them, may be kept, and are the same in every coding", async () => {
    const { text: html } = await send(service, "GET", "/sign-in", { headers: { accept: "text/html" } });
    const [path = ""] = /\/assets\/index-[^"]+\.js/.exec(html) ?? [];
    const get = (coding: string) => send(service, "GET", path, { headers: { "accept-encoding": coding } });
    const plain = await get("identity");
    expect(plain.headers.get("content-encoding")).toBeNull();
    expect(plain.headers.get("cache-control")).toMatch(/immutable/);
    for (const coding of ["br", "gzip"]) {
      const reply = await get(`${coding}, deflate;q=0.5`);
      expect(reply.headers.get("content-encoding")).toBe(coding);
      expect(reply.headers.get("vary")).toBe("accept-encoding");
      expect(reply.text).toBe(plain.text);
    }
    expect((await get("br;q=0, gzip;q=0")).text).toBe(plain.text);
    for (const unknown of ["/assets/nothing.js", "/assets/", "/assets/index.html", `${path}.br`])
      expect((await send(service, "GET", unknown)).status).toBe(404);
  });
});
