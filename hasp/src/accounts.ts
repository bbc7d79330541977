/** What an application's own server does with accounts (`lucchetto app add --rights accounts`). */
import type { Account } from "@lucchetto/contract";
import { createClient, ProblemError, routes, UnreachableError } from "@lucchetto/contract";
import { authorizationOf } from "./app-key.ts";
import type { HaspSettings } from "./options.ts";
import { LucchettoRefused, LucchettoUnreachable } from "./service.ts";

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
  /** At most so many, up to 200; 50 unless said otherwise. */
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
  /** Invites by mail; somebody who is invited already gets a new link. */
  invite(person: NewPerson & { readonly email: string; readonly language?: "en" | "it" }): Promise<Account>;
  /** Ends all sessions and access keys at once, and lets nobody in. */
  suspend(id: string): Promise<Account>;
  restore(id: string): Promise<Account>;
  /** Sets all labels. */
  label(id: string, labels: readonly string[]): Promise<Account>;
  /** Sets the application's own id for the person; `null` takes it away. */
  refer(id: string, reference: string | null): Promise<Account>;
}

export function createAccounts(settings: HaspSettings): Accounts {
  const { callsTo, timeout } = settings;
  const call = createClient({
    baseUrl: callsTo,
    timeout,
    headers: { authorization: authorizationOf(settings) },
  });

  async function ask<Reply>(asked: Promise<{ body: Reply }>): Promise<Reply> {
    try {
      return (await asked).body;
    } catch (error) {
      if (error instanceof UnreachableError) throw new LucchettoUnreachable(error.message, { cause: error });
      if (!(error instanceof ProblemError)) throw error;
      // A wrong app key is the set-up's fault, and a service in trouble has refused nothing.
      if (error.problem.code === "app-unknown" || error.problem.status >= 500)
        throw new LucchettoUnreachable(`${callsTo}: ${error.problem.detail}`, { cause: error });
      throw new LucchettoRefused(error.problem);
    }
  }

  const change = (id: string, body: Changed): Promise<Account> =>
    ask(call(routes.changeAccountByApp, { params: { id }, body }));

  return {
    find: (search = {}) => ask(call(routes.findAccountsByApp, { query: search })),
    add: ({ labels, ...person }) =>
      ask(call(routes.addAccountByApp, { body: { ...person, ...asList(labels) } })),
    invite: ({ labels, ...person }) =>
      ask(call(routes.inviteAccountByApp, { body: { ...person, ...asList(labels) } })),
    suspend: (id) => change(id, { state: "suspended" }),
    restore: (id) => change(id, { state: "active" }),
    label: (id, labels) => change(id, { labels: [...labels] }),
    refer: (id, reference) => change(id, { reference }),
  };
}

type Changed = { state: "active" | "suspended" } | { labels: string[] } | { reference: string | null };

const asList = (labels: readonly string[] | undefined): { labels?: string[] } =>
  labels === undefined ? {} : { labels: [...labels] };
