/** The walk through an application that makes mistakes: each is found by the step that is for it. */
import { describe, expect, test } from "@jest/globals";
import { inWhole, sampleOf } from "../../testing/whole.ts";
import { bare } from "../src/bare.ts";
import { startBrowser } from "../src/browser.ts";
import type { Fault } from "./faulty-app.ts";
import { startFaultyApp } from "./faulty-app.ts";
import { expectFound, failing, FOUND, IMPATIENT, PATIENT } from "./found-faults.ts";

/** Walks that are made here, of all: through an application without a fault, and through one with several. */
const SAMPLE = 1;

test("what is told of addresses holds no secret, and steers no terminal", () => {
  const link =
    "http://localhost:8420/link#lcl_secret did not load: goto at http://localhost:8420/back?code=lcc_secret&iss=x";
  expect(bare(link)).toBe("http://localhost:8420/link did not load: goto at http://localhost:8420/back");
  expect(bare("wrong\u001b[31m\u0007\nname?")).toBe("wrong [31m name?");
});

test("the browser reaches the named hosts alone", async () => {
  const app = await startFaultyApp([]);
  const browser = await startBrowser({ hosts: ["localhost"] });
  try {
    const page = await browser.newPage();
    page.setDefaultTimeout(PATIENT);
    expect((await page.goto(app.url))?.status()).toBe(200);
    const elsewhere = app.url.replace("localhost", "127.0.0.1");
    await expect(page.goto(elsewhere)).rejects.toThrow(/ERR_NAME_NOT_RESOLVED/);
    // Nor by a redirect from where it may go.
    const away = `${app.url}/away?to=${encodeURIComponent(elsewhere)}`;
    await expect(page.goto(away)).rejects.toThrow(/ERR_NAME_NOT_RESOLVED/);
  } finally {
    await browser.close();
    await app.stop();
  }
});

describe("a rehearsal", () => {
  test.each(sampleOf(FOUND, SAMPLE))("finds %s by the right step, and nothing else", expectFound);

  inWhole(
    "without a browser comes to an end with whatever does not answer, does not end or leads in circles",
    async () => {
      const of = (fault: Fault) => failing([fault], { withoutBrowser: true, deadline: IMPATIENT });
      const [open, silent, endless, circle] = await Promise.all(
        (["open-to-all", "never-answers", "streams-for-ever", "leads-in-circles"] as const).map(of),
      );
      expect(open).toEqual({
        "closed-page": expect.stringMatching(/200 with \d+ characters and no sign-in form/),
      });
      expect(silent).toEqual({
        "closed-page": expect.stringMatching(/did not answer to its end within 15 s/),
      });
      expect(endless).toEqual({
        "closed-page": expect.stringMatching(/did not answer to its end within 15 s/),
      });
      expect(circle).toEqual({ "foreign-return": "ten redirects, and no page" });
    },
  );
});
