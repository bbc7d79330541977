/** The fields of an account as people fill them in: read, or told what is wrong with them. */
import type { Identifier } from "@lucchetto/core";
import { readEmail, readUsername } from "@lucchetto/core";
import type { Configuration } from "../config/index.ts";

export interface FieldError {
  readonly path: string;
  readonly message: string;
}

/** The identifiers that were read; `null` where there is none or it is wrong. */
export interface Identifiers {
  readonly email: Identifier<"email"> | null;
  readonly username: Identifier<"username"> | null;
}

const READERS = { email: readEmail, username: readUsername } as const;

const MESSAGES = {
  email: {
    missing: "Enter your e-mail address.",
    malformed: "This is not an e-mail address; it should look like name@brina.example.",
  },
  username: {
    missing: "Choose a username.",
    malformed: "Use 2 to 40 letters and digits, also . _ - between them; no spaces, no @.",
  },
} as const;

/** Reads what was typed. Whatever is wrong is added to `errors`. */
export function readIdentifiers(
  configuration: Pick<Configuration, "accounts">,
  typed: { readonly email?: string | null | undefined; readonly username?: string | null | undefined },
  errors: FieldError[],
): Identifiers {
  const before = errors.length;
  const identifiers = {
    email: readOne(configuration, "email", typed.email, errors),
    username: readOne(configuration, "username", typed.username, errors),
  };
  const none = identifiers.email === null && identifiers.username === null;
  if (none && errors.length === before)
    errors.push({ path: "email", message: "Give an e-mail address or a username." });
  return identifiers;
}

function readOne<Kind extends "email" | "username">(
  { accounts }: Pick<Configuration, "accounts">,
  kind: Kind,
  typed: string | null | undefined,
  errors: FieldError[],
): ReturnType<(typeof READERS)[Kind]> | null {
  const { missing, malformed } = MESSAGES[kind];
  if (typed === undefined || typed === null) {
    if (accounts[kind] === "required") errors.push({ path: kind, message: missing });
    return null;
  }
  if (accounts[kind] === "off")
    errors.push({ path: kind, message: `This site has no ${kind}; leave it out.` });
  const identifier = READERS[kind](typed) as ReturnType<(typeof READERS)[Kind]> | null;
  if (identifier === null) errors.push({ path: kind, message: malformed });
  return identifier;
}

/** What is said of an identifier that another account has. */
export const TAKEN = {
  email: "This address has an account already; sign in instead.",
  username: "This username is taken; choose another.",
} as const;
