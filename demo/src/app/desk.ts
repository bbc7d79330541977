/** The desk of the huts: pages with forms of their own, for those who keep their pages. No redirect leaves this application. */
import type { VisitorAtForm } from "@lucchetto/hasp";
import { codeProofOf, ProblemError, routes } from "@lucchetto/hasp/forms";
import type { FastifyInstance, FastifyReply, FastifyRequest } from "fastify";
import type { Typed } from "./desk-forms.ts";
import {
  begunElsewhere,
  codeForm,
  enrolForm,
  guestForms,
  memberForms,
  proveForm,
  saved,
  secondPasskeyForm,
  wantsCode,
  welcome,
} from "./desk-forms.ts";
import { nameOf } from "./page.ts";

/** Shows a page of the application. */
export type Show = (
  request: FastifyRequest,
  reply: FastifyReply,
  page: { title: string; here: string; body: string; lang?: "en" },
) => FastifyReply;

/** What a form leads to: the body of the next page, or `null` where somebody is signed in and goes on. */
type Outcome = string | null;

/** What a reply says of how a sign-in, or a proof within a session, goes on. */
interface Replied {
  readonly outcome: string;
  readonly wanted?: readonly string[];
}

/** `/desk`: signs in, registers and proves with forms of the application; signing out is the hasp's. */
export function addDesk(app: FastifyInstance, show: Show): void {
  const { forms } = app.hasp;
  const desk = (request: FastifyRequest, reply: FastifyReply, body: string) =>
    show(request, reply, { title: "The desk", here: "/desk", lang: "en", body });

  app.get("/desk", { preHandler: app.hasp.open() }, async (request, reply) => {
    const { lacks } = forms.before(request, reply);
    return desk(request, reply, lacks === null ? startOf(request) : proveForm(request.url, { lacks }));
  });

  app.post<{ Body: Typed }>("/desk", { preHandler: app.hasp.open() }, async (request, reply) => {
    const typed = request.body;
    try {
      const visitor = forms.before(request, reply);
      const body = await take(visitor, typed, request);
      if (body !== null) return desk(request, reply, body);
      return await reply.redirect(visitor.next === "/" ? "/desk" : visitor.next, 303);
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      const { code, status, detail, errors = [] } = error.problem;
      const problem = errors.length === 0 ? detail : errors.map(({ message }) => message).join(" ");
      const { account } = request;
      if (code === "not-signed-in" && account !== null)
        return desk(request, reply.status(status), begunElsewhere(request.url, account.accountPage));
      const isOver = ["sign-in-lapsed", "enrolment-lapsed"].includes(code);
      return desk(request, reply.status(status), again(request, { typed, problem, isOver }));
    }
  });
}

/** The form that was sent, with what was wrong; where a sign-in is over, the first one. */
function again(
  { url, account, query }: FastifyRequest,
  { typed, problem, isOver }: { typed: Typed; problem: string; isOver: boolean },
): string {
  const { form = "", id = "" } = typed;
  if (!isOver && wantsCode(form)) return codeForm(url, { form, id, problem });
  if (!isOver && form === "second-passkey") return secondPasskeyForm(url, problem);
  const lacks = (query as { lacks?: string }).lacks === "level" ? "level" : "freshness";
  if (form === "prove" || form === "prove-passkey") return proveForm(url, { lacks, form, problem });
  if (account === null) return guestForms(url, { typed, problem });
  return welcome(nameOf(account)) + memberForms(url, { form: isOver ? "authenticator" : form, problem });
}

function startOf({ url, account }: FastifyRequest): string {
  return account === null ? guestForms(url, {}) : welcome(nameOf(account)) + memberForms(url, {});
}

