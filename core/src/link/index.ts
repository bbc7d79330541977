/** Mail links: single-use secrets sent by mail, each for one purpose, one account and one address. */

export * from "./mail-code.ts";

/** What a mailed link can be for. */
export const LINK_PURPOSES = [
  "verify",
  "reset",
  "sign-in",
  "invite",
  "change-email",
  "undo-change",
  "undo-factor",
  "undo-erase",
] as const;
/** One of `LINK_PURPOSES`. */
export type LinkPurpose = (typeof LINK_PURPOSES)[number];

/** At most so many links of one purpose live at once for one account. */
export const MAX_LIVE_LINKS = 5;

/** What is stored of a link. */
export interface StoredLink {
  readonly purpose: LinkPurpose;
  /** The address that the account had when it was asked for, in normal form. */
  readonly emailKey: string;
  readonly expiresAt: Date;
  readonly spentAt: Date | null;
  readonly supersededAt: Date | null;
}

/** Why a link does nothing. */
export type LinkFault = "unknown" | "used" | "superseded" | "expired";

/** Links that undo a change: for whoever had the account before it, whatever its address is since. */
export const UNDO_PURPOSES = [
  "undo-change",
  "undo-factor",
  "undo-erase",
] as const satisfies readonly LinkPurpose[];
/** A purpose whose link undoes a change. */
export type UndoPurpose = (typeof UNDO_PURPOSES)[number];

/**
 * Whether a link of this purpose undoes a change.
 * @example
 * ```ts
 * isUndo("undo-change") // → true
 * isUndo("reset") // → false
 * ```
 */
export function isUndo(purpose: LinkPurpose): purpose is UndoPurpose {
  return (UNDO_PURPOSES as readonly LinkPurpose[]).includes(purpose);
}

/**
 * Whether a link may be used. A link for another purpose, or of an account whose address has changed since, is as
 * unknown as one that never was.
 * @param emailKey the address that the account has now.
 */
export function judgeLink(
  link: StoredLink | null,
  { purpose, emailKey, now }: { purpose: LinkPurpose; emailKey: string | null; now: Date },
): LinkFault | null {
  if (link === null || link.purpose !== purpose) return "unknown";
  if (!isUndo(purpose) && link.emailKey !== emailKey) return "unknown";
  if (link.spentAt !== null) return "used";
  if (link.supersededAt !== null) return "superseded";
  return link.expiresAt > now ? null : "expired";
}
