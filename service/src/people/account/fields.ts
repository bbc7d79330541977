/** The fields of an account as people fill them in: read, or told what is wrong with them. */
import type { FieldError } from "@lucchetto/contract";
import { fieldError } from "@lucchetto/contract";
import type { Identifier } from "@lucchetto/core";
import { looksLikeId, readEmail, readUsername } from "@lucchetto/core";
import type { Configuration } from "../../base/config/index.ts";
import { fieldProblem } from "../../base/problem.ts";
import type { AccountRow } from "../../base/storage/index.ts";

/** The identifiers that were read; `null` where there is none or it is wrong. */
interface Identifiers {
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

/**
 * Reads an address that is to take the place of an account's own.
 * @throws ProblemReply `invalid-fields`, also for the one that it has.
 */
export function readNewEmail(
  configuration: Pick<Configuration, "accounts">,
  { emailKey, username }: Pick<AccountRow, "emailKey" | "username">,
  typed: string,
): Identifier<"email"> {
  const errors: FieldError[] = [];
  const { email } = readIdentifiers(configuration, { email: typed, username }, errors);
  const faults = errors.filter(({ path }) => path === "email");
  if (email === null || faults.length > 0) throw fieldProblem(faults);
  if (email.key === emailKey) throw fieldProblem([fieldError("email", "email-unchanged")]);
  return email;
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
  const read = READERS[kind](typed) as ReturnType<(typeof READERS)[Kind]> | null;
  const isMisleading = kind === "username" && read !== null && looksLikeId(read as Identifier<"username">);
  const identifier = isMisleading ? null : read;
  if (identifier === null) errors.push(fieldError(kind, `${kind}-malformed`));
  return identifier;
}
