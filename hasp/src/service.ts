/** What the hasp asks of Lucchetto, whoever answers: the service over HTTP, or what stands in for it in tests. */
import type { Account, ActiveIntrospection, Problem, ProblemCode } from "@lucchetto/contract/apps";
import { PROBLEMS } from "@lucchetto/contract/apps";
import { problem } from "./answers.ts";
import type { Answer } from "./incoming-request.ts";

/** Lucchetto gave no answer, or none that could be understood. */
export class LucchettoUnreachable extends Error {
  override readonly name = "LucchettoUnreachable";
}

/** Lucchetto answers, and does not know this application: its client id or app key is wrong. Whoever runs the application mends it. */
export class LucchettoNotSetUp extends LucchettoUnreachable {}

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
interface BasicPassword {
  readonly identifier: string;
  readonly password: string;
  readonly address: string;
  readonly userAgent: string | undefined;
}

export interface Lucchetto {
  readonly accounts: Accounts;
  /** The check token for a code; `null` if the code is not (or no longer) good. @throws LucchettoUnreachable. */
  exchangeCode(code: string, verifier: string): Promise<string | null>;
  /**
   * Who is there; `null` if nobody. Batched with other pending checks; always queried after this call.
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

/** Somebody new. Which of address and username there must be, the site's configuration says. */
export interface NewPerson {
  readonly email?: string;
  readonly username?: string;
  readonly displayName?: string;
  /** Never `operator` or `auditor`. */
  readonly labels?: readonly string[];
  /** The application's own id for the person. */
  readonly reference?: string;
}

/** Which accounts are looked for; all, if nothing is said. */
export interface Search {
  /** The beginning of an address, username or display name; or a whole id or reference. */
  readonly search?: string;
  /** At most so many, up to 100; 25 unless said otherwise. */
  readonly limit?: number;
  /** `next` of the page before. */
  readonly cursor?: string;
}

/**
 * For an app with the right `accounts`. Operators' accounts are never among them, and passwords, second factors and
 * addresses are their owners' own. Every call may reject with LucchettoRefused, whose `problem.code` says why
 * (`right-missing`, `identifier-taken`, `invalid-fields`, `account-of-operators`, `not-found`, `throttled` …), or with
 * LucchettoUnreachable.
 */
export interface Accounts {
  /** Newest first; `next` is `null` on the last page. */
  find(search?: Search): Promise<{ items: Account[]; next: string | null }>;
  /** Adds an account without a password: its owner sets one by a mailed link. */
  add(person: NewPerson): Promise<Account>;
  /**
   * Invites by mail; somebody who is invited already gets a new link. Whoever accepts lands at a page of the application:
   * `page`, as a path or a whole address, or its first page.
   */
  invite(
    person: NewPerson & { readonly email: string; readonly language?: "en" | "it"; readonly page?: string },
  ): Promise<Account>;
  /** Ends all sessions and access keys at once, and lets nobody in. */
  suspend(id: string): Promise<Account>;
  restore(id: string): Promise<Account>;
  /** Sets all labels. */
  setLabels(id: string, labels: readonly string[]): Promise<Account>;
  /** Sets the application's own id for the person; `null` takes it away. */
  setReference(id: string, reference: string | null): Promise<Account>;
}
