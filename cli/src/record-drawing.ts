/** A password record taken apart along its own string, each segment tied to what it means. */
import { brass, dim } from "./output.ts";

interface Segment {
  readonly text: string;
  readonly label: string | null;
  readonly meaning: string | null;
}

/** Lines: the record, then a line per labelled segment, from the last to the first. */
export function drawRecord(segments: readonly Segment[]): string[] {
  let column = 0;
  const placed = segments.map((segment) => {
    const at = column;
    column += segment.text.length;
    return { ...segment, at };
  });
  const labelled = placed.filter(({ label }) => label !== null);
  const record = placed.map(({ text, label }) => (label === null ? dim(text) : brass(text))).join("");
  const lines = labelled.map((segment, index) => {
    const bars = labelled.slice(0, index);
    const lead = bars.reduce((line, { at }) => `${line.padEnd(at)}│`, "").padEnd(segment.at);
    return `${dim(`${lead}└─ `)}${segment.label ?? ""}${segment.meaning === null ? "" : dim(`  ${segment.meaning}`)}`;
  });
  const stems = dim(labelled.reduce((line, { at }) => `${line.padEnd(at)}│`, ""));
  return [record, stems, ...lines.reverse()];
}
