import { expect, test } from "@jest/globals";
import { readRehearsalLine } from "./rehearsal.ts";

test("S13 what a rehearsal's process prints beside its lines is passed over, and its lines are read", () => {
  for (const text of [
    "",
    "(node:17) Warning: something",
    "{",
    "null",
    "[]",
    '{"kind":"news"}',
    '{"kind":"end"}',
  ])
    expect(readRehearsalLine(text)).toBeNull();
  const step = { kind: "step", id: "open-page", state: "passed", came: "200", remedy: "", milliseconds: 12 };
  for (const line of [
    step,
    { kind: "fault", why: "no browser" },
    { kind: "end", passed: true, leftBehind: null },
  ])
    expect(readRehearsalLine(JSON.stringify(line))).toEqual(line);
});
