/** The forms of the desk. Each is sent to the page it stands on, whose address says where its visitor goes on to. */
import escapeHtml from "escape-html";
import { passkeyFields } from "./desk-passkey.ts";

/** What the forms send. */
export interface Typed {
  readonly form?: string;
  readonly identifier?: string;
  readonly displayName?: string;
  readonly password?: string;
  readonly newPassword?: string;
  readonly code?: string;
  readonly id?: string;
  readonly email?: string;
  readonly challengeId?: string;
  readonly credential?: string;
}

interface Said {
  /** The form at which a problem is told. */
  readonly form?: string;
  readonly problem?: string;
}

export function welcome(name: string): string {
  return `<p>Good day, <strong>${escapeHtml(name)}</strong>. You are signed in; <a href="/members">your nights</a> are open to you, and <a href="/desk/account">your account</a>.</p>
<form method="post" action="/sign-out"><button class="button">Leave the desk</button></form>`;
}

export function guestForms(
  url: string,
  { typed = {}, problem = "" }: { typed?: Typed; problem?: string },
): string {
  const { form = "sign-in", identifier = "", displayName = "" } = typed;
  const at = ["register", "forgotten", "passkey", "by-mail"].includes(form) ? form : "sign-in";
  const value = (which: string, text: string) => (at === which ? escapeHtml(text) : "");
  return `<p>These forms are the application's own. Its server hands what is typed to Lucchetto.</p>
<div class="forms">
${formOf(
  url,
  "sign-in",
  "Sign in",
  { form: at, problem },
  `<label>Address or username<input name="identifier" autocomplete="username" required value="${value("sign-in", identifier)}"></label>
<label>Password<input name="password" type="password" autocomplete="current-password" required></label>
<button class="button">Sign in at the desk</button>`,
)}
${formOf(url, "passkey", "By passkey", { form: at, problem }, passkeyFields("sign-in", "Use a passkey"))}
${formOf(
  url,
  "register",
  "Register",
  { form: at, problem },
  `<label>E-mail address<input name="identifier" type="email" autocomplete="email" required value="${value("register", identifier)}"></label>
<label>Name<input name="displayName" autocomplete="name" value="${value("register", displayName)}"></label>
<label>Password<input name="password" type="password" autocomplete="new-password" required></label>
<button class="button">Register at the desk</button>`,
)}
${formOf(
  url,
  "forgotten",
  "Forgotten your password?",
  { form: at, problem },
  `<label>Address or username<input name="identifier" autocomplete="username" required value="${value("forgotten", identifier)}"></label>
<button class="button">Reset my password</button>`,
)}
${formOf(
  url,
  "by-mail",
  "Without a password",
  { form: at, problem },
  `<label>Address or username<input name="identifier" autocomplete="username" required value="${value("by-mail", identifier)}"></label>
<button class="button">Mail me a link to sign in</button>`,
)}
</div>`;
}

/** For somebody whose session was begun at Lucchetto's pages, or whose token this server has lost: what the desk does wants one begun here. */
export function begunElsewhere(url: string, accountPage: string): string {
  return `<p class="message" role="status">You did not sign in at the desk. Change your account <a href="${escapeHtml(accountPage)}">where you signed in</a>, or sign in here.</p>
${guestForms(url, {})}`;
}

