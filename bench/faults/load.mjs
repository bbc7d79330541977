/**
 * A steady mixed load: registrations, sign-ins, second factors, links asked for, checks and sign-outs, so many a second, whatever comes back. Each
 * request goes to one instance, and to another one where nobody listens, as a proxy does.
 */
import { Agent, request } from "node:http";
import { performance } from "node:perf_hooks";
import { setTimeout as pause } from "node:timers/promises";
import { readKeyUri, totp } from "../../core/dist/index.js";
import { PASSWORD } from "./stage.mjs";

/** One request. @returns status, body, milliseconds; status 0: it was taken, and not answered. */
function send(agent, url, { method = "GET", path, body, headers = {} }) {
  return new Promise((resolve) => {
    const began = performance.now();
    const text = body === undefined ? undefined : typeof body === "string" ? body : JSON.stringify(body);
    const sent = request(
      url + path,
      {
        agent,
        method,
        headers: {
          ...(text === undefined
            ? {}
            : { "content-type": "application/json", "content-length": Buffer.byteLength(text) }),
          ...headers,
        },
      },
      (response) => {
        let received = "";
        response.on("data", (chunk) => (received += chunk));
        const end = (status) =>
          resolve({ status, text: received, took: performance.now() - began, ended: performance.now() });
        response.on("end", () => end(response.complete ? response.statusCode : 0));
        response.on("error", () => end(0));
      },
    );
    sent.on("error", (error) =>
      resolve({
        status: 0,
        error: error.code ?? error.message,
        text: "",
        took: performance.now() - began,
        ended: performance.now(),
      }),
    );
    sent.end(text);
  });
}

/** Milliseconds after which an authenticator app shows another code for certain. */
const CODE_AGE = 61_000;
const withPassword = (identifier) => ({
  proof: { type: "password", identifier, password: PASSWORD },
  deliver: "token",
});
const bearer = (token) => ({ authorization: `Bearer ${token}` });

/** Begins. @param rate requests begun each second. @returns the list of all answers, and how it is ended. */
export function beginLoad(urls, { rate, authorization }) {
  const agent = new Agent({ keepAlive: true, maxSockets: 400 });
  const answers = [];
  const people = [];
  const tokens = [];
  /** Those with an authenticator app, the one that used a code longest ago first. */
  const carriers = [];
  let isOver = false;
  let turn = 0;
  const underWay = new Set();

  async function ask(what, call) {
    const began = performance.now();
    // A request that nobody took is taken elsewhere; one that was taken and not answered is lost.
    for (let tried = 0; ; tried += 1) {
      const url = urls[(turn += 1) % urls.length];
      const reply = await send(agent, url, call);
      const isUntaken = reply.error === "ECONNREFUSED";
      if (isUntaken && tried < 5) continue;
      answers.push({ what, ...reply, began, took: performance.now() - began });
      return reply;
    }
  }

  async function enrol() {
    const email = `keeper${Math.random().toString(36).slice(2)}@brina.example`;
    await ask("register", { method: "POST", path: "/v1/accounts", body: { email, password: PASSWORD } });
    const signIn = await ask("sign-in", { method: "POST", path: "/v1/sign-in", body: withPassword(email) });
    if (signIn.status !== 201) return;
    const headers = bearer(JSON.parse(signIn.text).token);
    const begun = await ask("enrol", { method: "POST", path: "/v1/account/totp", body: {}, headers });
    if (begun.status !== 201) return;
    const { id, uri } = JSON.parse(begun.text);
    const { secret, settings } = readKeyUri(uri);
    const code = () => totp(secret, new Date(), settings);
    const path = `/v1/account/totp/${id}/activate`;
    const active = await ask("enrol", { method: "POST", path, body: { code: code() }, headers });
    if (active.status === 200) carriers.push({ email, code, usedAt: Date.now() });
  }

  const kinds = {
    async register() {
      const email = `guest${people.length}-${Math.random().toString(36).slice(2)}@brina.example`;
      const reply = await ask("register", {
        method: "POST",
        path: "/v1/accounts",
        body: { email, password: PASSWORD },
      });
      if (reply.status === 201 || reply.status === 202) people.push(email);
    },
    async signIn() {
      const identifier = people[Math.floor(Math.random() * people.length)];
      if (identifier === undefined) return kinds.register();
      const body = withPassword(identifier);
      const reply = await ask("sign-in", { method: "POST", path: "/v1/sign-in", body });
      if (reply.status === 201) tokens.push(JSON.parse(reply.text).token);
    },
    /** Somebody whose last code is old enough shows the next one; if there is nobody, somebody sets an app up. */
    async secondFactor() {
      const [first] = carriers;
      if (first === undefined || Date.now() - first.usedAt < CODE_AGE) return enrol();
      carriers.shift();
      const signIn = await ask("sign-in", {
        method: "POST",
        path: "/v1/sign-in",
        body: withPassword(first.email),
      });
      if (signIn.status !== 202) return void carriers.push(first);
      const shown = { proof: { type: "totp", code: first.code() } };
      first.usedAt = Date.now();
      const headers = bearer(JSON.parse(signIn.text).token);
      const reply = await ask("second-factor", {
        method: "POST",
        path: "/v1/sign-in/proof",
        body: shown,
        headers,
      });
      if (reply.status === 201) tokens.push(JSON.parse(reply.text).token);
      carriers.push(first);
    },
    async link() {
      const identifier = people[Math.floor(Math.random() * people.length)] ?? "nobody@brina.example";
      await ask("link", { method: "POST", path: "/v1/mail-links", body: { purpose: "reset", identifier } });
    },
    async check() {
      const body = { tokens: [`lck_${"A".repeat(43)}`, `lck_${"B".repeat(43)}`] };
      await ask("check", { method: "POST", path: "/v1/checks", body, headers: { authorization } });
    },
    async session() {
      const token = tokens[Math.floor(Math.random() * tokens.length)];
      if (token !== undefined)
        await ask("session", { path: "/v1/session", headers: { authorization: `Bearer ${token}` } });
    },
    async signOut() {
      const token = tokens.length > 20 ? tokens.shift() : undefined;
      if (token !== undefined)
        await ask("sign-out", {
          method: "DELETE",
          path: "/v1/session",
          headers: { authorization: `Bearer ${token}` },
        });
    },
    page: () => ask("page", { path: "/sign-in" }),
    alive: () => ask("healthz", { path: "/healthz" }),
  };
  const mix = [
    "check",
    "check",
    "check",
    "check",
    "session",
    "session",
    "signIn",
    "secondFactor",
    "link",
    "register",
    "signOut",
    "page",
    "alive",
  ];

  const beginning = (async () => {
    for (let number = 0; !isOver; number += 1) {
      const one = kinds[mix[number % mix.length]]().finally(() => underWay.delete(one));
      underWay.add(one);
      await pause(1_000 / rate);
    }
  })();
  return {
    answers,
    /** Whose registration was answered. */
    people: () => people,
    /** Ends it, and waits for what is under way. */
    async end() {
      isOver = true;
      await beginning;
      await Promise.all(underWay);
      agent.destroy();
      return answers;
    },
  };
}

/** How many of each status there were, in words. */
export function inWords(answers) {
  const counts = new Map();
  for (const { status } of answers) counts.set(status, (counts.get(status) ?? 0) + 1);
  return [...counts]
    .sort(([left], [right]) => left - right)
    .map(([status, count]) => `${count} × ${status === 0 ? "no answer" : status}`)
    .join(", ");
}

export const longestOf = (answers) => Math.max(0, ...answers.map(({ took }) => took));
