/** What an application's own server does with accounts (`lucchetto app add --rights accounts`). */
import type { Account } from "@lucchetto/contract/apps";
import { createClient, ProblemError, routes, UnreachableError } from "@lucchetto/contract/apps";
import { authorizationOf } from "./app-key.ts";
import type { HaspSettings } from "./options.ts";
import type { Accounts } from "./service.ts";
import { LucchettoRefused, LucchettoUnreachable } from "./service.ts";

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

  const addressOf = (page: string | undefined) =>
    page === undefined ? {} : { page: new URL(page, settings.returnAddress.origin).href };

  const change = (id: string, body: Changed): Promise<Account> =>
    ask(call(routes.changeAccountByApp, { params: { id }, body }));

  return {
    find: (search = {}) => ask(call(routes.findAccountsByApp, { query: search })),
    add: ({ labels, ...person }) =>
      ask(call(routes.addAccountByApp, { body: { ...person, ...asList(labels) } })),
    invite: ({ labels, page, ...person }) =>
      ask(call(routes.inviteAccountByApp, { body: { ...person, ...asList(labels), ...addressOf(page) } })),
    suspend: (id) => change(id, { state: "suspended" }),
    restore: (id) => change(id, { state: "active" }),
    setLabels: (id, labels) => change(id, { labels: [...labels] }),
    setReference: (id, reference) => change(id, { reference }),
  };
}

type Changed = { state: "active" | "suspended" } | { labels: string[] } | { reference: string | null };

const asList = (labels: readonly string[] | undefined): { labels?: string[] } =>
  labels === undefined ? {} : { labels: [...labels] };