/** Sends on what was typed. @returns what comes next. */
async function take(visitor: VisitorAtForm, typed: Typed, { url }: FastifyRequest): Promise<Outcome> {
  const { call } = visitor;
  const { form, identifier = "", password = "", code = "", displayName = "" } = typed;
  if (form === "forgotten") {
    await call(routes.askForLink, {
      body: { purpose: "reset", identifier, ...wayOn(visitor) },
    });
    return saved("If there is an account of this name, a mail with a link is on its way to it.");
  }
  if (form === "by-mail") {
    await call(routes.askForLink, {
      body: { purpose: "sign-in", identifier, ...wayOn(visitor), deliver: "token" },
    });
    return codeForm(url, { form: "mail-code" });
  }
  if (form === "password") {
    await call(routes.changePassword, {
      body: { present: password, password: typed.newPassword ?? "" },
    });
    return saved("Your new password is saved; whoever was signed in elsewhere is signed out.");
  }
  if (form === "authenticator") return enrol(visitor, url);
  if (form === "email") {
    await call(routes.changeEmail, { body: { email: typed.email ?? "" } });
    return saved("A mail with a link is on its way to the new address. Open it, and it is yours.");
  }
  if (form === "email-code") {
    const { body } = await call(routes.confirmEmail, { body: { code } });
    return saved(`Your address is now ${body.email}.`);
  }
  if (form === "new-passkey") {
    const { body } = await call(routes.addPasskey, { body: answerOf(typed) as never });
    return saved("From now on the passkey signs you in.", body.recoveryCodes);
  }
  if (form === "enrolled") {
    const { body } = await call(routes.activateAuthenticator, {
      params: { id: typed.id ?? "" },
      body: { code },
    });
    return visitor.lacks === "level"
      ? null
      : saved("From now on the desk asks for a code.", body.recoveryCodes);
  }
  if (form === "prove" || form === "prove-code" || form === "prove-passkey") {
    const proof =
      form === "prove"
        ? { type: "password" as const, password }
        : form === "prove-code"
          ? codeProofOf(code)
          : passkeyProof(typed);
    return goOn(visitor, url, (await call(routes.reauthenticate, { body: { proof } })).body, "prove-code");
  }
  if (form === "register") {
    const name = displayName === "" ? {} : { displayName };
    return goOn(
      visitor,
      url,
      (await call(routes.register, { body: { email: identifier, ...name, password } })).body,
    );
  }
  return goOn(visitor, url, (await signIn(visitor, typed)).body);
}

/** The wanted page goes along with the mail; whoever wanted none comes back to the desk. */
const wayOn = ({ next, returnTo }: VisitorAtForm) => (next === "/" ? {} : { returnTo });

function signIn({ call }: VisitorAtForm, typed: Typed) {
  const { form, identifier = "", password = "", code = "", id = "" } = typed;
  if (form === "passkey") return call(routes.signIn, { body: { proof: passkeyProof(typed) } });
  if (form === "second-passkey") return call(routes.addProof, { body: { proof: passkeyProof(typed) } });
  if (form === "code") return call(routes.addProof, { body: { proof: codeProofOf(code) } });
  if (form === "mail-code") return call(routes.addProof, { body: { proof: { type: "mail-code", code } } });
  if (form === "first-code")
    return call(routes.addProof, { body: { proof: { type: "enrol-totp", id, code } } });
  return call(routes.signIn, { body: { proof: { type: "password", identifier, password } } });
}

/** What a sign-in wants next, as far as the desk has forms for it; they are sent to `url`, an address of the desk. */
export async function goOn(
  visitor: VisitorAtForm,
  url: string,
  replied: Replied,
  form = "code",
): Promise<Outcome> {
  const { outcome, wanted = [] } = replied;
  if (outcome === "signed-in") return null;
  if (outcome === "check-mail")
    return saved("Check your mail: a link is on its way. Open it, then sign in here.");
  if (wanted.includes("passkey") && form === "code") return secondPasskeyForm(url);
  if (wanted.includes("totp") || wanted.includes("recovery-code")) return codeForm(url, { form });
  if (wanted.includes("mail-code")) return codeForm(url, { form: "mail-code" });
  if (wanted.includes("enrol-totp")) return enrol(visitor, url, "first-code");
  return guestForms(url, {
    problem:
      "Something more is asked of this account, which the desk has no form for. Sign in above, in the bar.",
  });
}

/** What the desk's script put into the form; whatever is not as it must be, Lucchetto says. */
function answerOf({ challengeId = "", credential = "null" }: Typed): {
  challengeId: string;
  credential: unknown;
} {
  try {
    return { challengeId, credential: JSON.parse(credential) as unknown };
  } catch {
    // Somebody wrote it by hand.
    return { challengeId, credential: null };
  }
}

function passkeyProof(typed: Typed) {
  return { type: "passkey" as const, ...(answerOf(typed) as { challengeId: string; credential: never }) };
}

/** Shows an authenticator app's secret, this once. */
async function enrol({ call }: VisitorAtForm, url: string, form = "enrolled"): Promise<string> {
  const { id, qrSvg, secret } = (await call(routes.enrolAuthenticator, { body: {} })).body;
  return enrolForm(url, { form, id, qrSvg, secret });
}
