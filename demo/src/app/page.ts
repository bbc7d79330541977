/** The sample application's pages, written on the server. */
import type { SignedInAccount } from "@lucchetto/hasp";
import escapeHtml from "escape-html";
import type { Texts } from "./texts.ts";

export function nameOf(account: SignedInAccount): string {
  return account.displayName ?? account.username ?? account.email ?? "member";
}

export interface Page {
  readonly title: string;
  /** Path of this page, marked in the bar. */
  readonly here: string;
  readonly account: SignedInAccount | null;
  readonly message: string | null;
  readonly body: string;
  readonly texts: Texts;
  /** Of title and body, where they are not in the bar's language (WCAG 3.1.2). */
  readonly lang?: "en";
}

const LINKS = [
  ["/", "huts"],
  ["/members", "nights"],
  ["/keepers", "ledger"],
  ["/office", "office"],
  ["/desk", "desk"],
] as const;

/** A whole page: the bar with sign-in and register, or the name and sign-out; then what the page is about. */
export function renderPage({ title, here, account, message, body, texts, lang }: Page): string {
  const links = LINKS.map(
    ([path, name]) => `<a href="${path}"${path === here ? ' aria-current="page"' : ""}>${texts[name]}</a>`,
  ).join("");
  const person =
    account === null
      ? `<a href="/sign-in?next=${encodeURIComponent(here)}">${texts.signIn}</a><a href="/sign-in?by=mail&amp;next=${encodeURIComponent(here)}">${texts.mailMeALink}</a><a class="button" href="/register">${texts.register}</a>`
      : `<a class="who" href="${escapeHtml(account.accountPage)}">${escapeHtml(nameOf(account))}</a><form method="post" action="/sign-out"><button class="button">${texts.signOut}</button></form>`;
  const said = message === null ? "" : `<p class="message" role="status">${escapeHtml(message)}</p>`;
  const ofLanguage = lang === undefined ? "" : ` lang="${lang}"`;
  return `<!doctype html>
<html lang="${texts.language}" data-session="${account?.session?.id ?? ""}">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<meta name="color-scheme" content="light dark">
<title>${escapeHtml(title)} · Brina Huts</title>
<link rel="stylesheet" href="/style.css">
<link rel="icon" href="data:,">
<script type="module" src="/hasp-live.js"></script>
</head>
<body>
<header data-live><strong>Brina Huts</strong><nav aria-label="${texts.pages}">${links}</nav><div class="person">${person}</div></header>
<main data-live>${said}<div${ofLanguage}><h1>${escapeHtml(title)}</h1>${body}</div></main>
<footer>${texts.footer}</footer>
</body>
</html>
`;
}
