/** Applications that make mistakes, and the steps that find each of them. */
import { expect } from "@jest/globals";
import { rehearse } from "@lucchetto/rehearsal";
import type { Fault } from "./faulty-app.ts";
import { startFaultyApp } from "./faulty-app.ts";

/** The application keeps its own accounts, and no mailbox is read. */
const NOWHERE = "http://localhost:1";

/** Milliseconds, far more than a busy machine needs; of what never answers, less. */
export const PATIENT = 200_000;
export const IMPATIENT = 15_000;

/** The steps that failed, with what came. */
export async function failing(
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
    for (const { remedy } of failed) expect(remedy.length).toBeGreaterThan(40);
    return Object.fromEntries(failed.map(({ id, came }) => [id, came]));
  } finally {
    await app.stop();
  }
}

/** Mistakes that are made together, and the step that finds each of them. */
export const FOUND: ReadonlyArray<readonly [faults: readonly Fault[], found: Record<string, RegExp>]> = [
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

/** Asserts that the walk finds these mistakes by the right steps, and nothing else. */
export async function expectFound(faults: readonly Fault[], found: Record<string, RegExp>): Promise<void> {
  const failed = await failing(faults);
  expect(Object.keys(failed).toSorted()).toEqual(Object.keys(found).toSorted());
  for (const [id, said] of Object.entries(found))
    expect([id, failed[id]]).toEqual([id, expect.stringMatching(said)]);
}
