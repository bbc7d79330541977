/**
 * What a session changes is over with the session: calls in loops beside what ends them. The calls are those of the contract that a
 * session may make and that change something; the snapshot taken with the ending's reply is the account's for good.
 */
import type { Route } from "@lucchetto/contract";
import { routes } from "@lucchetto/contract";
import { addPasskey } from "../../testing/passkey.ts";
import { enrolAuthenticator } from "../../testing/second-factor.ts";
import type { TestService } from "../../testing/service.ts";
import { PASSWORD, send } from "../../testing/service.ts";
import { mailTo, secretOf, Visitor } from "../../testing/visitor.ts";

/** Somebody whose session the intruder holds, too. */
export interface Person {
  readonly id: string;
  readonly sessionId: string;
  readonly email: string;
  /** Of the session that loops; another one of the same account. */
  token: string;
  readonly other: string;
  readonly authenticatorId: string;
  readonly passkeyId: string;
  /** Asked for before. */
  readonly resetSecret: string;
  readonly undoSecret: string;
  /** Of the authenticator; of so many steps later. */
  readonly code: (steps?: number) => string;
  readonly recoveryCodes: readonly string[];
}

type Call = (person: Person) => { readonly params?: Record<string, string>; readonly body?: object };

const NEXT_PASSWORD = "another good long password";
let made = 0;

/** How each call is made, by its name. */
export const CALLS: Readonly<Record<string, Call>> = {
  changeOwnAccount: () => ({ body: { displayName: `Somebody ${(made += 1)}` } }),
  changePassword: () => ({ body: { password: `${NEXT_PASSWORD} ${(made += 1)}` } }),
  removePassword: () => ({}),
  changeEmail: () => ({ body: { email: `elsewhere${(made += 1)}@site.example` } }),
  confirmEmail: () => ({ body: { code: "abcd2345" } }),
  eraseOwnAccount: () => ({}),
  makeAccessKey: () => ({ body: { name: `Key ${(made += 1)}` } }),
  deleteAccessKey: ({ id }) => ({ params: { id } }),
  makeRecoveryCodes: () => ({}),
  enrolAuthenticator: () => ({ body: {} }),
  activateAuthenticator: ({ authenticatorId }) => ({
    params: { id: authenticatorId },
    body: { code: "123456" },
  }),
  renameAuthenticator: ({ authenticatorId }) => ({
    params: { id: authenticatorId },
    body: { name: `App ${(made += 1)}` },
  }),
  removeAuthenticator: ({ authenticatorId }) => ({ params: { id: authenticatorId } }),
  addPasskey: ({ passkeyId }) => ({ body: { challengeId: passkeyId, credential: {} } }),
  renamePasskey: ({ passkeyId }) => ({ params: { id: passkeyId }, body: { name: `Passkey ${(made += 1)}` } }),
  removePasskey: ({ passkeyId }) => ({ params: { id: passkeyId } }),
  reauthenticate: () => ({ body: { proof: { type: "password", password: PASSWORD } } }),
  endOwnSession: ({ id }) => ({ params: { id } }),
  endOtherSessions: () => ({}),
  makeCheckToken: () => ({}),
  signOut: () => ({}),
};

/** Every call of the contract that a session makes and that changes something. */
export const changingRoutes = (): Route[] =>
  Object.values<Route>(routes).filter(
    ({ method, access }) => method !== "GET" && (access === "session" || access === "enrolling"),
  );

/** Those that end the account's other sessions, too: nothing can be ended from another one beside them. */
export const ENDS_OTHERS: readonly string[] = ["changePassword", "removePassword", "endOtherSessions"];
/** Endings by another session of the same account. */
export const FROM_ANOTHER: readonly string[] = ["closed", "password changed", "others ended"];
/** Whether a call and an ending can be played beside each other. Once closed by its owner, an account can only be erased. */
export const fits = (call: string, ending: string): boolean =>
  call === "eraseOwnAccount"
    ? ending === "erased"
    : !(ENDS_OTHERS.includes(call) && FROM_ANOTHER.includes(ending));

type Ending = (service: TestService, person: Person) => Promise<unknown>;

/** What ends the session that loops. */
export const ENDINGS: Readonly<Record<string, Ending>> = {
  reset: ({ client }, { resetSecret }) =>
    client(routes.redeemLink, { body: { secret: resetSecret, password: NEXT_PASSWORD } }),
  undo: ({ client }, { undoSecret }) =>
    client(routes.redeemLink, { body: { secret: undoSecret, password: NEXT_PASSWORD, present: PASSWORD } }),
  suspend: async (service, { id }) =>
    service.as(await service.operator())(routes.changeAccount, {
      params: { id },
      body: { state: "suspended" },
    }),
  erased: async (service, { id }) =>
    service.as(await service.operator())(routes.eraseAccount, { params: { id } }),
  "must-change": async (service, { id }) =>
    service.as(await service.operator())(routes.changeAccount, {
      params: { id },
      body: { mustChangePassword: true },
    }),
  "factor removed by an operator": async (service, { id }) =>
    service.as(await service.operator())(routes.removeSecondFactor, {
      params: { id },
      body: { reason: "lost" },
    }),
  "ended by an operator": async (service, { sessionId }) =>
    service.as(await service.operator())(routes.endSession, { params: { id: sessionId } }),
  closed: (service, { other }) => service.as(other)(routes.eraseOwnAccount),
  "password changed": (service, { other }) =>
    service.as(other)(routes.changePassword, { body: { password: NEXT_PASSWORD } }),
  "others ended": (service, { other }) => service.as(other)(routes.endOtherSessions),
};

