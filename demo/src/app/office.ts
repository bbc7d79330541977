/** The office of the huts: members looked up, invited, suspended and made keepers, by this application's own server. */
import type { NewPerson } from "@lucchetto/hasp";
import { LucchettoRefused, LucchettoUnreachable } from "@lucchetto/hasp";
import escapeHtml from "escape-html";
import type { FastifyInstance, FastifyReply, FastifyRequest } from "fastify";
import type { Show } from "./desk.ts";
import type { MessageName } from "./messages.ts";
import { leaveMessage } from "./messages.ts";

type Found = Awaited<ReturnType<FastifyInstance["hasp"]["accounts"]["find"]>>["items"][number];

/** What the forms of the page send. */
interface Typed {
  readonly form?: string;
  readonly id?: string;
  readonly email?: string;
  readonly displayName?: string;
  readonly reference?: string;
  readonly keeper?: string;
}

/** Who works in the office carries this label. */
const LABEL = "office";
const SHOWN = 12;

/** `/office`, for people with the label `office`. Its server works with its app key; nobody there needs to be an operator. */
export function addOffice(app: FastifyInstance, show: Show): void {
  const { accounts } = app.hasp;
  const preHandler = app.hasp.closed({ label: LABEL });

  async function showOffice(
    request: FastifyRequest,
    reply: FastifyReply,
    { search = "", typed = {}, problem = "" }: { search?: string; typed?: Typed; problem?: string },
  ): Promise<FastifyReply> {
    const found = await accounts
      .find({ ...(search === "" ? {} : { search }), limit: SHOWN })
      .catch((error: unknown) => sentenceOf(error));
    const list =
      typeof found === "string" ? message(found) : table(found.items, { search, more: found.next !== null });
    const body = `${problem === "" ? "" : message(problem)}${list}${invitation(typed)}`;
    return show(request, reply, { title: "The office", here: "/office", lang: "en", body });
  }

  app.get<{ Querystring: { search?: string } }>("/office", { preHandler }, (request, reply) =>
    showOffice(request, reply, { search: request.query.search?.trim() ?? "" }),
  );

  app.post<{ Body: Typed }>("/office", { preHandler }, async (request, reply) => {
    try {
      leaveMessage(reply, await take(request.body));
      return await reply.redirect("/office", 303);
    } catch (error) {
      const { form, email = "" } = request.body;
      const what = form === "invite" ? `${email} was not invited. ` : "";
      return showOffice(request, reply, { typed: request.body, problem: what + sentenceOf(error) });
    }
  });

  /** @returns what is said on the next page. */
  async function take(typed: Typed): Promise<MessageName> {
    const { form, id = "" } = typed;
    if (form === "invite") {
      await accounts.invite(personOf(typed));
      return "invited";
    }
    if (form === "suspend") {
      await accounts.suspend(id);
      return "suspended";
    }
    if (form === "restore") {
      await accounts.restore(id);
      return "restored";
    }
    await setKeeper(id, form === "keeper");
    return form === "keeper" ? "keeper" : "no-keeper";
  }

  /** The other labels stay. */
  async function setKeeper(id: string, isKeeper: boolean): Promise<void> {
    const [account] = await app.hasp.lookUp({ ids: [id] });
    const others = (account?.labels ?? []).filter((label) => label !== "keeper");
    await accounts.setLabels(id, isKeeper ? [...others, "keeper"] : others);
  }
}

function personOf(typed: Typed): NewPerson & { email: string } {
  const { email = "", displayName = "", reference = "" } = typed;
  return {
    email,
    ...(displayName === "" ? {} : { displayName }),
    ...(reference === "" ? {} : { reference }),
    ...(typed.keeper === undefined ? {} : { labels: ["keeper"] }),
  };
}

/** What Lucchetto says of it, with the faults of single fields. Any other error is this application's own. */
function sentenceOf(error: unknown): string {
  if (error instanceof LucchettoUnreachable)
    return "The accounts cannot be reached just now. Try again soon.";
  if (!(error instanceof LucchettoRefused)) throw error;
  const { detail, errors = [] } = error.problem;
  return errors.length === 0 ? detail : errors.map((one) => one.message).join(" ");
}

const message = (text: string): string => `<p class="message" role="alert">${escapeHtml(text)}</p>`;

function invitation({ email = "", displayName = "", reference = "", keeper }: Typed): string {
  return `<div class="forms below"><form method="post" action="/office"><h2>Invite a member</h2>
<input type="hidden" name="form" value="invite">
<label>E-mail address<input name="email" type="email" required value="${escapeHtml(email)}"></label>
<label>Name<input name="displayName" value="${escapeHtml(displayName)}"></label>
<label>Member number<input name="reference" value="${escapeHtml(reference)}"></label>
<p><input id="keeper" type="checkbox" name="keeper"${keeper === undefined ? "" : " checked"}> <label class="beside" for="keeper">Keeps a hut</label></p>
<button class="button">Send the invitation</button></form></div>`;
}

function table(accounts: readonly Found[], { search, more }: { search: string; more: boolean }): string {
  const rows = accounts.map(row).join("");
  const none = `<tr><td colspan="5">Nobody is found.</td></tr>`;
  return `<form class="search" action="/office" role="search"><label>Address, name or member number
<input name="search" value="${escapeHtml(search)}"></label><button class="button">Look up</button></form>
<div class="wide"><table><thead><tr><th>Member</th><th>Number</th><th>State</th><th>Keeper</th><th>Access</th></tr></thead><tbody>${rows === "" ? none : rows}</tbody></table></div>
${more ? `<p>There are more; look somebody up.</p>` : ""}`;
}

function row({ id, displayName, email, username, reference, state, labels }: Found): string {
  const name = escapeHtml(displayName ?? username ?? email ?? id);
  const isKeeper = labels.includes("keeper");
  const action = (form: string, text: string) =>
    `<form method="post" action="/office"><input type="hidden" name="id" value="${id}"><button class="button small" name="form" value="${form}" aria-label="${text}: ${name}">${text}</button></form>`;
  return `<tr><td>${name}<br><small>${escapeHtml(email ?? "")}</small></td><td>${escapeHtml(reference ?? "–")}</td><td>${escapeHtml(state)}</td>
<td>${isKeeper ? action("no-keeper", "No longer keeper") : action("keeper", "Make keeper")}</td>
<td>${state === "suspended" ? action("restore", "Restore") : action("suspend", "Suspend")}</td></tr>`;
}
