/** Asks Lucchetto, with the app key: exchanges codes, looks check tokens up, revokes them. */
import type { ActiveIntrospection } from "@lucchetto/contract/apps";
import {
  introspection,
  OAUTH_PATHS,
  problem as problemShape,
  readReply,
  routes,
  tokenReply,
} from "@lucchetto/contract/apps";
import type { output, ZodType } from "zod";
import { createAccounts } from "./accounts.ts";
import { authorizationOf } from "./app-key.ts";
import type { Checked } from "./checks.ts";
import { joinChecks, readChecks } from "./checks.ts";
import { CHECK_TOKEN } from "./cookies.ts";
import type { HaspSettings } from "./options.ts";
import type { Received, Sent } from "./send.ts";
import { createSender } from "./send.ts";
import type { Lucchetto } from "./service.ts";
import { LucchettoNotSetUp, LucchettoRefused, LucchettoUnreachable } from "./service.ts";

/** What a password that came as HTTP Basic may be answered with. */
const REFUSALS = [
  "sign-in-refused",
  "own-password-not-taken",
  "account-suspended",
  "account-closed",
  "email-unverified",
  "throttled",
  "too-busy",
];

/** Sessions asked for at once. */
const MAX_ASKED = 1_000;

/** Milliseconds until a service that lacks the call for many is tried with it again. */
const LACKING_FOR = 60_000;

export function createLucchetto(settings: HaspSettings): Lucchetto {
  const send = createSender(settings.callsTo, authorizationOf(settings));
  const check = joinChecks(askTogether, settings.timeout);
  let lacksChecksUntil = 0;
  let isWrongKeySaid = false;

  /** The parsed reply and whether it is a success; a wrong app key is the set-up's fault, not the person's. */
  async function post(
    path: string,
    form: Record<string, string> | string,
    expected: readonly string[] = [],
    timeout = settings.timeout,
  ): Promise<{ ok: boolean; body: unknown }> {
    const isJson = typeof form === "string";
    const { status, text } = await sendOrSay({
      path,
      body: isJson ? form : new URLSearchParams(form).toString(),
      contentType: isJson ? "application/json" : "application/x-www-form-urlencoded",
      timeout,
      isQuestion: path === OAUTH_PATHS.introspect,
    });
    const ok = status >= 200 && status < 300;
    if (status === 401 && !expected.includes(codeOf(text))) throw wrongKey();
    const isExpected = ok || status === 400 || expected.includes(codeOf(text));
    if (!isExpected) throw new LucchettoUnreachable(`${settings.callsTo} answered ${status}`);
    return { ok, body: text === "" ? null : parseJson(text, settings.callsTo) };
  }

  async function sendOrSay(sent: Sent): Promise<Received> {
    try {
      return await send(sent);
    } catch (error) {
      throw new LucchettoUnreachable(`no answer from ${settings.callsTo}; is it running?`, { cause: error });
    }
  }

  /** Said once where the application logs: guests of open pages are let in as guests, and nobody would ever notice. */
  function wrongKey(): LucchettoNotSetUp {
    const text = `${settings.callsTo} does not know the client id "${settings.clientId}" with this app key. Set both as "lucchetto app add" printed them, or make a new key: lucchetto app new-key ${settings.clientId}`;
    if (!isWrongKeySaid) settings.warn(text);
    isWrongKeySaid = true;
    return new LucchettoNotSetUp(text);
  }

  /** A reply that is not what was asked for says nothing about anybody. */
  function read<Schema extends ZodType>(schema: Schema, body: unknown): output<Schema> {
    const reply = readReply(schema, body);
    if (reply === null) throw new LucchettoUnreachable(`${settings.callsTo} answered something unexpected`);
    return reply.value;
  }

  async function ask(
    token: string,
    username: string | undefined,
    timeout = settings.timeout,
  ): Promise<ActiveIntrospection | null> {
    const form = { token, ...(username === undefined ? {} : { username }) };
    const { body } = await post(OAUTH_PATHS.introspect, form, [], timeout);
    const answer = read(introspection, body);
    return answer.active ? answer : null;
  }

  /** Many tokens in one question; a service of before that call is asked about each. */
  async function askTogether(tokens: readonly string[], timeout: number): Promise<readonly Checked[]> {
    const since = performance.now();
    const left = (): number => Math.max(1, timeout - (performance.now() - since));
    const oneByOne = () => Promise.all(tokens.map((token) => ask(token, undefined, left())));
    if (lacksChecksUntil > performance.now()) return oneByOne();
    const { path } = routes.checkTokens;
    const body = JSON.stringify({ tokens });
    const sent = { path, body, contentType: "application/json", timeout, isQuestion: true };
    const { status, text } = await sendOrSay(sent);
    if (status === 401) throw wrongKey();
    if (status === 404 || status === 405) {
      lacksChecksUntil = performance.now() + LACKING_FOR;
      return oneByOne();
    }
    if (status !== 200) throw new LucchettoUnreachable(`${settings.callsTo} answered ${status}`);
    const answers = readChecks(text, tokens.length);
    if (answers === null) throw new LucchettoUnreachable(`${settings.callsTo} answered something unexpected`);
    return answers;
  }

  return {
    accounts: createAccounts(settings),
    async exchangeCode(code, verifier) {
      const { ok, body } = await post(OAUTH_PATHS.token, {
        grant_type: "authorization_code",
        code,
        redirect_uri: settings.returnAddress.href,
        code_verifier: verifier,
      });
      return ok ? read(tokenReply, body).access_token : null;
    },
    introspect: (token, username) =>
      // Only these travel together.
      username === undefined && CHECK_TOKEN.test(token) ? check(token) : ask(token, username),
    async checkBasic(shown) {
      const { path, replies } = routes.checkBasic;
      const { ok, body } = await post(path, JSON.stringify(shown), REFUSALS);
      if (ok) return read(replies[200], body).account;
      const refused = read(problemShape, body);
      // A name or password that can be nobody's is as wrong as any other.
      if (["sign-in-refused", "invalid-fields"].includes(refused.code)) return null;
      throw new LucchettoRefused(refused);
    },
    async revoke(checkToken) {
      await post(OAUTH_PATHS.revoke, { token: checkToken });
    },
    async findLiving(sessionIds) {
      const { path, replies } = routes.findLivingSessions;
      const living = new Set<string>();
      for (let from = 0; from < sessionIds.length; from += MAX_ASKED) {
        const { body } = await post(path, JSON.stringify({ ids: sessionIds.slice(from, from + MAX_ASKED) }));
        for (const id of read(replies[200], body).ids) living.add(id);
      }
      return living;
    },
    async lookUp(wanted) {
      const { path, replies } = routes.lookUpAccounts;
      const { ok, body } = await post(path, JSON.stringify(wanted));
      if (ok) return read(replies[200], body).items;
      // Only what was asked wrongly is the caller's fault.
      throw new RangeError(read(problemShape, body).detail);
    },
  };
}

/** The code of a problem; empty for anything else. */
function codeOf(text: string): string {
  try {
    return problemShape.parse(JSON.parse(text)).code;
  } catch {
    // Not a problem of the contract, such as a proxy's own page.
    return "";
  }
}

function parseJson(text: string, service: string): unknown {
  try {
    return JSON.parse(text);
  } catch (error) {
    throw new LucchettoUnreachable(`${service} answered something that is not JSON`, { cause: error });
  }
}
