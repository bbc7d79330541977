/** The desk of the huts: pages with forms of their own, for those who keep their pages. No redirect leaves this application. */
import type { BeforeVisitor } from "@lucchetto/hasp/forms";
import { codeProofOf, ownForms, ProblemError, routes } from "@lucchetto/hasp/forms";
import escapeHtml from "escape-html";
import type { FastifyInstance, FastifyReply, FastifyRequest } from "fastify";

/** Shows a page of the application. */
export type Show = (
  request: FastifyRequest,
  reply: FastifyReply,
  page: { title: string; here: string; body: string; lang?: "en" },
) => FastifyReply;

const TOKEN = "brina-desk";
const DEVICE = "brina-desk-device";
/** A sign-in in progress. */
const PENDING = "brina-desk-sign-in";
const LONG = 400 * 24 * 3_600;

interface Typed {
  readonly form?: string;
  readonly identifier?: string;
  readonly displayName?: string;
  readonly password?: string;
  readonly code?: string;
}

/** `/desk`: signs in, registers and signs out with forms of the application. */
export function addDesk(
  app: FastifyInstance,
  { service, appKey, show }: { service: string; appKey: string; show: Show },
): void {
  const forms = ownForms({ service, appKey });
  const before = (request: FastifyRequest, token = TOKEN): BeforeVisitor =>
    forms.before({
      address: request.ip,
      userAgent: request.headers["user-agent"],
      device: cookie(request, DEVICE),
      token: cookie(request, token),
    });

  app.get("/desk", { preHandler: app.hasp.open() }, async (request, reply) => {
    const who = await whoIsThere(request);
    return show(request, reply, {
      title: "The desk",
      here: "/desk",
      lang: "en",
      body: who === null ? guestForms({}) : welcome(who),
    });
  });

  app.post<{ Body: Typed }>("/desk", { preHandler: app.hasp.open() }, async (request, reply) => {
    if (!isOwnPage(request)) return reply.status(403).send("Only the pages of the desk may send this.");
    const typed = request.body;
    const visitor = before(request, typed.form === "code" ? PENDING : TOKEN);
    try {
      if (typed.form === "sign-out") {
        if (cookie(request, TOKEN) !== undefined) await visitor.call(routes.signOut);
        return await setCookie(reply, TOKEN, "", 0).redirect("/desk", 303);
      }
      const { body } = await send(visitor, typed);
      const device = visitor.newDevice();
      if (device !== undefined) setCookie(reply, DEVICE, device, LONG);
      if (body.outcome === "proof-wanted" && body.wanted.includes("totp")) {
        if (body.token !== undefined) setCookie(reply, PENDING, body.token);
        return await show(request, reply, page(codeForm("")));
      }
      if (body.outcome !== "signed-in") {
        const text =
          body.outcome === "check-mail"
            ? "Check your mail: a link is on its way. Open it, then sign in here."
            : "Something more is asked of this account, which the desk has no form for. Sign in above, in the bar.";
        return show(request, reply, page(guestForms({ typed, problem: text })));
      }
      setCookie(reply, PENDING, "", 0);
      return await setCookie(reply, TOKEN, body.token ?? "").redirect("/desk", 303);
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      // A session that ended elsewhere is no trouble when somebody signs out.
      if (typed.form === "sign-out") return setCookie(reply, TOKEN, "", 0).redirect("/desk", 303);
      const { status, detail, errors = [] } = error.problem;
      const problem = errors.length === 0 ? detail : errors.map(({ message }) => message).join(" ");
      // With the sign-in over there is nothing to type a code for.
      if (typed.form === "code" && error.problem.code !== "sign-in-lapsed")
        return show(request, reply.status(status), page(codeForm(problem)));
      return show(request, reply.status(status), page(guestForms({ typed, problem })));
    }
  });

  async function whoIsThere(request: FastifyRequest): Promise<{ name: string; since: string } | null> {
    if (cookie(request, TOKEN) === undefined) return null;
    try {
      const { account, session } = (await before(request).call(routes.showSession)).body;
      const name = account.displayName ?? account.username ?? account.email ?? "member";
      return { name, since: session.authTime };
    } catch (error) {
      if (error instanceof ProblemError) return null;
      throw error;
    }
  }
}

