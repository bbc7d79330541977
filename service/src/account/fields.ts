/** The fields of an account as people fill them in: read, or told what is wrong with them. */
import type { FieldError } from "@lucchetto/contract";
import { fieldError } from "@lucchetto/contract";
import type { Identifier } from "@lucchetto/core";
import { readEmail, readUsername } from "@lucchetto/core";
import type { Configuration } from "../config/index.ts";

/** The identifiers that were read; `null` where there is none or it is wrong. */
export interface Identifiers {
  readonly email: Identifier<"email"> | null;
  readonly username: Identifier<"username"> | null;
}

const READERS = { email: readEmail, username: readUsername } as const;

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
  if (none && errors.length === before) errors.push(fieldError("email", "identifier-missing"));
  return identifiers;
}

function readOne<Kind extends "email" | "username">(
  { accounts }: Pick<Configuration, "accounts">,
  kind: Kind,
  typed: string | null | undefined,
  errors: FieldError[],
): ReturnType<(typeof READERS)[Kind]> | null {
  if (typed === undefined || typed === null) {
    if (accounts[kind] === "required") errors.push(fieldError(kind, `${kind}-missing`));
    return null;
  }
  if (accounts[kind] === "off") errors.push(fieldError(kind, "identifier-not-used", { kind }));
  const identifier = READERS[kind](typed) as ReturnType<(typeof READERS)[Kind]> | null;
  if (identifier === null) errors.push(fieldError(kind, `${kind}-malformed`));
  return identifier;
}
