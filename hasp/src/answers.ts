/** The hasp's own answers: redirects, problems for programs, and small plain pages for people. */
import { createHash } from "node:crypto";
import type { Problem, ProblemCode } from "@lucchetto/contract/apps";
import { problemPath, PROBLEMS } from "@lucchetto/contract/apps";
import type { Language } from "@lucchetto/contract/language";
import escapeHtml from "escape-html";
import type { Answer } from "./incoming-request.ts";

const NOT_KEPT = { "cache-control": "no-store", "referrer-policy": "no-referrer" };

export function redirect(location: string, cookies: readonly string[] = []): Answer {
  return { status: 303, headers: { ...NOT_KEPT, location, "set-cookie": [...cookies] }, body: "" };
}

/** A problem (RFC 9457) of Lucchetto's catalogue, for programs. */
export function problem(
  service: string,
  code: ProblemCode,
  { detail, headers = {} }: { detail: string; headers?: Record<string, string | string[]> },
): Answer {
  const body = problemOf(service, code, detail);
  return {
    status: body.status,
    headers: { ...NOT_KEPT, ...headers, "content-type": "application/problem+json" },
    body: JSON.stringify(body),
  };
}

/** As a value. */
export function problemOf(service: string, code: ProblemCode, detail: string): Omit<Problem, "requestId"> {
  const { status, title } = PROBLEMS[code];
  return { type: service + problemPath(code), code, title, status, detail };
}

/** One thing to say and one thing to do. */
interface PlainPage {
  readonly status: number;
  /** English, where it says nothing else. */
  readonly language?: Language;
  readonly title: string;
  readonly text: string;
  readonly link?: { readonly href: string; readonly text: string };
  readonly cookies?: readonly string[];
  readonly headers?: Record<string, string>;
}

const STYLE =
  "body{margin:0;font:17px/1.55 system-ui,sans-serif;background:#faf8f5;color:#24211d}main{max-width:34rem;margin:12vh auto;padding:0 1.25rem}h1{font-size:1.75rem;line-height:1.2}a{color:#2a4d7c;font-weight:600}main:has(table){max-width:60rem;margin:6vh auto}.wide{overflow-x:auto}table{border-collapse:collapse;width:100%;font-size:.9rem}th,td{text-align:left;padding:.4rem .9rem .4rem 0;border-bottom:1px solid #ddd6ca}.flagged td,strong{color:#9a3412;font-weight:600}@media(prefers-color-scheme:dark){body{background:#171512;color:#ece7de}a{color:#9dbde6}th,td{border-color:#3d3830}.flagged td,strong{color:#f0a27a}}";
/** The one style that the policy lets through. */
const STYLE_HASH = createHash("sha256").update(STYLE, "utf8").digest("base64");

/** A page without script, and with one small style. */
export function page({
  status,
  language = "en",
  title,
  text,
  link,
  cookies = [],
  headers = {},
}: PlainPage): Answer {
  const anchor =
    link === undefined ? "" : `<p><a href="${escapeHtml(link.href)}">${escapeHtml(link.text)}</a></p>`;
  const body = `<p>${escapeHtml(text)}</p>${anchor}`;
  return documentOf({ status, language, title, body, cookies, headers });
}

/** @param body as HTML. */
export function documentOf({
  status,
  language = "en",
  title,
  body,
  cookies = [],
  headers = {},
}: Omit<PlainPage, "text" | "link"> & { readonly body: string }): Answer {
  return {
    status,
    headers: {
      ...NOT_KEPT,
      ...headers,
      "content-type": "text/html; charset=utf-8",
      "content-security-policy": `default-src 'none'; style-src 'sha256-${STYLE_HASH}'; frame-ancestors 'none'; base-uri 'none'`,
      "set-cookie": [...cookies],
    },
    body: `<!doctype html><html lang="${language}"><meta charset="utf-8"><meta name="viewport" content="width=device-width"><meta name="color-scheme" content="light dark"><title>${escapeHtml(title)}</title><style>${STYLE}</style><main><h1>${escapeHtml(title)}</h1>${body}</main></html>`,
  };
}
