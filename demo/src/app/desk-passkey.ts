/** Passkeys at the desk: its script asks the browser, its server asks Lucchetto. */
import { ProblemError, routes } from "@lucchetto/hasp/forms";
import type { FastifyInstance } from "fastify";

/** Fills in the form whose button was pressed, and sends it; what went wrong is said beside it. */
const SCRIPT = `for (const button of document.querySelectorAll("button[data-passkey]"))
  button.addEventListener("click", () => use(button).catch((fault) => say(button, fault.message)));

async function use(button) {
  say(button, "");
  const purpose = button.dataset.passkey;
  const reply = await fetch("/desk/passkey", {
    method: "POST",
    headers: { "content-type": "application/json" },
    body: JSON.stringify({ purpose }),
  });
  const begun = await reply.json();
  if (!reply.ok) throw new Error(begun.detail);
  const credential =
    purpose === "enrol"
      ? await navigator.credentials.create({ publicKey: PublicKeyCredential.parseCreationOptionsFromJSON(begun.options) })
      : await navigator.credentials.get({ publicKey: PublicKeyCredential.parseRequestOptionsFromJSON(begun.options) });
  const { form } = button;
  form.elements.challengeId.value = begun.challengeId;
  form.elements.credential.value = JSON.stringify(credential);
  form.submit();
}

function say(button, text) {
  const line = button.form.querySelector("[data-said]");
  line.role = text === "" ? null : "alert";
  line.textContent = text;
  line.hidden = text === "";
}
`;

/** The button that begins it, and what the script fills in. @param purpose of the challenge. */
export function passkeyFields(purpose: "sign-in" | "enrol" | "reauthenticate", label: string): string {
  return `<input type="hidden" name="challengeId"><input type="hidden" name="credential">
<p class="message" data-said hidden></p>
<button type="button" class="button" data-passkey="${purpose}">${label}</button>
<script type="module" src="/desk-passkey.js"></script>`;
}

/** `/desk/passkey`: what the browser is asked. */
export function addDeskPasskey(app: FastifyInstance): void {
  app.get("/desk-passkey.js", { preHandler: app.hasp.open({ asks: false }) }, async (_request, reply) =>
    reply.type("text/javascript; charset=utf-8").send(SCRIPT),
  );
  app.post<{ Body: { purpose?: string } }>(
    "/desk/passkey",
    { preHandler: app.hasp.open() },
    async (request, reply) => {
      const { purpose } = request.body;
      if (purpose !== "sign-in" && purpose !== "enrol" && purpose !== "reauthenticate")
        return reply.status(400).send({ detail: "Expected sign-in, enrol or reauthenticate." });
      try {
        const { call } = app.hasp.forms.before(request, reply);
        return (await call(routes.beginPasskey, { body: { purpose } })).body;
      } catch (error) {
        if (!(error instanceof ProblemError)) throw error;
        return reply.status(error.problem.status).send(error.problem);
      }
    },
  );
}
