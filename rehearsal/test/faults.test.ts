/** The walk through an application that makes mistakes: each is found by the step that is for it. */
import { describe, expect, test } from "@jest/globals";
import { rehearse } from "@lucchetto/rehearsal";
import { bare } from "../src/bare.ts";
import { startBrowser } from "../src/browser.ts";
import type { Fault } from "./faulty-app.ts";
import { startFaultyApp } from "./faulty-app.ts";

/** The application keeps its own accounts, and no mailbox is read. */
const NOWHERE = "http://localhost:1";

/** Milliseconds, far more than a busy machine needs; of what never answers, less. */
const PATIENT = 200_000;
const IMPATIENT = 15_000;

/** The steps that failed, with what came. */
async function failing(
  faults: readonly Fault[],
  { withoutBrowser = false, deadline = PATIENT } = {},
): Promise<Record<string, string>> {
  const app = await startFaultyApp(faults);
  try {
    const addresses = {
      app: app.url,
      service: NOWHERE,
      open: "/",
      closed: "/members",
      closedApi: "/api",
      closedLevel2: null,
    };
    const { steps, passed } = await rehearse({ ...addresses, withoutBrowser, deadline });
    const failed = steps.filter(({ state }) => state === "failed");
    expect(passed).toBe(failed.length === 0);
    for (const { mend } of failed) expect(mend.length).toBeGreaterThan(40);
    return Object.fromEntries(failed.map(({ id, came }) => [id, came]));
  } finally {
    await app.stop();
  }
}

/** Mistakes that are made together, and the step that finds each of them. */
const FOUND: ReadonlyArray<readonly [faults: readonly Fault[], found: Record<string, RegExp>]> = [
  [[], {}],
  [
    ["api-open", "silent", "cookie-for-scripts", "session-lives-on", "tells-names"],
    {
      "closed-api": /200/,
      "register-faults": /not a word/,
      cookies: /sid is not HttpOnly/,
      "old-cookie": /still opens/,
      "same-refusal": /“The password is wrong\.” for a wrong password, “There is nobody/,
    },
  ],
  [
    ["leads-anywhere", "may-be-kept", "keeps-the-token", "signs-out-by-link"],
    {
      "foreign-post": /GET \/leave from https:\/\/elsewhere\.example was answered with 303/,
      "foreign-return": /\/away leads to https:\/\/elsewhere/,
      "not-kept": /max-age=600/,
      fixation: /sid, planted before, opens/,
    },
  ],
  [["never-asks-again"], { "sign-out": /shows the closed page|still open/ }],
  [["takes-short-passwords"], { "register-faults": /a password of five characters was accepted/ }],
  [["forgets-the-page"], { register: /\/ instead of/ }],
];

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
  test.each(FOUND)("finds %s by the right step, and nothing else", async (faults, found) => {
    const failed = await failing(faults);
    expect(Object.keys(failed).toSorted()).toEqual(Object.keys(found).toSorted());
    for (const [id, said] of Object.entries(found))
      expect([id, failed[id]]).toEqual([id, expect.stringMatching(said)]);
  });

  test("without a browser comes to an end with whatever does not answer, does not end or leads in circles", async () => {
    const of = (fault: Fault) => failing([fault], { withoutBrowser: true, deadline: IMPATIENT });
    const [open, silent, endless, circle] = await Promise.all(
      (["open-to-all", "never-answers", "streams-for-ever", "leads-in-circles"] as const).map(of),
    );
    expect(open).toEqual({
      "closed-page": expect.stringMatching(/200 with \d+ characters and no sign-in form/),
    });
    expect(silent).toEqual({ "closed-page": expect.stringMatching(/did not answer to its end within 15 s/) });
    expect(endless).toEqual({
      "closed-page": expect.stringMatching(/did not answer to its end within 15 s/),
    });
    expect(circle).toEqual({ "foreign-return": "ten redirects, and no page" });
  });
});
