/**
 * What somebody holds who is not signed in is over with what ends it: a sign-in that waits for its second factor, the password itself, a
 * mailed link. Each is shown in loops beside every ending that the table of recovery rules has for it.
 */
import type { Ending, RecoveryEvent } from "@lucchetto/core";
import { RECOVERY_RULES } from "@lucchetto/core";
import type { TestService } from "../../testing/service.ts";
import { PASSWORD, send } from "../../testing/service.ts";
import { mailTo, secretOf, Visitor } from "../../testing/visitor.ts";
import type { Person } from "./ended-sessions.ts";
import { ENDINGS, snapshot, somebody } from "./ended-sessions.ts";

interface Shown {
  readonly path: string;
  readonly body: object;
  readonly token?: string;
}

/** Makes what is held, and shows it over and over. */
type Holding = (service: TestService, person: Person) => Promise<() => Shown>;

const password = (identifier: string, typed = PASSWORD) => ({
  path: "/v1/sign-in",
  body: { proof: { type: "password", identifier, password: typed }, deliver: "token" },
});

/** The token of a sign-in that waits. */
async function begin(service: TestService, { email }: Person): Promise<string> {
  const { path, body } = password(email);
  const begun = await post(service, { path, body });
  if (begun.status !== 202) throw new Error(`no sign-in waits: ${begun.text}`);
  return begun.json<{ token: string }>().token;
}

const post = (service: TestService, { path, body, token }: Shown) =>
  send(service, "POST", path, {
    headers: {
      "content-type": "application/json",
      ...(token === undefined ? {} : { authorization: `Bearer ${token}` }),
    },
    body: JSON.stringify(body),
  });

let made = 0;

/** What is held, by the part of the table that ends it. */
export const HOLDINGS: Readonly<
  Record<string, { readonly endsAs: "sign-ins" | "links" | "password"; readonly hold: Holding }>
> = {
  "a sign-in that waits, with a code": {
    endsAs: "sign-ins",
    async hold(service, person) {
      const token = await begin(service, person);
      return () => ({
        path: "/v1/sign-in/proof",
        body: { proof: { type: "totp", code: person.code(1) } },
        token,
      });
    },
  },
  "a sign-in that waits, with recovery codes": {
    endsAs: "sign-ins",
    async hold(service, person) {
      const token = await begin(service, person);
      const codes = person.recoveryCodes;
      return () => ({
        path: "/v1/sign-in/proof",
        body: { proof: { type: "recovery-code", code: codes[(made += 1) % codes.length] } },
        token,
      });
    },
  },
  "a link for a new password": {
    endsAs: "links",
    async hold(service, { email }) {
      const known = new Set((await mailsSoFar(service, email)).map(({ id }) => id));
      await new Visitor(service).post("/v1/mail-links", { purpose: "reset", identifier: email });
      const secret = secretOf(await mailTo(service, email, "reset", known));
      return () => ({
        path: "/v1/mail-links/redeem",
        body: { secret, password: `somebody's password ${(made += 1)}` },
      });
    },
  },
  "the password": {
    endsAs: "password",
    hold: (_service, { email }) => Promise.resolve(() => password(email)),
  },
};

const mailsSoFar = async ({ dataSource }: TestService, email: string) =>
  dataSource.query<Array<{ id: string }>>("SELECT id FROM mail WHERE toAddress = ?", [email]);

/** The table's event of an ending; `null`: nothing of the account is open any more. */
const EVENT_OF: Readonly<Record<string, RecoveryEvent | null>> = {
  reset: "password-reset",
  undo: "factor-undone",
  suspend: null,
  erased: null,
  "must-change": "password-wanted",
  "factor removed by an operator": "factor-removed-by-operator",
  closed: null,
  "password changed": "password-changed",
};
/** Endings after which the password that stood opens nothing. */
const REPLACES_PASSWORD = new Set(["reset", "undo", "password changed"]);

/** A reset ends the link and the session by which these would be made. */
const ENDED_BY_A_LINK = new Set(["reset", "closed"]);

/** Every holding beside every ending that is one for it. */
export const PROOF_PAIRS: ReadonlyArray<readonly [holding: string, ending: string]> = Object.entries(
  HOLDINGS,
).flatMap(([holding, { endsAs }]) =>
  Object.entries(EVENT_OF)
    .filter(([ending]) => endsAs !== "links" || !ENDED_BY_A_LINK.has(ending))
    .filter(([ending, event]) =>
      event === null
        ? true
        : endsAs === "password"
          ? REPLACES_PASSWORD.has(ending)
          : (RECOVERY_RULES[event].ends as readonly Ending[]).includes(endsAs),
    )
    .map(([ending]) => [holding, ending] as const),
);

const LOOPS = 3;

/** What is shown, in loops while something ends it. @returns as `race` in `ended-sessions.ts`. */
export async function raceProof(service: TestService, [holding, ending]: (typeof PROOF_PAIRS)[number]) {
  const person = await somebody(service);
  const show = (await HOLDINGS[holding]?.hold(service, person)) ?? (() => password(person.email));
  const look = async () => {
    const [waiting] = await service.dataSource.query(
      "SELECT COUNT(*) AS n FROM sign_in WHERE accountId = ? AND endedAt IS NULL",
      [person.id],
    );
    return JSON.parse(JSON.stringify({ all: await snapshot(service, person.id), waiting }));
  };
  let isOver = false;
  let after = 0;
  const statuses = new Set<number>();
  const loop = async (): Promise<void> => {
    for (let left = 3; left > 0; left -= isOver ? 1 : 0) {
      const began = isOver;
      const { status } = await post(service, show());
      if (!began) continue;
      after += 1;
      statuses.add(status);
    }
  };
  const loops = Array.from({ length: LOOPS }, loop);
  const atReply = await (ENDINGS[ending] as (typeof ENDINGS)[string])(service, person)
    .then(look)
    .finally(() => {
      isOver = true;
    });
  await Promise.all(loops);
  return { atReply, afterwards: await look(), after, statuses: [...statuses] };
}