/** For somebody who is signed in. */
export function memberForms(url: string, said: Said): string {
  return `<div class="forms">
${formOf(
  url,
  "password",
  "Change your password",
  said,
  `<label>Password of now<input name="password" type="password" autocomplete="current-password" required></label>
<label>New password<input name="newPassword" type="password" autocomplete="new-password" required></label>
<button class="button">Save the new password</button>`,
)}
${formOf(
  url,
  "authenticator",
  "Second factor",
  said,
  `<p>An authenticator app shows a code that is asked for beside your password.</p>
<button class="button">Set up an authenticator app</button>`,
)}
${formOf(url, "new-passkey", "Passkey", said, `<p>Your device's own lock signs you in, without a password.</p>${passkeyFields("enrol", "Add a passkey")}`)}
${formOf(
  url,
  "email",
  "Change your address",
  said,
  `<label>New e-mail address<input name="email" type="email" autocomplete="email" required></label>
<button class="button">Mail a link there</button>`,
)}
${formOf(
  url,
  "email-code",
  "Opened the link elsewhere?",
  said,
  `<label>Code that it showed<input name="code" autocomplete="one-time-code" inputmode="numeric" required></label>
<button class="button">Take the new address</button>`,
)}
</div>`;
}

/** Before a page that wants a recent proof, or a second one. */
export function proveForm(
  url: string,
  { lacks, form = "prove", problem = "" }: Said & { lacks: "level" | "freshness" },
): string {
  const why =
    lacks === "level"
      ? "The page wants a second factor, shown a short while ago."
      : "The page wants a proof of the last minutes.";
  const setUp =
    lacks === "level"
      ? formOf(
          url,
          "authenticator",
          "No second factor yet?",
          {},
          `<button class="button">Set up an authenticator app</button>`,
        )
      : "";
  return `<p>${why}</p><div class="forms">
${formOf(
  url,
  "prove",
  "Is it still you?",
  { form, problem },
  `<label>Password<input name="password" type="password" autocomplete="current-password" required></label>
<button class="button">Go on</button>`,
)}${formOf(url, "prove-passkey", "By passkey", { form, problem }, passkeyFields("reauthenticate", "Use a passkey"))}${setUp}</div>`;
}

const CODES: Readonly<Record<string, readonly [before: string, label: string]>> = {
  "mail-code": [
    "A mail is on its way. Open its link here, or type the code that it shows elsewhere.",
    "Code",
  ],
  enrolled: ["Type the code that your authenticator app shows now.", "Code"],
  "first-code": ["Type the code that your authenticator app shows now.", "Code"],
};
const SECOND_PROOF = [
  "So far it is right; one more proof is asked for.",
  "Code of your authenticator app, or a recovery code",
] as const;

/** Whether a form wants a code. @param form its name. */
export const wantsCode = (form: string): boolean =>
  Object.hasOwn(CODES, form) || form === "code" || form === "prove-code";

export function codeForm(
  url: string,
  { form, id = "", problem = "" }: { form: string; id?: string; problem?: string },
): string {
  const [before, asked] = CODES[form] ?? SECOND_PROOF;
  return `<p>${before}</p><div class="forms">
${formOf(
  url,
  form,
  "One more thing",
  { form, problem },
  `<input type="hidden" name="id" value="${escapeHtml(id)}"><label>${asked}<input name="code" autocomplete="one-time-code" required></label>
<button class="button">Go on</button>`,
)}</div>`;
}

/** Beside a password: the passkey, or else a code. */
export function secondPasskeyForm(url: string, problem = ""): string {
  return `<p>${SECOND_PROOF[0]}</p><div class="forms">
${formOf(url, "second-passkey", "By passkey", { form: "second-passkey", problem }, passkeyFields("sign-in", "Use a passkey"))}
${formOf(
  url,
  "code",
  "Or by code",
  {},
  `<label>${SECOND_PROOF[1]}<input name="code" autocomplete="one-time-code" required></label>
<button class="button">Go on</button>`,
)}</div>`;
}

/** An authenticator app that is being set up. */
export function enrolForm(
  url: string,
  { form, id, qrSvg, secret }: { form: string; id: string; qrSvg: string; secret: string },
): string {
  const image = Buffer.from(qrSvg).toString("base64");
  return `<p>Scan this with your authenticator app, then type the code that it shows.</p>
<img class="code" src="data:image/svg+xml;base64,${image}" alt="QR code; the same to type stands below" width="220" height="220">
<p><code>${escapeHtml(secret)}</code></p><div class="forms">
${formOf(
  url,
  form,
  "The first code",
  {},
  `<input type="hidden" name="id" value="${escapeHtml(id)}">
<label>Code<input name="code" autocomplete="one-time-code" inputmode="numeric" required></label>
<button class="button">Go on</button>`,
)}</div>`;
}

/** Until the script of the page has sent on what the address says. */
export function openingLink(): string {
  return `<p>One moment …</p><form class="opening" method="post" action="/desk/link/use"><input type="hidden" name="secret"></form>
<noscript><p class="message">This page needs JavaScript: the link's secret stands in a part of the address that no server is sent.</p></noscript>
<script type="module" src="/desk-link.js"></script>`;
}

const LINK_TITLES: Readonly<Record<string, string>> = {
  reset: "Choose a new password",
  verify: "Confirm your address",
  invite: "Accept the invitation",
  "change-email": "Take the new address",
  "sign-in": "Sign in",
};

/** What a mailed link would do, and what using it takes. */
export function linkForm({
  secret,
  purpose,
  name,
  wants,
  problem = "",
}: {
  secret: string;
  purpose: string;
  name: string;
  wants: string;
  problem?: string;
}): string {
  const said = problem === "" ? "" : `<p class="message" role="alert">${escapeHtml(problem)}</p>`;
  const field = (label: string, which: string, autocomplete: string) =>
    `<label>${label}<input name="${which}" type="password" autocomplete="${autocomplete}" required></label>`;
  const fields =
    wants === "new-password"
      ? field("New password", "password", "new-password")
      : wants === "any-password"
        ? field("Password from the registration", "present", "current-password")
        : wants === "thing-from-before"
          ? field("Password from before the change", "present", "current-password")
          : "";
  return `<div class="forms"><form method="post" action="/desk/link/use"><h2>${LINK_TITLES[purpose] ?? "Undo the change"}</h2>${said}
<p>Account: ${escapeHtml(name)}</p>
<input type="hidden" name="secret" value="${escapeHtml(secret)}"><input type="hidden" name="uses" value="yes">${fields}
<button class="button">Go on</button></form></div>`;
}

/** What was done, and codes that are shown this once. */
export function saved(text: string, codes: readonly string[] = [], onwards?: string): string {
  const list =
    codes.length === 0
      ? ""
      : `<p>Keep these recovery codes; each works once.</p><ul>${codes.map((one) => `<li><code>${escapeHtml(one)}</code></li>`).join("")}</ul>`;
  return `<p class="message" role="status">${escapeHtml(text)}</p>${list}<p>${onwards === undefined ? `<a href="/desk">Back to the desk</a>` : `<a href="${escapeHtml(onwards)}">Go on</a>`}</p>`;
}

/** @param said a problem, told at the form that it is of. */
export function formOf(
  url: string,
  name: string,
  title: string,
  { form, problem = "" }: Said,
  fields: string,
): string {
  const said =
    form === name && problem !== "" ? `<p class="message" role="alert">${escapeHtml(problem)}</p>` : "";
  return `<form method="post" action="${escapeHtml(url)}"><h2>${title}</h2>${said}<input type="hidden" name="form" value="${name}">${fields}</form>`;
}
