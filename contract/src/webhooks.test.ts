/** The questions and notices that the guide shows are ones that the schemas take, whole. */
import { readFileSync } from "node:fs";
import { expect, test } from "@jest/globals";
import { consultAnswer, consultQuestion, notice } from "./webhooks.ts";

const GUIDE = readFileSync(new URL("../../docs/webhooks.md", import.meta.url), "utf8");
const shown = [...GUIDE.matchAll(/```json\n(.*?)```/gs)].map(
  ([, text = ""]) => JSON.parse(text) as { type: string; timestamp?: string },
);

test("the guide shows questions and a notice as they arrive", () => {
  expect(shown.map(({ type }) => type)).toEqual(["account.create", "account.change", "account.registered"]);
  for (const one of shown) {
    const schema = "timestamp" in one ? notice : consultQuestion;
    // Nothing in it that is not sent.
    expect(schema.parse(one)).toEqual(one);
  }
});

test("the guide's answers are taken", () => {
  const answers = [...GUIDE.matchAll(/`(\{"decision".*?\})`/g)].map(([, text = ""]) => text);
  expect(answers.length).toBeGreaterThan(2);
  for (const text of answers) expect(consultAnswer.parse(JSON.parse(text))).toEqual(JSON.parse(text));
});
