/** Asks Lucchetto, with the app key: exchanges codes, looks check tokens up, revokes them. */
import type { ActiveIntrospection } from "@lucchetto/contract";
import {
  introspection,
  OAUTH_PATHS,
  problem as problemShape,
  readReply,
  routes,
  tokenReply,
} from "@lucchetto/contract";
import type { output, ZodType } from "zod";
import { createAccounts } from "./accounts.ts";
import { authorizationOf } from "./app-key.ts";
import type { HaspSettings } from "./options.ts";
import type { Lucchetto } from "./service.ts";
import { LucchettoRefused, LucchettoUnreachable } from "./service.ts";

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
const MOST_ASKED = 1_000;

export function createLucchetto(settings: HaspSettings): Lucchetto {
  const authorization = authorizationOf(settings);
  const underWay = new Map<string, Promise<ActiveIntrospection | null>>();

  /** The parsed reply and whether it is a success; a wrong app key is the set-up's fault, not the person's. */
  async function post(
    path: string,
    form: Record<string, string> | string,
    expected: readonly string[] = [],
  ): Promise<{ ok: boolean; body: unknown }> {
    const isJson = typeof form === "string";
    let response: Response;
    let text: string;
    try {
      response = await fetch(settings.callsTo + path, {
        method: "POST",
        headers: {
          authorization,
          accept: "application/json",
          ...(isJson ? { "content-type": "application/json" } : {}),
        },
        body: isJson ? form : new URLSearchParams(form),
        redirect: "error",
        signal: AbortSignal.timeout(settings.timeout),
      });
      text = await response.text();
    } catch (error) {
      throw new LucchettoUnreachable(`no answer from ${settings.callsTo}; is it running?`, { cause: error });
    }
    if (response.status === 401 && !expected.includes(codeOf(text))) {
      throw new LucchettoUnreachable(`${settings.callsTo} does not know this client id with this app key`);
    }
    const isExpected = response.ok || response.status === 400 || expected.includes(codeOf(text));
    if (!isExpected) throw new LucchettoUnreachable(`${settings.callsTo} answered ${response.status}`);
    return { ok: response.ok, body: text === "" ? null : parseJson(text, settings.callsTo) };
  }

  /** A reply that is not what was asked for says nothing about anybody. */
  function read<Schema extends ZodType>(schema: Schema, body: unknown): output<Schema> {
    const reply = readReply(schema, body);
    if (reply === null) throw new LucchettoUnreachable(`${settings.callsTo} answered something unexpected`);
    return reply.value;
  }

  async function ask(token: string, username: string | undefined): Promise<ActiveIntrospection | null> {
    const { body } = await post(OAUTH_PATHS.introspect, {
      token,
      ...(username === undefined ? {} : { username }),
    });
    const answer = read(introspection, body);
    return answer.active ? answer : null;
  }

  return {
    accounts: createAccounts(settings),
    async swap(code, verifier) {
      const { ok, body } = await post(OAUTH_PATHS.token, {
        grant_type: "authorization_code",
        code,
        redirect_uri: settings.returnAddress.href,
        code_verifier: verifier,
      });
      return ok ? read(tokenReply, body).access_token : null;
    },
    introspect(token, username) {
      const question = username === undefined ? token : `${token} ${username}`;
      const already = underWay.get(question);
      if (already !== undefined) return already;
      const asked = ask(token, username).finally(() => underWay.delete(question));
      underWay.set(question, asked);
      return asked;
    },
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
      for (let from = 0; from < sessionIds.length; from += MOST_ASKED) {
        const { body } = await post(path, JSON.stringify({ ids: sessionIds.slice(from, from + MOST_ASKED) }));
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
