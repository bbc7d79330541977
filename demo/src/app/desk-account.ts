/** The rest of somebody's account, in forms of the application: who they are, where they are signed in, what opens the account, and its end. */
import type { VisitorAtForm } from "@lucchetto/hasp";
import { ProblemError, routes } from "@lucchetto/hasp/forms";
import escapeHtml from "escape-html";
import type { FastifyInstance, FastifyReply, FastifyRequest } from "fastify";
import { begunElsewhere, formOf, saved } from "./desk-forms.ts";
import type { Show } from "./desk.ts";

const PATH = "/desk/account";

interface Typed {
  readonly form?: string;
  readonly id?: string;
  readonly displayName?: string;
  readonly name?: string;
}

/** `/desk/account`; what wants a fresh proof gets it at the desk, and leads back. */
export function addDeskAccount(app: FastifyInstance, show: Show): void {
  const page = (body: string) => ({ title: "Your account", here: "/desk", lang: "en" as const, body });

  app.get(PATH, { preHandler: app.hasp.closed() }, async (request, reply) => {
    try {
      return show(request, reply, page(await all(app.hasp.forms.before(request, reply))));
    } catch (error) {
      return refuse(request, reply, error);
    }
  });

  app.post<{ Body: Typed }>(PATH, { preHandler: app.hasp.closed() }, async (request, reply) => {
    try {
      const visitor = app.hasp.forms.before(request, reply);
      if (request.body.form === "data") {
        const { body } = await visitor.call(routes.exportOwnData);
        return await reply.header("content-disposition", 'attachment; filename="account.json"').send(body);
      }
      const done = await take(visitor, request.body);
      if (request.body.form === "erase") return await reply.redirect("/", 303);
      // The bar names who was there when the form came.
      if (request.body.form === "profile") return await reply.redirect(PATH, 303);
      return show(request, reply, page(done + (await all(visitor))));
    } catch (error) {
      return refuse(request, reply, error);
    }
  });

  function refuse(request: FastifyRequest, reply: FastifyReply, error: unknown): FastifyReply {
    if (!(error instanceof ProblemError)) throw error;
    const { code, status, detail, errors = [] } = error.problem;
    const back = `next=${encodeURIComponent(PATH)}`;
    if (code === "reauthenticate") return reply.redirect(`/desk?lacks=freshness&${back}`, 303);
    if (code === "not-signed-in")
      return show(request, reply, page(begunElsewhere(`/desk?${back}`, request.account?.accountPage ?? "/")));
    const said = errors.length === 0 ? detail : errors.map(({ message }) => message).join(" ");
    return show(request, reply.status(status), page(saved(said)));
  }
}

/** Does what a form asks for. @returns what to say of it. */
async function take({ call }: VisitorAtForm, typed: Typed): Promise<string> {
  const { form, id = "", displayName = "", name = "" } = typed;
  const params = { id };
  switch (form) {
    case "profile":
      await call(routes.changeOwnAccount, { body: { displayName: displayName === "" ? null : displayName } });
      return "";
    case "end-session":
      await call(routes.endOwnSession, { params });
      return saved("That session has ended.");
    case "end-others": {
      const { body } = await call(routes.endOtherSessions);
      return saved(`${body.ended} other sessions have ended.`);
    }
    case "make-key": {
      const { body } = await call(routes.makeAccessKey, { body: { name } });
      return shownOnce("The key, shown this once:", body.key);
    }
    case "remove-key":
      await call(routes.deleteAccessKey, { params });
      return saved("The key is worth nothing any more.");
    case "remove-authenticator":
      await call(routes.removeAuthenticator, { params });
      return saved("The authenticator app is removed.");
    case "remove-passkey":
      await call(routes.removePasskey, { params });
      return saved("The passkey is removed.");
    case "recovery-codes": {
      const { body } = await call(routes.makeRecoveryCodes);
      return saved("New recovery codes; the old ones are worth nothing.", body.codes);
    }
    case "erase":
      await call(routes.eraseOwnAccount);
      return "";
    default:
      return "";
  }
}

/** Everything that there is to see and to change. */
async function all({ call }: VisitorAtForm): Promise<string> {
  const { account, session: here } = (await call(routes.showSession)).body;
  const sessions = (await call(routes.listOwnSessions)).body.items.filter(({ id }) => id !== here.id);
  const keys = (await call(routes.listAccessKeys)).body.items;
  const authenticators = (await call(routes.listAuthenticators)).body.items;
  const passkeys = (await call(routes.listPasskeys)).body.items;
  const hasFactor = authenticators.length + passkeys.length > 0;
  return `<div class="forms">
${form("profile", "You", `<label>Name<input name="displayName" autocomplete="name" value="${escapeHtml(account.displayName ?? "")}"></label>`, "Save")}
${list(
  "Signed in elsewhere",
  sessions.map(({ id, userAgent }) => ({ id, text: userAgent ?? "a program" })),
  "end-session",
  "End",
)}
${sessions.length === 0 ? "" : form("end-others", "All at once", "", "End all other sessions")}
${list(
  "Authenticator apps",
  authenticators.map(({ id, name }) => ({ id, text: name })),
  "remove-authenticator",
  "Remove",
)}
${list(
  "Passkeys",
  passkeys.map(({ id, name }) => ({ id, text: name })),
  "remove-passkey",
  "Remove",
)}
${hasFactor ? form("recovery-codes", "Recovery codes", "", "Make new ones") : ""}
${list(
  "Access keys",
  keys.map(({ id, name }) => ({ id, text: name })),
  "remove-key",
  "Remove",
)}
${form("make-key", "For a script", `<label>Name of the key<input name="name" required maxlength="80"></label>`, "Make an access key")}
${form("data", "Your data", "<p>Everything that is kept of you, as JSON.</p>", "Download it")}
${form("erase", "The end", "<p>Your account is erased for good.</p>", "Erase my account")}
</div><p><a href="/desk">Back to the desk</a></p>`;
}

function shownOnce(text: string, value: string): string {
  return `<p class="message" role="status">${escapeHtml(text)}<br><code>${escapeHtml(value)}</code></p>`;
}

function form(name: string, title: string, fields: string, button: string): string {
  return formOf(PATH, name, title, {}, `${fields}<button class="button">${button}</button>`);
}

/** One form for each of several; nothing where there is none. */
function list(
  title: string,
  items: ReadonlyArray<{ id: string; text: string }>,
  name: string,
  button: string,
): string {
  return items
    .map(({ id, text }) =>
      form(
        name,
        title,
        `<p>${escapeHtml(text)}</p><input type="hidden" name="id" value="${escapeHtml(id)}">`,
        button,
      ),
    )
    .join("\n");
}
