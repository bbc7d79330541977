/**
 * For an application's own tests: "as this account", without a running service.
 *
 *     const accounts = testAccounts();
 *     const app = await createApp({ ...accounts.options, guard });
 *     const reply = await app.inject({ url: "/members", headers: accounts.as({ displayName: "Anna", labels: ["keeper"] }) });
 *
 * Whoever is not signed in is sent off to `https://accounts.test`, which is nowhere.
 */
import { randomUUID } from "node:crypto";
import type { Account, ActiveIntrospection, Problem } from "@lucchetto/contract/apps";
import { problemPath, PROBLEMS } from "@lucchetto/contract/apps";
import { haspCookies } from "./cookies.ts";
import type { HaspOptions } from "./options.ts";
import type { Accounts, Lucchetto, NewPerson } from "./service.ts";
import { LucchettoRefused, LucchettoUnreachable } from "./service.ts";

/** What a test says of somebody; the rest is made up. */
export interface TestPerson {
  readonly id?: string;
  readonly reference?: string;
  readonly email?: string;
  readonly emailVerified?: boolean;
  readonly username?: string;
  readonly displayName?: string;
  readonly labels?: readonly string[];
  /** Level of the session. */
  readonly level?: 1 | 2;
  /** Seconds since the last proof; 0 unless said otherwise. */
  readonly secondsSinceProof?: number;
}

/** A Lucchetto in memory, for an application's own tests. */
export interface TestAccounts {
  /** Everything that a hasp needs; add what the application sets itself. */
  readonly options: HaspOptions;
  /** Headers of a browser in which this person is signed in, on a page of the application's own. */
  as(person: TestPerson): { cookie: string; origin: string };
  /** Headers of a script with an access key of this person. */
  asScript(person: TestPerson): { authorization: string };
  /** Ends the session or key of these headers, as anywhere else. */
  end(headers: { cookie?: string; authorization?: string }): void;
  /** From now on Lucchetto cannot be reached, or can again. */
  setReachable(value: boolean): void;
  /** What the hasp asks in the service's place. */
  readonly lucchetto: Lucchetto;
}

const RETURN_ADDRESS = "http://localhost/signed-in";
const DAY = 86_400;

/** @param returnAddress the application's, if its tests run at another origin than `http://localhost`. */
export function testAccounts(returnAddress: string = RETURN_ADDRESS): TestAccounts {
  const people = new Map<string, ActiveIntrospection>();
  const cookies = haspCookies(new URL(returnAddress));
  /** Accounts as the application added, invited or changed them. */
  const changed = new Map<string, Account>();
  let isReachable = true;

  function put(prefix: string, person: TestPerson, extra: Partial<ActiveIntrospection>): string {
    const token = `${prefix}${randomUUID().replaceAll("-", "")}${"t".repeat(11)}`;
    people.set(token, { ...describe(person), ...extra });
    return token;
  }

  function all(): Account[] {
    const signedIn = [...people.values()].map((who) => [who.sub, accountOf(who)] as const);
    return [...new Map([...signedIn, ...changed]).values()];
  }

  function endAll(id: string): void {
    for (const [token, { sub }] of people) if (sub === id) people.delete(token);
  }

  async function ask<Answer>(answer: () => Answer): Promise<Answer> {
    if (!isReachable) throw new LucchettoUnreachable("the test says that it cannot be reached");
    return answer();
  }

  const lucchetto: Lucchetto = {
    accounts: testingAccounts({
      ask,
      all,
      put: (account) => void changed.set(account.id, account),
      end: endAll,
    }),
    exchangeCode: () => ask(() => null),
    introspect: (token) => ask(() => people.get(token) ?? null),
    checkBasic: () => ask(() => null),
    revoke: (token) => ask(() => void people.delete(token)),
    findLiving: (ids) => {
      const living = new Set([...people.values()].map(({ sid }) => sid));
      return ask(() => new Set(ids.filter((id) => living.has(id))));
    },
    lookUp: ({ ids = [], references = [] }) =>
      ask(() =>
        all().filter(({ id, reference }) => ids.includes(id) || references.includes(reference ?? "")),
      ),
  };
  const accounts: TestAccounts = {
    get options() {
      return {
        service: "https://accounts.test",
        clientId: "test",
        appKey: "lcp_test",
        returnAddress,
        testing: accounts,
      };
    },
    as(person) {
      const { level = 1, secondsSinceProof = 0 } = person;
      const checked = Math.floor(Date.now() / 1_000);
      const inSession = {
        sid: randomUUID(),
        acr: `aal${level}`,
        amr: level === 2 ? ["pwd", "otp", "mfa"] : ["pwd"],
        auth_time: checked - secondsSinceProof,
        exp: checked + DAY,
      };
      const token = put("lck_", person, inSession);
      const cookie = cookies.writeCheckToken(token).split(";", 1)[0] ?? "";
      return { cookie, origin: new URL(returnAddress).origin };
    },
    asScript: (person) => ({
      authorization: `Bearer ${put("lca_", person, { key_id: randomUUID(), amr: ["key"] })}`,
    }),
    end({ cookie, authorization }) {
      const token = cookies.readCheckToken(cookie) ?? authorization?.replace(/^Bearer /, "");
      if (token !== undefined) people.delete(token);
    },
    setReachable: (value) => void (isReachable = value),
    lucchetto,
  };
  return accounts;
}

