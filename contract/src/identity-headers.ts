/** Who is there, in the headers that an application behind a proxy, or behind the front, reads. */

/** Each is always there: an empty one keeps whatever came from outside from getting through. */
export type IdentityHeaders = Readonly<
  Record<
    `lucchetto-${"account" | "reference" | "email" | "username" | "name" | "labels" | "session" | "level"}`,
    string
  >
>;

/** What stands in them. */
export interface Identity {
  readonly account: string;
  readonly reference: string | null;
  /** Only one that was proved: another may be anybody's. */
  readonly provedEmail: string | null;
  readonly username: string | null;
  readonly name: string | null;
  readonly labels: readonly string[];
  readonly session: string | null;
  readonly level: 1 | 2;
}

/** @param identity `null`: of a guest; every header is empty. */
export function identityHeaders(identity: Identity | null): IdentityHeaders {
  return {
    "lucchetto-account": printable(identity?.account),
    "lucchetto-reference": printable(identity?.reference),
    "lucchetto-email": printable(identity?.provedEmail),
    "lucchetto-username": printable(identity?.username),
    "lucchetto-name": printable(identity?.name),
    "lucchetto-labels": printable(identity?.labels.join(" ")),
    "lucchetto-session": printable(identity?.session),
    "lucchetto-level": identity === null ? "" : String(identity.level),
  };
}

/** Whether a header of a request says who is there, in whatever spelling: servers take `_`, and some any other sign, for `-`. */
export function isIdentityHeader(name: string): boolean {
  return name
    .toLowerCase()
    .replace(/[^a-z0-9]/g, "-")
    .startsWith("lucchetto-");
}

/** Header values are ASCII: everything else, and the percent sign, is percent-encoded UTF-8 (RFC 3986). */
function printable(text: string | null | undefined): string {
  return (text ?? "").replace(/[^\x20-\x24\x26-\x7e]/gu, (character) => encodeURIComponent(character));
}
