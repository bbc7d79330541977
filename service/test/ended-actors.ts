/**
 * What operators and applications' servers change is over with their label, session, key or right: calls in loops beside what ends them.
 * Every change that they make stands in the journal under their name.
 */
import type { Route } from "@lucchetto/contract";
import { routes } from "@lucchetto/contract";
import { enrolAuthenticator } from "../../testing/second-factor.ts";
import type { TestService } from "../../testing/service.ts";
import { PASSWORD, send } from "../../testing/service.ts";

/** Whoever loops, and what there is to be changed. */
interface Stage {
  /** Ends who loops, and is an operator too. */
  readonly office: ReturnType<TestService["as"]>;
  /** Of the operator who loops. */
  readonly operatorId: string;
  readonly sessionId: string;
  /** Of the app that loops. */
  readonly appId: string;
  readonly keyId: string;
  readonly authorization: string;
  /** Somebody, and an app, that are changed. */
  readonly targetId: string;
  readonly targetApp: string;
  readonly targetKey: string;
}

type Call = (stage: Stage) => { readonly params?: Record<string, string>; readonly body?: object };

let made = 0;
const next = () => (made += 1);
const reason = "showed an identity card at the counter";
const address = () => `made${next()}@site.example`;

/** How each call of an operator is made that changes accounts or apps. */
const OPERATORS_CALLS: Readonly<Record<string, Call>> = {
  addAccount: () => ({ body: { email: address(), password: PASSWORD } }),
  inviteAccount: () => ({ body: { email: address() } }),
  changeAccount: ({ targetId }) => ({ params: { id: targetId }, body: { labels: [`label${next()}`] } }),
  eraseAccount: ({ targetId }) => ({ params: { id: targetId } }),
  correctEmail: ({ targetId }) => ({ params: { id: targetId }, body: { email: address(), reason } }),
  giveFirstPassword: ({ targetId }) => ({
    params: { id: targetId },
    body: { password: `${PASSWORD} ${next()}`, reason },
  }),
  removeSecondFactor: ({ targetId }) => ({ params: { id: targetId }, body: { reason } }),
  importAuthenticators: () => ({
    body: { match: "email", items: [{ account: address(), uri: "otpauth://totp/x:x?secret=AAAA" }] },
  }),
  endSession: ({ sessionId }) => ({ params: { id: sessionId } }),
  addApp: () => ({ body: { name: `App ${next()}`, redirectUris: ["http://localhost:1/in"] } }),
  changeApp: ({ targetApp }) => ({ params: { id: targetApp }, body: { name: `App ${next()}` } }),
  addAppKey: ({ targetApp }) => ({ params: { id: targetApp } }),
  retireAppKey: ({ targetApp, targetKey }) => ({ params: { id: targetApp, keyId: targetKey } }),
  removeApp: ({ targetApp }) => ({ params: { id: targetApp } }),
};

const APPS_CALLS: Readonly<Record<string, Call>> = {
  addAccountByApp: () => ({ body: { email: address() } }),
  inviteAccountByApp: () => ({ body: { email: address() } }),
  changeAccountByApp: ({ targetId }) => ({ params: { id: targetId }, body: { reference: `r${next()}` } }),
};

/** Operators' calls that change no account and no app: what is taken in, sent once more, measured or shown. */
export const NOT_PLAYED: readonly string[] = [
  ...[
    "beginIntakeDraft",
    "addIntakePart",
    "planIntakeDraft",
    "checkIntakeDraft",
    "runIntakeDraft",
    "dropIntakeDraft",
  ],
  ...["correctRecipe", "repeatDelivery", "repeatMail", "releaseThrottle", "beginHashTuning"],
  ...["beginRehearsal", "endRehearsal"],
];

type Ending = (stage: Stage) => Promise<unknown>;

const OPERATORS_ENDINGS: Readonly<Record<string, Ending>> = {
  "label taken": ({ office, operatorId }) =>
    office(routes.changeAccount, { params: { id: operatorId }, body: { labels: [] } }),
  suspended: ({ office, operatorId }) =>
    office(routes.changeAccount, { params: { id: operatorId }, body: { state: "suspended" } }),
  "session ended": ({ office, sessionId }) => office(routes.endSession, { params: { id: sessionId } }),
};

const APPS_ENDINGS: Readonly<Record<string, Ending>> = {
  "key retired": ({ office, appId, keyId }) => office(routes.retireAppKey, { params: { id: appId, keyId } }),
  "right taken": ({ office, appId }) =>
    office(routes.changeApp, { params: { id: appId }, body: { rights: [] } }),
  "app removed": ({ office, appId }) => office(routes.removeApp, { params: { id: appId } }),
};

