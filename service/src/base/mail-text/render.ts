/** A mail as it is sent: HTML and text from one template. Names that people chose are text, never markup. */
import escapeHtml from "escape-html";
import { contrastColour } from "./colour.ts";
import type { Block, Template } from "./template.ts";
import { fill } from "./template.ts";

/** A mail as it is sent. */
export interface MailBody {
  readonly subject: string;
  readonly text: string;
  readonly html: string;
}

/** How the site shows itself. */
export interface SiteLook {
  readonly name: string;
  /** `#rrggbb`, of the button. */
  readonly colour: string;
  readonly hasLogo: boolean;
}

/** Content-ID of the site's picture (RFC 2392). */
export const LOGO_CID = "site-logo";

/** Renders. @param values what the template's names stand for. */
export function render(
  { subject, blocks }: Template,
  values: Readonly<Record<string, string>>,
  { site, language }: { site: SiteLook; language: string },
): MailBody {
  const all = { ...values, site: site.name };
  return {
    // A subject is one line, whatever a display name holds.
    subject: fill(subject, all)
      .replace(/[\p{Cc}\p{Zl}\p{Zp}]+/gu, " ")
      .slice(0, 180),
    text: `${[site.name, ...blocks.map((block) => textOf(block, all))].join("\n\n")}\n`,
    html: page(blocks.map((block) => htmlOf(block, all, site)).join(""), { site, language }),
  };
}

function textOf(block: Block, values: Readonly<Record<string, string>>): string {
  if (block.kind === "paragraph") return wrap(fill(block.text, values));
  if (block.kind === "button") return `${fill(block.label, values)}:\n${values["link"] ?? ""}`;
  return block.facts.map(({ name, value }) => `  ${fill(name, values)}: ${fill(value, values)}`).join("\n");
}

const COLUMNS = 76;

function wrap(text: string): string {
  const lines: string[] = [""];
  for (const word of text.split(" ")) {
    const last = lines.at(-1) ?? "";
    if (last !== "" && last.length + 1 + word.length > COLUMNS) lines.push(word);
    else lines[lines.length - 1] = last === "" ? word : `${last} ${word}`;
  }
  return lines.join("\n");
}

function htmlOf(block: Block, values: Readonly<Record<string, string>>, { colour }: SiteLook): string {
  const filled = (text: string): string => escapeHtml(fill(text, values));
  if (block.kind === "paragraph") return `<p style="margin:0 0 16px">${filled(block.text)}</p>`;
  if (block.kind === "button") {
    const href = escapeHtml(values["link"] ?? "");
    // The address stands below too: for whoever would rather read where a button leads, or whose program shows none.
    return `<p style="margin:28px 0 10px"><a href="${href}" target="_blank" rel="noopener noreferrer" style="display:inline-block;background:${colour};color:${contrastColour(colour)};padding:13px 26px;border-radius:8px;text-decoration:none;font-weight:600">${filled(block.label)}</a></p><p class="quiet" style="margin:0 0 24px;font-size:13px;word-break:break-all;color:#6b655c">${href}</p>`;
  }
  const rows = block.facts.map(
    ({ name, value }) =>
      `<tr><td class="quiet" style="padding:2px 16px 2px 0;color:#6b655c;vertical-align:top">${filled(name)}</td><td style="padding:2px 0;word-break:break-word">${filled(value)}</td></tr>`,
  );
  return `<table role="presentation" style="border-collapse:collapse;margin:0 0 16px">${rows.join("")}</table>`;
}

/** One column of at most 560 px; dark where the reader's program is. */
function page(content: string, { site, language }: { site: SiteLook; language: string }): string {
  const name = escapeHtml(site.name);
  const head = site.hasLogo
    ? `<img src="cid:${LOGO_CID}" alt="${name}" style="display:block;max-height:48px;max-width:240px;border:0">`
    : name;
  return `<!doctype html><html lang="${language}"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width"><meta name="color-scheme" content="light dark"><meta name="supported-color-schemes" content="light dark"><title>${name}</title><style>@media (prefers-color-scheme: dark) { body, .paper { background: #1d1c1a !important; color: #ece8e1 !important } .quiet { color: #a9a297 !important } .card { border-color: #3b3833 !important; background: #262421 !important } }</style></head><body class="paper" style="margin:0;padding:0;background:#f6f4f0;color:#26231f"><div class="paper" style="padding:32px 16px;background:#f6f4f0;font:16px/1.55 system-ui,-apple-system,'Segoe UI',sans-serif"><div style="max-width:560px;margin:0 auto"><p style="margin:0 0 16px;font-weight:600">${head}</p><div class="card" style="background:#ffffff;border:1px solid #ddd8cf;border-radius:12px;padding:28px 28px 12px">${content}</div></div></div></body></html>`;
}
