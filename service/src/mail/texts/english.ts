import type { MailName } from "../catalogue.ts";

/** Where and when something was done in a session. */
const DETAILS = `- When: {{when}}
- From: {{network}}
- Browser: {{browser}}`;

const ONE_THING_FROM_BEFORE =
  "In a browser that you did not use before, it also asks for one thing from before: your password, a passkey, a code of your authenticator app, or a recovery code.";

/** The end of every notice of a change that a link undoes. */
const FACTOR_CHANGED = `${DETAILS}

If it was you, there is nothing to do. If it was not, take it back: all sessions end, the present password stops working, and your second factor is again what it was.

[It was not me]({{link}})

This link works once, and for {{life}}. ${ONE_THING_FROM_BEFORE}
`;

export const ENGLISH: Readonly<Record<MailName, string>> = {
  verify: `Subject: Confirm your address for {{site}}

Welcome. One click shows that this address is yours.

[Confirm my address]({{link}})

The link works once, and for {{life}}. Open it in the browser in which you registered; in another one you are asked for your password.

If you did not register, do nothing: without that click nothing happens.
`,
  "already-registered": `Subject: You have an account at {{site}} already

Somebody, perhaps you, tried to register with this address. It has an account already, so nothing was changed.

[Sign in]({{link}})

If you have forgotten the password, ask for a new one on that page. If it was not you, there is nothing to do.

- When: {{when}}
- From: {{network}}
`,
  reset: `Subject: Choose a new password for {{site}}

Somebody, we hope you, asked for a new password for your account.

[Choose a new password]({{link}})

The link works once, and for {{life}}. Whoever opens it is asked for a new password; nothing happens before.

If it was not you, do nothing: your password stays as it is.
`,
  "sign-in": `Subject: Sign in to {{site}}

You asked to sign in without a password.

[Sign in]({{link}})

The link works once, and for {{life}}. In the browser where you asked it signs you in. In any other it shows a short code, which you type where you asked.

- Asked for in: {{browser}}
- From: {{network}}

If it was not you, do nothing, and tell nobody the code.
`,
  invite: `Subject: You are invited to {{site}}

The people of {{site}} have made an account for you. It begins with your click.

[Accept the invitation]({{link}})

The link works once, and for {{life}}. If you do not want an account, do nothing.
`,
  "change-email": `Subject: Confirm your new address for {{site}}

Confirm {{address}} as the new address of the account {{account}} at {{site}}.

[Confirm this address]({{link}})

The link works once, for {{life}}, in the browser that asked for it; anywhere else it shows a code to enter there. Until then nothing changes.

If you don't know this account, do nothing, and give the code to nobody: your address is not used.
`,
  "email-changed": `Subject: Your account has another address now

From now on the mail of your account at {{site}} goes to {{address}}.

- When: {{when}}
- From: {{network}}

If it was you, there is nothing to do. If it was not, take the account back: the old address comes back, all sessions end, and you choose a new password.

[It was not me]({{link}})

This link works once, and for {{life}}.
`,
  "email-restored": `Subject: Your account has its old address again

The change of your account's address at {{site}} was undone. All sessions are ended.

- When: {{when}}
- From: {{network}}
`,
  "password-changed": `Subject: Your password was changed

The password of your account at {{site}} was changed in a session of yours. All other sessions are ended.

${DETAILS}

If it was not you, ask for a new password at once.

[Choose a new password]({{link}})
`,
  "password-removed": `Subject: Your password was removed

The password of your account at {{site}} was removed. You sign in with a passkey or by mail from now on. All other sessions are ended.

${DETAILS}

If it was not you, ask for a new password at once.

[Choose a new password]({{link}})
`,
  "password-reset": `Subject: Your password was changed

The password of your account at {{site}} was reset by a mailed link. All sessions are ended.

- When: {{when}}
- From: {{network}}

If it was not you, somebody reads your mail: change its password first, then ask for a new password here.

[Choose a new password]({{link}})
`,
  "new-sign-in": `Subject: New sign-in to {{site}}

Somebody signed in to your account from a browser that we have not seen before.

${DETAILS}

If it was you, there is nothing to do. If it was not, choose a new password; that ends all sessions.

[Choose a new password]({{link}})
`,
  "access-key-made": `Subject: A new access key for your account at {{site}}

An access key was made in a session of yours. Scripts that hold it can call the site's applications as you.

${DETAILS}

If it was not you, choose a new password by mail: that ends all sessions and deletes all access keys.

[Choose a new password]({{link}})
`,
  "second-factor-added": `Subject: An authenticator app for your account at {{site}}

An authenticator app was set up. From now on every sign-in asks for one of its codes.

${FACTOR_CHANGED}`,
  "second-factor-removed": `Subject: An authenticator app was removed from your account at {{site}}

An authenticator app was removed from your account. Its codes are no longer accepted.

${FACTOR_CHANGED}`,
  "passkey-added": `Subject: A passkey for your account at {{site}}

A passkey was added to your account. It opens the account, by itself or beside your password.

${FACTOR_CHANGED}`,
  "passkey-removed": `Subject: A passkey was removed from your account at {{site}}

A passkey was removed from your account. It is no longer accepted.

${FACTOR_CHANGED}`,
  "recovery-codes-made": `Subject: New recovery codes for your account at {{site}}

A new set of recovery codes was made. The old ones no longer work.

${FACTOR_CHANGED}`,
  "recovery-code-used": `Subject: A recovery code was used at {{site}}

One of your recovery codes was used to sign in or to confirm a change.

- Codes left: {{left}}
${DETAILS}

If it was not you, choose a new password by mail at once: that ends all sessions. Then look at your account's second factor.

[Choose a new password]({{link}})
`,
  "invitation-accepted": `Subject: Your account at {{site}} is ready

The invitation to {{site}} was accepted, and your address is confirmed.

- When: {{when}}
- From: {{network}}

If it was not you, ask the people who run the site.
`,
  "confirm-sign-in": `Subject: Is it you signing in to {{site}}?

Somebody has entered your password and is waiting to be let in. Before that happens, we need to hear from you.

[Yes, let me in]({{link}})

The link works once, and for {{life}}. In the browser where you are signing in, it lets you in. In any other it shows a short code, which you type there.

- Browser: {{browser}}
- From: {{network}}

If it is not you, do nothing, and tell nobody the code. Somebody knows your password: choose a new one at {{site}}.
`,
  "second-factor-restored": `Subject: Your second factor at {{site}} is what it was

The change of your account's second factor was undone. All sessions are ended, and the password from before no longer works.

- When: {{when}}
- From: {{network}}
`,
  "account-closed": `Subject: Your account at {{site}} will be erased

Your account was closed in a session of yours, as was asked for there. Everything that is kept of it will be erased in {{life}}.

${DETAILS}

If you want that, there is nothing to do. If it was not you, or you have changed your mind, keep the account.

[Keep my account]({{link}})

This link works once, until the account is erased. ${ONE_THING_FROM_BEFORE}
`,
  "account-reopened": `Subject: Your account at {{site}} stays

Your account will not be erased. Everything is as it was; only sessions and access keys are gone.

- When: {{when}}
- From: {{network}}
`,
  "first-password-given": `Subject: A first password for your account at {{site}}

The people who run {{site}} have given your account a new first password, because somebody asked them to. It opens the account once; then you choose your own.

- When: {{when}}

If it was not you who asked, tell the people who run the site at once.
`,
  "operators-told": `Subject: {{site}}: {{what}}

{{what}}.

- Account: {{account}}
- By: {{by}}
- Reason: {{reason}}
- When: {{when}}
- From: {{network}}

You get this because you are an operator of {{site}}. If it should not have happened, look into the journal and talk to the others.
`,
  "second-factor-news": `Subject: Your account's second factor at {{site}} was changed

An authenticator app or a passkey was added or removed, or a new set of recovery codes was made.

${DETAILS}

If it was not you, choose a new password by mail at once: that ends all sessions.

[Choose a new password]({{link}})
`,
  "email-corrected": `Subject: Confirm your address for {{site}}

The people who run {{site}} have changed the address of your account to this one, because somebody told them that the old one was lost.

[Confirm this address]({{link}})

The link works once, and for {{life}}. In a browser that you did not use before, it also asks for one thing that is yours: your password, a passkey, a code of your authenticator app, or a recovery code.

If you don't know this account, do nothing: the mail alone opens nothing.
`,
};
