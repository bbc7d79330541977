/** Problems as values: thrown by use cases, one of the catalogue each. Only `http/` knows how they are sent. */
import type { FieldError, ProblemCode } from "@lucchetto/contract";
import { PROBLEMS } from "@lucchetto/contract";
import type { ThrottleKind } from "@lucchetto/core";

/** A try that was not looked at, for there were too many. */
interface RefusedTry {
  readonly kind: ThrottleKind;
  /** Whose count it was; `null`: nobody's, or a network's. */
  readonly accountId: string | null;
}

/** What a problem says beyond its entry in the catalogue. */
export interface ProblemParts {
  /** A sentence about this case; the catalogue's meaning and remedy if left out. */
  readonly detail?: string;
  readonly errors?: readonly FieldError[];
  /** Whole seconds. */
  readonly retryAfter?: number;
  readonly headers?: Readonly<Record<string, string>>;
  /** Of a try that was not looked at: what counted it, for the journal alone. */
  readonly refusedTry?: RefusedTry;
}

/** Thrown to answer with a problem of the catalogue. */
export class ProblemReply extends Error {
  override readonly name = "ProblemReply";
  readonly code: ProblemCode;
  readonly parts: ProblemParts;
  constructor(code: ProblemCode, parts: ProblemParts = {}) {
    super(parts.detail ?? PROBLEMS[code].meaning);
    this.code = code;
    this.parts = parts;
  }
}

/** A problem with one sentence per field. */
export function fieldProblem(
  errors: readonly FieldError[],
  code: "invalid-fields" | "identifier-taken" = "invalid-fields",
): ProblemReply {
  return new ProblemReply(code, { detail: errors.map(describeField).join(" "), errors });
}

function describeField({ path, message }: FieldError): string {
  return path === "" ? message : `${path}: ${message}`;
}
