/** Plays the history against the running service, by real calls under a moved clock. */
import type { AppRight, Client, CreationOptions, RequestOptions } from "@lucchetto/contract";
import { createClient, ProblemError, routes } from "@lucchetto/contract";
import type { SoftwarePasskey } from "../authenticator/software-authenticator.ts";
import { makePasskey, usePasskey } from "../authenticator/software-authenticator.ts";
import type { Happening } from "./history.ts";
import { history } from "./history.ts";

/** The authenticator apps of the made-up people. */
interface Authenticators {
  /** Takes a key URI over. */
  keep(email: string, uri: string): void;
  /** The code of now, by the service's moved clock. */
  code(email: string): Promise<string>;
  /** Keeps somebody's passkey as it is after it was made or used. */
  keepPasskey(email: string, passkey: SoftwarePasskey): void;
  /** Somebody's passkey, if they have one. */
  passkey(email: string): SoftwarePasskey | undefined;
}

interface Loading {
  readonly url: string;
  readonly operator: { readonly email: string; readonly password: string };
  /** Only what happened longer ago than `from` and not longer ago than `to` milliseconds. */
  readonly from: number;
  readonly to: number;
  readonly authenticators: Authenticators;
  readonly progress: (done: number, all: number) => void;
}

/** Milliseconds that lie at most between what people do at one position of the clock. */
const MOMENT = 12 * 3_600_000;
/** People who do something in the same moment. */
const MAX_AT_ONCE = 6;

/**
 * Plays a stretch of the history. What different people did within half a day is done beside each other, at one position
 * of the clock; what one person did stays in its order.
 */
export async function load({ from, to, progress, ...parts }: Loading): Promise<number> {
  const clock = await readClock(parts.url);
  const started = Date.now();
  const happenings = history().filter(({ before }) => before <= from && before > to);
  let done = 0;
  for (const moment of momentsOf(happenings)) {
    await clock.moveTo(started - (moment[0]?.before ?? 0));
    await Promise.all(
      moment.map(async (happening) => {
        await play(parts, happening);
        progress((done += 1), happenings.length);
      }),
    );
  }
  return happenings.length;
}

/** Joins neighbours in time, as long as they are different people. */
function momentsOf(happenings: readonly Happening[]): Happening[][] {
  const moments: Happening[][] = [];
  for (const happening of happenings) {
    const moment = moments.at(-1) ?? [];
    const [first] = moment;
    const joins =
      first !== undefined &&
      moment.length < MAX_AT_ONCE &&
      first.before - happening.before <= MOMENT &&
      moment.every(({ person }) => person !== happening.person);
    if (joins) moment.push(happening);
    else moments.push([happening]);
  }
  return moments;
}

/** The service's clock: this machine's, moved. */
async function readClock(url: string) {
  const client = createClient({ baseUrl: url });
  let { movedBy } = (await client(routes.showClock)).body;
  return {
    async moveTo(time: number): Promise<void> {
      const milliseconds = Math.round(time - (Date.now() + movedBy));
      ({ movedBy } = (await client(routes.advanceClock, { body: { milliseconds } })).body);
    },
  };
}

async function play(
  { url, operator, authenticators }: Omit<Loading, "from" | "to" | "progress">,
  happening: Happening,
): Promise<void> {
  const { person, browser, network, kind } = happening;
  const headers = { "user-agent": browser, "x-forwarded-for": network };
  const client = createClient({ baseUrl: url, headers });
  const identifier = person.email ?? person.username ?? "";
  switch (kind) {
    case "register": {
      const { name: displayName, email, username, password } = person;
      const reply = await client(routes.register, {
        body: { email, username, displayName, password, deliver: "token" },
      });
      if (reply.status === 201) {
        await createClient({ baseUrl: url, headers, token: reply.body.token ?? "" })(routes.signOut);
        if (email !== undefined && person.unproved !== true) await openLink(client, { url, email, password });
        if (person.labels !== undefined)
          await change(url, operator, reply.body.account.id, { labels: [...person.labels] });
      }
      return;
    }
    case "invite": {
      const { name: displayName, email = "", labels = [] } = person;
      const body = { email, displayName, labels: [...labels] };
      await asOperator(url, operator, (office) => office(routes.inviteAccount, { body }));
      return;
    }
    case "sign-in":
    case "enrol":
    case "add-passkey":
    case "stay": {
      const remember = kind === "stay";
      const proof = { type: "password", identifier, password: person.password } as const;
      const as = (token = "") => createClient({ baseUrl: url, headers, token });
      const passkey = authenticators.passkey(identifier);
      const shown =
        passkey === undefined ? proof : await answer(client, url, { passkey, authenticators, identifier });
      let { body } = await client(routes.signIn, { body: { proof: shown, remember, deliver: "token" } });
      if (body.outcome === "proof-wanted" && body.wanted.includes("totp")) {
        const code = await authenticators.code(identifier);
        ({ body } = await as(body.token)(routes.addProof, { body: { proof: { type: "totp", code } } }));
      }
      if (body.outcome !== "signed-in") return;
      const token =
        kind === "enrol"
          ? await enrol(as(body.token), identifier, authenticators)
          : kind === "add-passkey"
            ? await addPasskey(as(body.token), url, { identifier, authenticators })
            : body.token;
      if (kind !== "stay") await as(token)(routes.signOut);
      return;
    }
    case "wrong-password":
    case "unknown-name": {
      const named = kind === "unknown-name" ? `nobody.${identifier}` : identifier;
      const proof = { type: "password", identifier: named, password: "a guess that is wrong" } as const;
      await client(routes.signIn, { body: { proof } }).catch(expectRefusal);
      return;
    }
    case "suspend": {
      const id = await findId(url, operator, identifier);
      await change(url, operator, id, { state: "suspended" });
      return;
    }
    case "must-change": {
      const id = await findId(url, operator, identifier);
      await change(url, operator, id, { mustChangePassword: true });
    }
  }
}