export interface Pair {
  readonly route: Route;
  readonly call: Call;
  readonly ending: string;
  readonly end: Ending;
}

/** Every call beside every ending. */
export const PAIRS: readonly Pair[] = [
  [OPERATORS_CALLS, OPERATORS_ENDINGS] as const,
  [APPS_CALLS, APPS_ENDINGS] as const,
].flatMap(([calls, endings]) =>
  Object.entries(calls).flatMap(([name, call]) =>
    Object.entries(endings).map(([ending, end]) => ({
      ...{ route: routes[name as keyof typeof routes] as Route, call, ending, end },
    })),
  ),
);

/** The names of all calls that are played. */
export const PLAYED: readonly string[] = [...Object.keys(OPERATORS_CALLS), ...Object.keys(APPS_CALLS)];

/** Every call of the contract by which an operator, or an app with the right to accounts, changes something. */
export const actorsRoutes = (): Route[] =>
  Object.values<Route>(routes).filter(
    ({ method, access, right }) => method !== "GET" && (access === "operator" || right === "accounts"),
  );

let stages = 0;

async function prepare(service: TestService): Promise<Stage & { readonly token: string }> {
  const number = (stages += 1);
  const office = service.as(await service.operator());
  const email = `operator${number}@brina.example`;
  const { id: operatorId } = await service.register(email);
  await office(routes.changeAccount, { params: { id: operatorId }, body: { labels: ["operator"] } });
  const token = await service.signIn(email);
  const { body: shown } = await service.as(token)(routes.showSession);
  const target = await service.register(`target${number}@brina.example`);
  await enrolAuthenticator(service, target.token);
  const addition = { redirectUris: ["http://localhost:1/in"], rights: ["accounts" as const] };
  const { body: loops } = await office(routes.addApp, { body: { name: `Loops ${number}`, ...addition } });
  await office(routes.addAppKey, { params: { id: loops.app.id } });
  const { body: other } = await office(routes.addApp, { body: { name: `Target ${number}`, ...addition } });
  const { body: twoKeys } = await office(routes.addAppKey, { params: { id: other.app.id } });
  return {
    ...{ office, operatorId, token, targetId: target.id },
    sessionId: shown.session.id,
    appId: loops.app.id,
    keyId: loops.app.keys[0]?.id ?? "",
    authorization: `Basic ${Buffer.from(`${loops.app.clientId}:${loops.key}`).toString("base64")}`,
    targetApp: other.app.id,
    targetKey: twoKeys.app.keys[0]?.id ?? "",
  };
}

/** What stands in the journal under the name of who loops; whatever is left of what they changed is looked at beside it. */
async function snapshot({ dataSource }: TestService, { operatorId, appId }: Stage): Promise<unknown> {
  const rows = await dataSource.query(
    `SELECT kind, COUNT(*) AS n FROM journal_entry WHERE outcome <> 'refused'
     AND (actorId = ? OR appId = ? AND actorId IS NULL) GROUP BY kind ORDER BY kind`,
    [operatorId, appId],
  );
  const tables = await dataSource.query(
    "SELECT (SELECT COUNT(*) FROM account) AS accounts, (SELECT COUNT(*) FROM app) AS apps, (SELECT COUNT(*) FROM app_key) AS appKeys",
  );
  return JSON.parse(JSON.stringify({ rows, tables }));
}

/** Calls at once, as somebody who is about to lose their right would make them. */
const LOOPS = 3;

/** Makes a call in loops while something ends who makes it. @returns as of `race` in `ended-sessions.ts`. */
export async function raceActor(service: TestService, { route, call, end }: Pair) {
  const stage = await prepare(service);
  let isOver = false;
  let after = 0;
  const statuses = new Set<number>();
  const authorization = route.access === "operator" ? `Bearer ${stage.token}` : stage.authorization;
  const loop = async (): Promise<void> => {
    for (let left = 3; left > 0; left -= isOver ? 1 : 0) {
      const { params = {}, body } = call(stage);
      const path = route.path.replace(/:(\w+)/g, (_all, name: string) => params[name] ?? "");
      const began = isOver;
      const reply = await send(service, route.method, path, {
        headers: { authorization, ...(body === undefined ? {} : { "content-type": "application/json" }) },
        body: body === undefined ? null : JSON.stringify(body),
      });
      if (!began) continue;
      after += 1;
      statuses.add(reply.status);
    }
  };
  const loops = Array.from({ length: LOOPS }, loop);
  const atReply = await end(stage)
    .then(() => snapshot(service, stage))
    .finally(() => {
      isOver = true;
    });
  await Promise.all(loops);
  return { atReply, afterwards: await snapshot(service, stage), after, statuses: [...statuses] };
}
