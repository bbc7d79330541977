/** An application with accounts of its own, which can be told to make every mistake that a rehearsal finds. */
import { randomBytes } from "node:crypto";
import type { IncomingMessage, ServerResponse } from "node:http";
import { createServer } from "node:http";
import type { AddressInfo } from "node:net";

/** Mistakes, each of which somebody makes. */
export type Fault =
  | "open-to-all"
  | "api-open"
  | "leads-anywhere"
  | "silent"
  | "takes-short-passwords"
  | "forgets-the-page"
  | "cookie-for-scripts"
  | "may-be-kept"
  | "signs-out-by-link"
  | "never-asks-again"
  | "session-lives-on"
  | "tells-names"
  | "keeps-the-token"
  | "never-answers"
  | "leads-in-circles"
  | "streams-for-ever";

const COOKIE = "sid";

export interface FaultyApp {
  readonly url: string;
  stop(): Promise<void>;
}

export async function startFaultyApp(faults: readonly Fault[]): Promise<FaultyApp> {
  const has = (fault: Fault): boolean => faults.includes(fault);
  const people = new Map<string, string>();
  /** Who a token belongs to; `null`: a guest. */
  const sessions = new Map<string, string | null>();

  async function answer(request: IncomingMessage, response: ServerResponse): Promise<void> {
    const url = new URL(request.url ?? "/", "http://localhost");
    const token = new RegExp(`${COOKIE}=([^;]+)`).exec(request.headers.cookie ?? "")?.[1] ?? "";
    const who = sessions.get(token) ?? null;
    const form = await readForm(request);
    const give = (fresh: string): void => {
      const script = has("cookie-for-scripts") ? "" : "; HttpOnly";
      response.setHeader("set-cookie", `${COOKIE}=${fresh}; Path=/; SameSite=Lax${script}`);
    };
    const go = (to: string): void => void response.writeHead(303, { location: to }).end();
    const page = (status: number, body: string, headers = {}): void =>
      void response
        .writeHead(status, { "content-type": "text/html; charset=utf-8", ...headers })
        .end(`<!doctype html><title>Hut book</title><body><p>The hut book</p>${body}</body>`);
    const enter = (name: string, next: string): void => {
      const fresh = has("keeps-the-token") && token !== "" ? token : randomBytes(16).toString("hex");
      sessions.set(fresh, name);
      give(fresh);
      go(has("forgets-the-page") || !next.startsWith("/") ? "/" : next);
    };
    const fields = (current: string, next: string): string =>
      `<input type="hidden" name="next" value="${next}"><label>Mail <input name="email" autocomplete="username"></label>` +
      `<label>Password <input type="password" name="password" autocomplete="${current}"></label><button>Go on</button></form>`;
    const next = form.get("next") ?? url.searchParams.get("next") ?? "/";
    const entrance = (problem = ""): string =>
      `${problem === "" ? "" : `<p role="alert">${problem}</p>`}<form method="post" action="/enter">${fields("current-password", next)}` +
      `<a href="/join?next=${next}">Register</a>`;
    const joining = (problem = ""): string =>
      `${problem === "" ? "" : `<p role="alert">${problem}</p>`}<form method="post" action="/join">${fields("new-password", next)}`;

    if (url.pathname === "/") {
      if (token === "" && has("keeps-the-token")) {
        const guest = randomBytes(16).toString("hex");
        sessions.set(guest, null);
        give(guest);
      }
      return page(200, "<p>Open to all.</p>");
    }
    if (url.pathname === "/circle") return go("/circle");
    if (url.pathname === "/away") return go(url.searchParams.get("to") ?? "/");
    if (url.pathname === "/api") return page(who !== null || has("api-open") ? 200 : 401, "");
    if (url.pathname === "/members") {
      if (has("never-answers")) return;
      if (has("leads-in-circles")) return go("/circle");
      if (has("streams-for-ever")) {
        response.writeHead(200, { "content-type": "text/html" });
        const more = setInterval(() => response.write("<p>more</p>"), 20);
        response.once("close", () => clearInterval(more));
        return;
      }
      const isIn = who !== null || has("open-to-all") || (has("never-asks-again") && token !== "");
      const entranceAt = "/enter?next=/members";
      if (!isIn) return go(has("leads-anywhere") ? `/away?to=${encodeURIComponent(entranceAt)}` : entranceAt);
      const kept = { "cache-control": has("may-be-kept") ? "private, max-age=600" : "no-store" };
      return page(
        200,
        `<p>The ledger of the keepers alone</p>${has("signs-out-by-link") ? '<a href="/leave">Sign out</a>' : '<form method="post" action="/leave"><button>Sign out</button></form>'}`,
        kept,
      );
    }
    if (url.pathname === "/enter" && request.method !== "POST") return page(200, entrance());
    if (url.pathname === "/enter") {
      const [name, password] = [form.get("email") ?? "", form.get("password")];
      if (people.get(name) === password) return enter(name, next);
      const told = people.has(name) ? "The password is wrong." : "There is nobody of this name.";
      return page(401, entrance(has("tells-names") ? told : "Name and password do not fit."));
    }
    if (url.pathname === "/join" && request.method !== "POST") return page(200, joining());
    if (url.pathname === "/join") {
      const [name, password] = [form.get("email") ?? "", form.get("password") ?? ""];
      if (password.length < 12 && !has("takes-short-passwords"))
        return page(422, joining(has("silent") ? "" : "Use at least 12 letters."));
      people.set(name, password);
      return enter(name, next);
    }
    if (url.pathname === "/leave" && (request.method === "POST" || has("signs-out-by-link"))) {
      if (!has("session-lives-on")) sessions.delete(token);
      if (!has("never-asks-again")) response.setHeader("set-cookie", `${COOKIE}=; Path=/; Max-Age=0`);
      return go("/");
    }
    return page(404, "");
  }

  const server = createServer((request, response) => void answer(request, response));
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
  const { port } = server.address() as AddressInfo;
  return {
    url: `http://localhost:${port}`,
    stop: () =>
      new Promise((resolve) => {
        server.close(() => resolve());
        server.closeAllConnections();
      }),
  };
}

async function readForm(request: IncomingMessage): Promise<URLSearchParams> {
  let text = "";
  for await (const chunk of request) text += String(chunk);
  return new URLSearchParams(text);
}