/** Opens the mail that came after registering, and shows the password that was chosen. */
async function openLink(
  client: Client,
  { url, email, password: present }: { url: string; email: string; password: string },
): Promise<void> {
  // The mailbox of development is this machine's, not the visitor's.
  const { body } = await createClient({ baseUrl: url })(routes.listDevelopmentMailbox, {
    query: { limit: 20 },
  });
  const mail = body.items.find(({ to, template }) => to === email && template === "verify");
  const secret = new URL(mail?.links[0] ?? "").hash.slice(1);
  await client(routes.redeemLink, { body: { secret, present } });
}

/** Sets an authenticator app up. @returns the session's new own token. */
async function enrol(
  session: Client,
  email: string,
  authenticators: Authenticators,
): Promise<string | undefined> {
  const { body } = await session(routes.enrolAuthenticator, { body: { name: "Phone" } });
  authenticators.keep(email, body.uri);
  const code = await authenticators.code(email);
  const params = { id: body.id };
  return (await session(routes.activateAuthenticator, { params, body: { code } })).body.token;
}

/** Adds a passkey of the authenticator in software. @returns the session's new own token. */
async function addPasskey(
  session: Client,
  url: string,
  { identifier, authenticators }: { identifier: string; authenticators: Authenticators },
): Promise<string | undefined> {
  const { body: begun } = await session(routes.beginPasskey, { body: { purpose: "enrol" } });
  const made = makePasskey(begun.options as CreationOptions, { origin: new URL(url).origin });
  const { challengeId } = begun;
  const { body } = await session(routes.addPasskey, { body: { challengeId, credential: made.credential } });
  authenticators.keepPasskey(identifier, made.passkey);
  return body.token;
}

/** Signs with somebody's passkey. */
async function answer(
  client: Client,
  url: string,
  {
    passkey,
    identifier,
    authenticators,
  }: { passkey: SoftwarePasskey; identifier: string; authenticators: Authenticators },
) {
  const { body: begun } = await client(routes.beginPasskey, { body: { purpose: "sign-in" } });
  const used = usePasskey(passkey, begun.options as RequestOptions, { origin: new URL(url).origin });
  authenticators.keepPasskey(identifier, used.passkey);
  return { type: "passkey", challengeId: begun.challengeId, credential: used.credential } as const;
}

function expectRefusal(error: unknown): void {
  if (!(error instanceof ProblemError)) throw error;
}

/** What the office does, one after the other: it is one account, whose tries at one moment are few. */
let officeIsDone: Promise<unknown> = Promise.resolve();

function asOperator<Result>(
  url: string,
  operator: Loading["operator"],
  work: (client: Client) => Promise<Result>,
): Promise<Result> {
  const done = officeIsDone.then(() => signInForWork(url, operator, work));
  // Whoever asked for the work gets the failure; the next one begins all the same.
  officeIsDone = done.catch(() => undefined);
  return done;
}

/** The office signs in for what it does, and out again. */
async function signInForWork<Result>(
  url: string,
  { email, password }: Loading["operator"],
  work: (client: Client) => Promise<Result>,
): Promise<Result> {
  const proof = { type: "password", identifier: email, password } as const;
  const { body } = await createClient({ baseUrl: url })(routes.signIn, { body: { proof, deliver: "token" } });
  const client = createClient({ baseUrl: url, token: body.token ?? "" });
  try {
    return await work(client);
  } finally {
    await client(routes.signOut);
  }
}

async function change(
  url: string,
  operator: Loading["operator"],
  id: string,
  body: { labels?: string[]; state?: "suspended"; mustChangePassword?: boolean },
): Promise<void> {
  await asOperator(url, operator, (client) => client(routes.changeAccount, { params: { id }, body }));
}

async function findId(url: string, operator: Loading["operator"], search: string): Promise<string> {
  return asOperator(url, operator, async (client) => {
    const { body } = await client(routes.listAccounts, { query: { search } });
    const [account] = body.items;
    if (account === undefined) throw new Error(`${search} is not there`);
    return account.id;
  });
}

/** The desk's page for mailed links that were asked for there; invitations lead to Lucchetto's own. */
export function deskLinks(home: string) {
  const address = new URL("/desk/link", home).href;
  const purposes = [
    "reset",
    "verify",
    "sign-in",
    "change-email",
    "undo-change",
    "undo-factor",
    "undo-erase",
  ] as const;
  return Object.fromEntries(purposes.map((purpose) => [purpose, address]));
}

/** Registers the sample application. @returns client id and key. */
export async function registerApp(
  url: string,
  operator: Loading["operator"],
  app: {
    name: string;
    clientId: string;
    redirectUri: string;
    signedOutUri: string;
    ownForms?: boolean;
    basicPasswords?: boolean;
    rights?: AppRight[];
  },
): Promise<{ clientId: string; key: string }> {
  return asOperator(url, operator, async (client) => {
    const { redirectUri, signedOutUri, ...named } = app;
    const home = new URL("/", redirectUri).href;
    const initiateLoginUri = new URL("/sign-in", redirectUri).href;
    const addresses = { redirectUris: [redirectUri], signedOutUris: [signedOutUri], home, initiateLoginUri };
    const links = app.ownForms === true ? { linkAddresses: deskLinks(home) } : {};
    const body = { ...named, ...addresses, ...links };
    const reply = await client(routes.addApp, { body });
    return { clientId: reply.body.app.clientId, key: reply.body.key };
  });
}
