/** A rehearsal in the form that build servers read. */
import escapeHtml from "escape-html";
import type { Rehearsal } from "./rehearse.ts";

/** @returns XML with a test case for each step. */
export function junitOf({ steps }: Rehearsal, app: string): string {
  const of = (state: string): number => steps.filter((one) => one.state === state).length;
  const cases = steps.map(({ id, title, state, expected, came, remedy, milliseconds }) => {
    const open = `  <testcase classname="rehearsal.${escapeHtml(id)}" name="${escapeHtml(title)}" time="${(milliseconds / 1_000).toFixed(3)}"`;
    if (state === "passed") return `${open}/>`;
    const inner =
      state === "left-out"
        ? `<skipped message="${escapeHtml(came)}"/>`
        : `<failure message="${escapeHtml(came)}">${escapeHtml(`Expected: ${expected}\n${remedy}`)}</failure>`;
    return `${open}>${inner}</testcase>`;
  });
  const head = `<testsuite name="rehearsal of ${escapeHtml(app)}" tests="${steps.length}" failures="${of("failed")}" skipped="${of("left-out")}">`;
  return ['<?xml version="1.0" encoding="UTF-8"?>', head, ...cases, "</testsuite>", ""].join("\n");
}