const page = (body: string) => ({ title: "The desk", here: "/desk", lang: "en" as const, body });

function send(visitor: BeforeVisitor, typed: Typed) {
  if (typed.form === "register") return register(visitor, typed);
  return typed.form === "code" ? showCode(visitor, typed) : signIn(visitor, typed);
}

/** The second factor: a code of an authenticator app, or a recovery code. */
function showCode({ call }: BeforeVisitor, { code = "" }: Typed) {
  return call(routes.addProof, { body: { proof: codeProofOf(code) } });
}

function signIn({ call }: BeforeVisitor, { identifier = "", password = "" }: Typed) {
  return call(routes.signIn, { body: { proof: { type: "password", identifier, password } } });
}

function register({ call }: BeforeVisitor, { identifier = "", displayName = "", password = "" }: Typed) {
  const name = displayName === "" ? {} : { displayName };
  return call(routes.register, { body: { email: identifier, ...name, password } });
}

function welcome({ name, since }: { name: string; since: string }): string {
  return `<p>Good day, <strong>${escapeHtml(name)}</strong>. You signed in with the desk's own form at ${escapeHtml(since.slice(11, 16))} (UTC).</p>
<form method="post" action="/desk"><input type="hidden" name="form" value="sign-out"><button class="button">Leave the desk</button></form>`;
}

function codeForm(problem: string): string {
  const said = problem === "" ? "" : `<p class="message" role="alert">${escapeHtml(problem)}</p>`;
  return `<p>The password is right; this account asks for a second proof.</p>
<div class="forms"><form method="post" action="/desk"><h2>One more thing</h2>${said}<input type="hidden" name="form" value="code">
<label>Code of your authenticator app, or a recovery code<input name="code" autocomplete="one-time-code" required></label>
<button class="button">Go on</button></form></div>`;
}

function guestForms({ typed = {}, problem = "" }: { typed?: Typed; problem?: string }): string {
  const { form = "", identifier = "", displayName = "" } = typed;
  const said = (which: string) =>
    (form === which || (form === "code" && which === "sign-in")) && problem !== ""
      ? `<p class="message" role="alert">${escapeHtml(problem)}</p>`
      : "";
  const value = (which: string, text: string) => (form === which ? escapeHtml(text) : "");
  return `<p>These forms are the application's own. Its server hands what is typed to Lucchetto.</p>
<div class="forms">
<form method="post" action="/desk"><h2>Sign in</h2>${said("sign-in")}<input type="hidden" name="form" value="sign-in">
<label>Address or username<input name="identifier" autocomplete="username" required value="${value("sign-in", identifier)}"></label>
<label>Password<input name="password" type="password" autocomplete="current-password" required></label>
<button class="button">Sign in at the desk</button></form>
<form method="post" action="/desk"><h2>Register</h2>${said("register")}<input type="hidden" name="form" value="register">
<label>E-mail address<input name="identifier" type="email" autocomplete="email" required value="${value("register", identifier)}"></label>
<label>Name<input name="displayName" autocomplete="name" value="${value("register", displayName)}"></label>
<label>Password<input name="password" type="password" autocomplete="new-password" required></label>
<button class="button">Register at the desk</button></form>
</div>`;
}

/** Nobody is signed in by a form of another site. */
function isOwnPage({ headers, protocol, host }: FastifyRequest): boolean {
  if (headers.origin !== undefined) return headers.origin === `${protocol}://${host}`;
  const { "sec-fetch-site": site } = headers;
  return site === undefined || site === "same-origin";
}

function cookie({ headers }: FastifyRequest, name: string): string | undefined {
  return new RegExp(`(?:^|; )${name}=([\\w-]+)`).exec(headers.cookie ?? "")?.[1];
}

function setCookie(reply: FastifyReply, name: string, value: string, maxAge?: number): FastifyReply {
  const life = maxAge === undefined ? "" : `; Max-Age=${maxAge}`;
  return reply.header("set-cookie", `${name}=${value}; Path=/; HttpOnly; SameSite=Lax${life}`);
}
