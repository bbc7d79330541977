/** What the hasp asks of Lucchetto, whoever answers: the service over HTTP, or what stands in for it in tests. */
import type { Account, ActiveIntrospection, Problem, ProblemCode } from "@lucchetto/contract";
import { PROBLEMS } from "@lucchetto/contract";
import type { Accounts } from "./accounts.ts";
import { problem } from "./answers.ts";
import type { Answer } from "./visit.ts";

/** Lucchetto gave no answer, or none that could be understood. */
export class LucchettoUnreachable extends Error {
  override readonly name = "LucchettoUnreachable";
}

/** Lucchetto answered, but did not do what was asked; `problem.code` says why. */
export class LucchettoRefused extends Error {
  override readonly name = "LucchettoRefused";
  readonly problem: Problem;
  constructor(refused: Problem) {
    super(refused.detail);
    this.problem = refused;
  }

  /** The same problem, for the script that came. */
  answerFor(service: string): Answer {
    const { code, detail, retryAfter } = this.problem;
    const known = Object.hasOwn(PROBLEMS, code) ? (code as ProblemCode) : "storage-unavailable";
    return problem(service, known, {
      detail,
      headers: retryAfter === undefined ? {} : { "retry-after": String(retryAfter) },
    });
  }
}

/** What came as HTTP Basic, and where it came from. */
export interface BasicPassword {
  readonly identifier: string;
  readonly password: string;
  readonly address: string;
  readonly userAgent: string | undefined;
}

export interface Lucchetto {
  readonly accounts: Accounts;
  /** The check token for a code; `null` if the code is not (or no longer) good. @throws LucchettoUnreachable. */
  swap(code: string, verifier: string): Promise<string | null>;
  /**
   * Who is there; `null` if nobody. Questions about one token under way at the same time are asked once.
   * @param username the name that came with an access key, where one came.
   */
  introspect(token: string, username?: string): Promise<ActiveIntrospection | null>;
  /** Whose name and password these are; `null` if nobody's. @throws LucchettoRefused, LucchettoUnreachable. */
  checkBasic(shown: BasicPassword): Promise<Account | null>;
  revoke(checkToken: string): Promise<void>;
  /** Which of these sessions still live. @throws LucchettoUnreachable. */
  findLiving(sessionIds: readonly string[]): Promise<ReadonlySet<string>>;
  /** Accounts by id or reference, 100 at once; unknown ones are left out. @throws LucchettoUnreachable. */
  lookUp(wanted: LookUp): Promise<Account[]>;
}

/** Which accounts are wanted: 100 ids and references together at most. */
export interface LookUp {
  readonly ids?: readonly string[];
  readonly references?: readonly string[];
}