let people = 0;

/** Makes somebody with everything that calls change and endings need. */
export async function somebody(service: TestService): Promise<Person> {
  const email = `person${(people += 1)}@brina.example`;
  const { id, token: first } = await service.register(email);
  const secret = secretOf(await mailTo(service, email, "verify"));
  await service.client(routes.redeemLink, { body: { secret, present: PASSWORD } });
  const token = await service.signIn(email).catch(() => first);
  const app = await enrolAuthenticator(service, token);
  const undoSecret = secretOf(await mailTo(service, email, "second-factor-added"));
  const key = await addPasskey(service, app.token);
  const browser = new Visitor(service);
  await browser.post("/v1/mail-links", { purpose: "reset", identifier: email });
  const resetSecret = secretOf(await mailTo(service, email, "reset"));
  const other = await signInAgain(service, email, () => app.nextCode());
  const { body } = await service.as(key.token ?? "")(routes.showSession);
  if (body.session.aal !== 2) throw new Error("the session is not at level 2");
  return {
    id,
    sessionId: body.session.id,
    email,
    token: key.token ?? "",
    other,
    authenticatorId: app.id,
    passkeyId: key.passkey.id,
    resetSecret,
    undoSecret,
    code: app.code,
    recoveryCodes: app.recoveryCodes,
  };
}

/** A second session, complete. */
async function signInAgain(
  service: TestService,
  email: string,
  code: () => Promise<string>,
): Promise<string> {
  const proof = { type: "password", identifier: email, password: PASSWORD };
  const headers = { "content-type": "application/json" };
  const begun = await send(service, "POST", "/v1/sign-in", {
    headers,
    body: JSON.stringify({ proof, deliver: "token" }),
  });
  const { token } = begun.json<{ token: string }>();
  const done = await send(service, "POST", "/v1/sign-in/proof", {
    headers: { ...headers, authorization: `Bearer ${token}` },
    body: JSON.stringify({ proof: { type: "totp", code: await code() } }),
  });
  if (done.status !== 201) throw new Error(`no second session: ${done.text}`);
  return done.json<{ token: string }>().token;
}

/** Everything of an account that its own calls change. */
export async function snapshot({ dataSource }: TestService, accountId: string): Promise<unknown> {
  const tables = {
    account: "SELECT displayName, username, email, state, language FROM account WHERE id = ?",
    password: "SELECT record FROM password_record WHERE accountId = ?",
    keys: "SELECT id FROM access_key WHERE accountId = ? ORDER BY id",
    authenticators:
      "SELECT id, name, activatedAt, removedAt FROM authenticator WHERE accountId = ? ORDER BY id",
    passkeys: "SELECT id, name, removedAt FROM passkey WHERE accountId = ? ORDER BY id",
    codes: "SELECT COUNT(*) AS n, MAX(createdAt) AS at FROM recovery_code WHERE accountId = ?",
    sessions: "SELECT id, tokenHash, endedAt FROM session WHERE accountId = ? ORDER BY id",
    journal: "SELECT COUNT(*) AS n FROM journal_entry WHERE accountId = ? AND outcome <> 'refused'",
  };
  const all: Record<string, unknown> = {};
  for (const [name, query] of Object.entries(tables)) all[name] = await dataSource.query(query, [accountId]);
  return JSON.parse(JSON.stringify(all));
}

/** Calls at once, as an intruder would make them. */
const LOOPS = 3;

/**
 * Makes a call in loops while something ends its session.
 * @returns the account with the ending's reply and once all loops are over, how often the call was made after it, and what it got.
 */
export async function race(service: TestService, route: Route, ending: Ending) {
  const person = await somebody(service);
  const call = CALLS[route.name] as Call;
  let isOver = false;
  let after = 0;
  const statuses = new Set<number>();
  const loop = async (): Promise<void> => {
    for (let left = 3; left > 0; left -= isOver ? 1 : 0) {
      const { params = {}, body } = call(person);
      const path = route.path.replace(/:(\w+)/g, (_all, name: string) => params[name] ?? "");
      const hasBody = body !== undefined;
      const began = isOver;
      const reply = await send(service, route.method, path, {
        headers: {
          authorization: `Bearer ${person.token}`,
          ...(hasBody ? { "content-type": "application/json" } : {}),
        },
        body: hasBody ? JSON.stringify(body) : null,
      });
      if (began) {
        after += 1;
        statuses.add(reply.status);
      }
      // The new token takes the place of the one that was shown.
      const next = reply.text.startsWith("{") ? reply.json<{ token?: string }>().token : undefined;
      if (next?.startsWith("lcs_") === true) person.token = next;
    }
  };
  const loops = Array.from({ length: LOOPS }, loop);
  const atReply = await ending(service, person)
    .then(() => snapshot(service, person.id))
    .finally(() => {
      isOver = true;
    });
  await Promise.all(loops);
  return { atReply, afterwards: await snapshot(service, person.id), after, statuses: [...statuses] };
}
