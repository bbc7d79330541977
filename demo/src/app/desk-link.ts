/** Where mailed links lead that were asked for at the desk. The secret stands in the fragment: no server's log ever has it. */
import type { VisitorAtForm } from "@lucchetto/hasp";
import { ProblemError, routes } from "@lucchetto/hasp/forms";
import type { FastifyInstance, FastifyReply, FastifyRequest } from "fastify";
import { linkForm, openingLink, saved } from "./desk-forms.ts";
import type { Show } from "./desk.ts";
import { goOn } from "./desk.ts";

/** Takes the secret out of the address bar and sends it on in the body of a form. */
const SCRIPT = `const form = document.querySelector("form.opening");
const secret = location.hash.slice(1);
history.replaceState(null, "", location.pathname);
if (form !== null && secret !== "") {
  form.elements.secret.value = secret;
  form.submit();
}
addEventListener("hashchange", () => location.reload());
`;

interface Typed {
  readonly secret?: string;
  /** Set once it was shown what the link would do. */
  readonly uses?: string;
  readonly password?: string;
  readonly present?: string;
}

const DONE: Readonly<Record<string, string>> = {
  "password-set": "Your new password is saved. Sign in with it.",
  "email-verified": "Your address is confirmed. Sign in.",
  "invitation-accepted": "Welcome. Sign in with your new password.",
  "email-changed": "Your new address is in use.",
  "change-undone": "Your account is as it was before. Sign in again.",
  "factor-undone": "The second factor is gone again, and whoever was signed in is signed out.",
  "erasing-stopped": "Your account stays.",
};

/** `/desk/link`: looks at a mailed link, and uses it. */
export function addDeskLink(app: FastifyInstance, show: Show): void {
  const page = (body: string) => ({ title: "The desk", here: "/desk", lang: "en" as const, body });
  app.get("/desk-link.js", { preHandler: app.hasp.open({ asks: false }) }, async (_request, reply) =>
    reply.type("text/javascript; charset=utf-8").send(SCRIPT),
  );
  app.get("/desk/link", { preHandler: app.hasp.open() }, async (request, reply) =>
    show(request, reply, page(openingLink())),
  );
  // Another address than the one that mails have: the next link that is opened here is a page to load, not a place in this one.
  app.post<{ Body: Typed }>("/desk/link/use", { preHandler: app.hasp.open() }, async (request, reply) => {
    const { secret = "" } = request.body;
    try {
      const visitor = app.hasp.forms.before(request, reply);
      const body = await take(visitor, request.body);
      return "onwards" in body
        ? await reply.redirect(body.onwards, 303)
        : show(request, reply, page(body.shown));
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      const { status, title, detail, errors = [] } = error.problem;
      const problem = errors.map(({ message }) => message).join(" ");
      // What was typed was wrong, not the link: the form is there again.
      const look = errors.length === 0 ? null : await lookAgain(request, reply, secret);
      const body = look === null ? saved(`${title}. ${detail}`) : linkForm({ secret, ...look, problem });
      return show(request, reply.status(status), page(body));
    }
  });

  async function lookAgain(request: FastifyRequest, reply: FastifyReply, secret: string) {
    const visitor = app.hasp.forms.before(request, reply);
    return (await visitor.call(routes.lookAtLink, { body: { secret } }).catch(() => null))?.body ?? null;
  }
}

/** @returns what is shown; or where somebody goes on to who is signed in by it. */
async function take(
  visitor: VisitorAtForm,
  { secret = "", uses, password, present }: Typed,
): Promise<{ shown: string } | { onwards: string }> {
  const { call } = visitor;
  const look = (await call(routes.lookAtLink, { body: { secret } })).body;
  if (uses === undefined) return { shown: linkForm({ secret, ...look }) };
  const home = look.app?.home ?? null;
  // In the browser in which it was asked for, a link to sign in goes on with that sign-in.
  if (look.purpose === "sign-in" && look.here) {
    const { body } = await call(routes.addProof, { body: { proof: { type: "mail-link", secret } } });
    const shown = await goOn(visitor, deskOnTheWayTo(home), body);
    return shown === null ? { onwards: home ?? "/desk" } : { shown };
  }
  const shown = {
    ...(password === undefined || password === "" ? {} : { password }),
    ...(present === undefined || present === "" ? {} : { present }),
  };
  const { body } = await call(routes.redeemLink, { body: { secret, ...shown } });
  if (body.outcome === "code")
    return { shown: saved(`Type this code where you asked for the link: ${body.code}`) };
  const codes = "recoveryCodes" in body ? body.recoveryCodes : undefined;
  return { shown: saved(DONE[body.outcome] ?? "Done.", codes, home ?? undefined) };
}

/** The desk, from which somebody goes on to the page that was wanted. @param home as the link says where that is entered. */
function deskOnTheWayTo(home: string | null): string {
  const target = home === null ? null : new URL(home).searchParams.get("target_link_uri");
  if (target === null) return "/desk";
  const { pathname, search } = new URL(target);
  return `/desk?${new URLSearchParams({ next: pathname + search }).toString()}`;
}
