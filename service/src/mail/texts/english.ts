import type { MailName } from "../catalogue.ts";

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

- When: {{when}}
- From: {{network}}
- Browser: {{browser}}

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

- When: {{when}}
- From: {{network}}
- Browser: {{browser}}

If it was you, there is nothing to do. If it was not, choose a new password; that ends all sessions.

[Choose a new password]({{link}})
`,
  "access-key-made": `Subject: A new access key for your account at {{site}}

An access key was made in a session of yours. Scripts that hold it can call the site's applications as you.

- When: {{when}}
- From: {{network}}
- Browser: {{browser}}

If it was not you, choose a new password by mail: that ends all sessions and deletes all access keys.

[Choose a new password]({{link}})
`,
  "second-factor-added": `Subject: An authenticator app for your account at {{site}}

An authenticator app was set up. From now on every sign-in asks for one of its codes.

- When: {{when}}
- From: {{network}}
- Browser: {{browser}}

If it was not you, choose a new password by mail at once: that ends all sessions. Then look at your account's second factor.

[Choose a new password]({{link}})
`,
  "second-factor-removed": `Subject: An authenticator app was removed from your account at {{site}}

An authenticator app was removed from your account. Its codes are no longer taken.

- When: {{when}}
- From: {{network}}
- Browser: {{browser}}

If it was not you, choose a new password by mail at once: that ends all sessions. Then look at your account's second factor.

[Choose a new password]({{link}})
`,
  "recovery-codes-made": `Subject: New recovery codes for your account at {{site}}

A new set of recovery codes was made. The old ones are void.

- When: {{when}}
- From: {{network}}
- Browser: {{browser}}

If it was not you, choose a new password by mail at once: that ends all sessions. Then look at your account's second factor.

[Choose a new password]({{link}})
`,
  "recovery-code-used": `Subject: A recovery code was used at {{site}}

One of your recovery codes was used to sign in or to confirm a change.

- Codes left: {{left}}
- When: {{when}}
- From: {{network}}
- Browser: {{browser}}

If it was not you, choose a new password by mail at once: that ends all sessions. Then look at your account's second factor.

[Choose a new password]({{link}})
`,
  "invitation-accepted": `Subject: Your account at {{site}} is ready

The invitation to {{site}} was accepted, and your address is confirmed.

- When: {{when}}
- From: {{network}}

If it was not you, ask the people who run the site.
`,
};
