import type { MailName } from "../catalogue.ts";

/** Where and when something was done in a session. */
const DETAILS = `- When: {{when}}
- From: {{network}}
- Browser: {{browser}}`;

const ONE_THING_FROM_BEFORE =
  "In a browser that you have not used before, you are also asked for one thing from before the change: your password, a passkey, a code from your authenticator app, or a recovery code.";

/** The end of every notice of a change that a link undoes. */
const FACTOR_CHANGED = `${DETAILS}

If this was you, there is nothing to do. If it wasn't, undo it: all sessions end, the current password stops working, and your second factor is restored.

[This wasn't me]({{link}})

This link works once, within {{life}}. ${ONE_THING_FROM_BEFORE}
`;

export const ENGLISH: Readonly<Record<MailName, string>> = {
  verify: `Subject: Confirm your address for {{site}}

Welcome. Please confirm that this address is yours.

[Confirm my address]({{link}})

The link works once, within {{life}}. Open it in the browser in which you registered; in another one you are asked for your password.

If you did not register, ignore this mail: without that click nothing happens.
`,
  "already-registered": `Subject: You already have an account at {{site}}

Somebody, perhaps you, tried to register with this address. There is an account with it already, so nothing was changed.

[Sign in]({{link}})

If you have forgotten your password, you can choose a new one from that page. If this wasn't you, there is nothing to do.

- When: {{when}}
- From: {{network}}
`,
  reset: `Subject: Choose a new password for {{site}}

Somebody, hopefully you, asked for a new password for your account.

[Choose a new password]({{link}})

The link works once, within {{life}}. Nothing changes until a new password is chosen.

If this wasn't you, ignore this mail: your password stays as it is.
`,
  "sign-in": `Subject: Sign in to {{site}}

You asked to sign in without a password.

[Sign in]({{link}})

The link works once, within {{life}}. In the browser where you asked for it, it signs you in. In any other it shows a short code to enter there.

- Requested in: {{browser}}
- From: {{network}}

If this wasn't you, ignore this mail, and don't share the code with anyone.
`,
  invite: `Subject: You are invited to {{site}}

{{site}} has prepared an account for you. Accept the invitation to start using it.

[Accept the invitation]({{link}})

The link works once, within {{life}}. If you don't want an account, ignore this mail.
`,
  "change-email": `Subject: Confirm your new address for {{site}}

Confirm {{address}} as the new address of the account {{account}} at {{site}}.

[Confirm this address]({{link}})

The link works once, within {{life}}, in the browser that asked for it; anywhere else it shows a code to enter there. Until then nothing changes.

If you don't know this account, ignore this mail, and don't share the code with anyone: your address will not be used.
`,
  "email-changed": `Subject: The address of your account was changed

Mail for your account at {{site}} now goes to {{address}}.

- When: {{when}}
- From: {{network}}

If this was you, there is nothing to do. If it wasn't, restore your account: the old address comes back, all sessions end, and you choose a new password.

[This wasn't me]({{link}})

This link works once, within {{life}}.
`,
  "username-changed": `Subject: Your username was changed

Your account at {{site}} is no longer called {{username}}.

${DETAILS}

If this was you, there is nothing to do. If it wasn't, restore your account: the old name comes back, all sessions end, and you choose a new password. Until then nobody else can take the name.

[This wasn't me]({{link}})

This link works once, within {{life}}.
`,
  "email-restored": `Subject: Your account is as it was before

The change of your account at {{site}} was undone: its address and username are the ones from before. All sessions have been ended.

- When: {{when}}
- From: {{network}}
`,
  "password-changed": `Subject: Your password was changed

The password of your account at {{site}} was changed from one of your sessions. All other sessions have been ended.

${DETAILS}

If this wasn't you, choose a new password right away.

[Choose a new password]({{link}})
`,
  "password-removed": `Subject: Your password was removed

The password of your account at {{site}} was removed. From now on you sign in with a passkey or by mail. All other sessions have been ended.

${DETAILS}

If this wasn't you, choose a new password right away.

[Choose a new password]({{link}})
`,
  "password-reset": `Subject: Your password was changed

The password of your account at {{site}} was reset with a mailed link. All sessions have been ended.

- When: {{when}}
- From: {{network}}

If this wasn't you, somebody reads your mail: change its password first, then ask for a new password here.

[Choose a new password]({{link}})
`,
  "new-sign-in": `Subject: New sign-in to {{site}}

Somebody signed in to your account from a browser that we have not seen before.

${DETAILS}

If this was you, there is nothing to do. If it wasn't, choose a new password; that ends all sessions.

[Choose a new password]({{link}})
`,
  "access-key-made": `Subject: A new access key for your account at {{site}}

An access key was created from one of your sessions. Scripts that have it can use the site's applications as you.

${DETAILS}

If this wasn't you, choose a new password by mail: that ends all sessions and deletes all access keys.

[Choose a new password]({{link}})
`,
  "second-factor-added": `Subject: An authenticator app for your account at {{site}}

An authenticator app was set up. From now on you are asked for one of its codes each time you sign in.

${FACTOR_CHANGED}`,
  "second-factor-removed": `Subject: An authenticator app was removed from your account at {{site}}

An authenticator app was removed from your account. Its codes are no longer accepted.

${FACTOR_CHANGED}`,
  "passkey-added": `Subject: A passkey for your account at {{site}}

A passkey was added to your account. It can be used to sign in, on its own or together with your password.

${FACTOR_CHANGED}`,
  "passkey-removed": `Subject: A passkey was removed from your account at {{site}}

A passkey was removed from your account. It is no longer accepted.

${FACTOR_CHANGED}`,
  "recovery-codes-made": `Subject: New recovery codes for your account at {{site}}

New recovery codes were created. The old ones no longer work.

${FACTOR_CHANGED}`,
  "recovery-code-used": `Subject: A recovery code was used at {{site}}

One of your recovery codes was used to sign in or to confirm a change.

- Codes left: {{left}}
${DETAILS}

If this wasn't you, choose a new password by mail right away: that ends all sessions. Then look at your account's second factor.

[Choose a new password]({{link}})
`,
  "invitation-accepted": `Subject: Your account at {{site}} is ready

The invitation to {{site}} was accepted, and your address is confirmed.

- When: {{when}}
- From: {{network}}

If this wasn't you, contact the people who run the site.
`,
  "confirm-sign-in": `Subject: Is it you signing in to {{site}}?

Somebody has entered your password and is waiting to be let in. Please confirm that it is you.

[Yes, let me in]({{link}})

The link works once, within {{life}}. In the browser where you are signing in, it lets you in. In any other it shows a short code to enter there.

- Browser: {{browser}}
- From: {{network}}

If it isn't you, don't share the code with anyone. Somebody knows your password: choose a new one at {{site}}.
`,
  "second-factor-restored": `Subject: Your second factor at {{site}} was restored

The change of your account's second factor was undone. All sessions have been ended, and the password from before no longer works.

- When: {{when}}
- From: {{network}}
`,
  "account-closed": `Subject: Your account at {{site}} will be erased

Your account was closed from one of your sessions. Everything it contains will be erased in {{life}}.

${DETAILS}

If that is what you want, there is nothing to do. If it wasn't you, or you have changed your mind, keep the account.

[Keep my account]({{link}})

This link works once, until the account is erased. ${ONE_THING_FROM_BEFORE}
`,
  "account-reopened": `Subject: Your account at {{site}} is kept

Your account will not be erased. Everything is as it was; only sessions and access keys are gone.

- When: {{when}}
- From: {{network}}
`,
  "first-password-given": `Subject: A first password for your account at {{site}}

The people who run {{site}} have given your account a new first password, because somebody asked them to. It opens the account once; then you choose your own.

- When: {{when}}

If you did not ask for this, tell the people who run the site right away.
`,
  "new-password-wanted": `Subject: A new password is wanted at {{site}}

The people who run {{site}} want you to choose a new password when you next sign in. All sessions and access keys of your account have been ended.

- When: {{when}}
`,
  "set-up-removed": `Subject: What was set up before you confirmed your address

This address is now confirmed at {{site}}. What somebody had set up in the account before was removed, because nobody had confirmed then that the account was theirs.

- When: {{when}}
- From: {{network}}

If it was you who had set it up, sign in and set it up again on your account page.
`,
  "operators-told": `Subject: {{site}}: {{what}}

{{what}}.

- Account: {{account}}
- By: {{by}}
- Reason: {{reason}}
- When: {{when}}
- From: {{network}}

You get this because you are an operator of {{site}}. If this should not have happened, check the journal and talk to the other operators.
`,
  "unproved-change": `Subject: Something changed at {{site}}

Something was changed in an account at {{site}} that was registered with this address, which nobody has confirmed yet; if it isn't yours, ignore this mail.
`,
  "email-corrected": `Subject: Confirm your address for {{site}}

The people who run {{site}} have changed the address of your account to this one, because somebody told them that the old one was lost.

[Confirm this address]({{link}})

The link works once, within {{life}}. In a browser that you have not used before, you are also asked for one more thing that is yours: your password, a passkey, a code from your authenticator app, or a recovery code.

If you don't know this account, do nothing: the mail alone opens nothing.
`,
};
