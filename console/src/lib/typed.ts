/**
 * What somebody was typing when their session ended: kept in this tab, and put back once the same person has signed in again
 * (WCAG 2.2.5). Passwords and codes are never kept, shown or not.
 */
const KEY = "lucchetto-typed";
/** Milliseconds for which it is kept. */
const KEPT_FOR = 3_600_000;
/** Milliseconds between looks whether the page has its form already, and how many. */
const BETWEEN = 100;
const MAX_LOOKS = 30;
/** What may be kept says so itself (`Field`): a password that is shown is text like any other. */
const FIELDS = "main form input[data-kept]";

interface Typed {
  readonly accountId: string;
  readonly path: string;
  readonly at: number;
  readonly fields: ReadonlyArray<readonly [name: string, value: string]>;
}

const shownFields = (): HTMLInputElement[] => [...document.querySelectorAll<HTMLInputElement>(FIELDS)];

/** Keeps what stands in this page's forms. */
export function keepTyped(accountId: string): void {
  const fields = shownFields()
    .filter(({ value }) => value !== "")
    .map(({ name, value }) => [name, value] as const);
  if (fields.length === 0) return;
  const typed: Typed = { accountId, path: window.location.pathname, at: Date.now(), fields };
  sessionStorage.setItem(KEY, JSON.stringify(typed));
}

/** Puts it back, if it was typed on this page by this person; nobody else gets to see it. */
export async function restoreTyped(accountId: string): Promise<void> {
  const kept = sessionStorage.getItem(KEY);
  if (kept === null) return;
  const { path, at, fields, ...typed } = JSON.parse(kept) as Typed;
  const isOurs = typed.accountId === accountId && Date.now() - at < KEPT_FOR;
  if (isOurs && path !== window.location.pathname) return;
  forgetTyped();
  if (!isOurs) return;
  for (let looks = 0; looks < MAX_LOOKS && shownFields().length === 0; looks += 1)
    await new Promise((resolve) => setTimeout(resolve, BETWEEN));
  const values = new Map(fields);
  for (const field of shownFields()) {
    const value = values.get(field.name);
    if (value === undefined) continue;
    field.value = value;
    field.dispatchEvent(new Event("input", { bubbles: true }));
  }
}

export function forgetTyped(): void {
  sessionStorage.removeItem(KEY);
}