interface InMemory {
  ask<Answer>(answer: () => Answer): Promise<Answer>;
  /** Everybody, those of `as` too. */
  all(): Account[];
  put(account: Account): void;
  /** Ends every session and key. */
  end(id: string): void;
}

/** Does what is asked of it, without the rules of the service. */
function testingAccounts({ ask, all, put, end }: InMemory): Accounts {
  function add(person: NewPerson, state: Account["state"]): Account {
    const { email = null, username = null, displayName = null, labels = [], reference = null } = person;
    const account: Account = {
      ...{ id: randomUUID(), reference, email, emailVerified: false, username, displayName, state },
      ...{ labels: [...labels], language: null, createdAt: new Date().toISOString() },
    };
    put(account);
    return account;
  }
  const change = (id: string, changed: Partial<Account>) =>
    ask(() => {
      const account = all().find((one) => one.id === id);
      if (account === undefined) throw new LucchettoRefused(notFound(id));
      const next = { ...account, ...changed };
      put(next);
      if (next.state === "suspended") end(id);
      return next;
    });
  const isFound = (account: Account, search: string) =>
    [account.email, account.username, account.displayName].some((text) =>
      text?.toLowerCase().startsWith(search.toLowerCase()),
    ) || [account.id, account.reference].includes(search);
  return {
    find: ({ search } = {}) =>
      ask(() => {
        const found = search === undefined ? all() : all().filter((one) => isFound(one, search));
        return { items: found.reverse(), next: null };
      }),
    add: (person) => ask(() => add(person, "active")),
    invite: (person) => ask(() => add(person, "invited")),
    suspend: (id) => change(id, { state: "suspended" }),
    restore: (id) => change(id, { state: "active" }),
    setLabels: (id, labels) => change(id, { labels: [...labels] }),
    setReference: (id, reference) => change(id, { reference }),
  };
}

function notFound(id: string): Problem {
  const { title, status } = PROBLEMS["not-found"];
  const type = `https://accounts.test${problemPath("not-found")}`;
  return { type, code: "not-found", title, status, detail: `There is no account ${id}.`, requestId: "test" };
}

function describe(person: TestPerson): ActiveIntrospection {
  const checked = Math.floor(Date.now() / 1_000);
  return {
    active: true,
    sub: person.id ?? randomUUID(),
    reference: person.reference ?? null,
    username: person.username ?? null,
    email: person.email ?? null,
    email_verified: person.emailVerified ?? true,
    name: person.displayName ?? null,
    labels: [...(person.labels ?? [])],
    iat: checked,
    checked_at: checked,
    acr: "aal1",
    amr: [],
    client_id: "test",
    token_type: "Bearer",
    iss: "https://accounts.test",
  };
}

function accountOf(who: ActiveIntrospection): Account {
  return {
    id: who.sub,
    reference: who.reference,
    email: who.email,
    emailVerified: who.email_verified,
    username: who.username,
    displayName: who.name,
    state: "active",
    labels: who.labels,
    language: null,
    createdAt: new Date(who.iat * 1_000).toISOString(),
  };
}
