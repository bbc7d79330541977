/**
 * The form in which mails are written, so that HTML and text come from one source:
 *
 *     Subject: Choose a new password
 *
 *     A paragraph. {{site}} and other names in double braces are filled in.
 *
 *     [Choose a new password]({{link}})
 *
 *     - When: {{when}}
 *     - From: {{network}}
 *
 * Blank lines part the blocks: paragraphs, one button, lists of facts. What is filled in is text, never markup.
 */
import type { MailName } from "./catalogue.ts";
import { MAIL_KINDS } from "./catalogue.ts";

export type Block =
  | { readonly kind: "paragraph"; readonly text: string }
  | { readonly kind: "button"; readonly label: string }
  | {
      readonly kind: "facts";
      readonly facts: ReadonlyArray<{ readonly name: string; readonly value: string }>;
    };

/** A mail as it was written; names still stand in its texts. */
export interface Template {
  readonly subject: string;
  readonly blocks: readonly Block[];
}

/** A template that cannot be used. */
export class TemplateError extends Error {
  override readonly name = "TemplateError";
  /** @param line counted from 1. */
  constructor(line: number, what: string) {
    super(`line ${line}: ${what}`);
  }
}

const BUTTON = /^\[([^\]]+)\]\(\{\{link\}\}\)$/;
const FACT = /^- ([^:]+): (.+)$/;
const PLACE = /\{\{([^{}]*)\}\}/g;
const MAX_SUBJECT_LENGTH = 120;

/** Reads one. @throws TemplateError naming the line. */
export function readTemplate(name: MailName, source: string): Template {
  const lines = source
    .replaceAll("\r\n", "\n")
    .replace(/^\uFEFF/, "")
    .split("\n");
  lines.forEach((line, index) => checkNames(name, line, index + 1));
  const subject = /^Subject: (.+)$/.exec(lines[0] ?? "")?.[1]?.trim();
  if (subject === undefined || subject.length > MAX_SUBJECT_LENGTH)
    throw new TemplateError(1, `expected “Subject: …” with at most ${MAX_SUBJECT_LENGTH} characters`);
  if ((lines[1] ?? "") !== "") throw new TemplateError(2, "expected an empty line after the subject");
  const blocks = blocksOf(lines);
  const buttons = blocks.filter(({ kind }) => kind === "button").length;
  if (buttons > 1) throw new TemplateError(lines.length, "more than one button");
  if (MAIL_KINDS[name].needsLink && buttons === 0)
    throw new TemplateError(lines.length, "the button is missing; expected a line such as [Go on]({{link}})");
  if (blocks.length === 0) throw new TemplateError(lines.length, "there is no text");
  return { subject, blocks };
}

function checkNames(name: MailName, line: string, number: number): void {
  const known: readonly string[] = ["site", ...MAIL_KINDS[name].says];
  for (const [, inner = ""] of line.matchAll(PLACE)) {
    if (!known.includes(inner))
      throw new TemplateError(
        number,
        `there is no {{${inner}}} in this mail; it may say ${known.join(", ")}`,
      );
  }
  if (/\{\{|\}\}/.test(line.replace(PLACE, "")))
    throw new TemplateError(number, "double braces that are not closed, or not opened");
}

function blocksOf(lines: readonly string[]): Block[] {
  const blocks: Block[] = [];
  let open: string[] = [];
  const close = (): void => {
    if (open.length > 0) blocks.push(blockOf(open));
    open = [];
  };
  for (const line of lines.slice(2)) {
    if (line.trim() === "") close();
    else open.push(line.trim());
  }
  close();
  return blocks;
}

function blockOf(lines: readonly string[]): Block {
  const label = lines.length === 1 ? BUTTON.exec(lines[0] ?? "")?.[1] : undefined;
  if (label !== undefined) return { kind: "button", label };
  const facts = lines.map((line) => FACT.exec(line));
  if (facts.every((fact) => fact !== null))
    return { kind: "facts", facts: facts.map(([, name = "", value = ""]) => ({ name, value })) };
  return { kind: "paragraph", text: lines.join(" ") };
}

/** Fills names in. What is not said stays empty. */
export function fill(text: string, values: Readonly<Record<string, string>>): string {
  return text.replace(PLACE, (_place, name: string) => values[name] ?? "");
}
