/** The sample application's pages, written on the server. */
import type { SignedInAccount } from "@lucchetto/hasp";
import escapeHtml from "escape-html";

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
}

const LINKS = [
  ["/", "The huts"],
  ["/members", "My nights"],
  ["/keepers", "Hut ledger"],
  ["/office", "The office"],
  ["/desk", "The desk"],
] as const;

/** A whole page: the bar with sign-in and register, or the name and sign-out; then what the page is about. */
export function renderPage({ title, here, account, message, body }: Page): string {
  const links = LINKS.map(
    ([path, text]) => `<a href="${path}"${path === here ? ' aria-current="page"' : ""}>${text}</a>`,
  ).join("");
  const person =
    account === null
      ? `<a href="/sign-in?next=${encodeURIComponent(here)}">Sign in</a><a href="/sign-in?by=mail&amp;next=${encodeURIComponent(here)}">Mail me a link</a><a class="button" href="/register">Register</a>`
      : `<a class="who" href="${escapeHtml(account.accountPage)}">${escapeHtml(nameOf(account))}</a><form method="post" action="/sign-out"><button class="button">Sign out</button></form>`;
  const said = message === null ? "" : `<p class="message" role="status">${escapeHtml(message)}</p>`;
  return `<!doctype html>
<html lang="en" data-session="${account?.session?.id ?? ""}">
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
<header data-live><strong>Brina Huts</strong><nav aria-label="Pages">${links}</nav><div class="person">${person}</div></header>
<main data-live>${said}<h1>${escapeHtml(title)}</h1>${body}</main>
<footer>A made-up cooperative of five mountain huts; the sample application that stands behind Lucchetto.</footer>
</body>
</html>
`;
}
