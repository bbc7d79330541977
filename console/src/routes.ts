/** Which page stands at which path. */
import { createRouter } from "sv-router";
import NotHere from "./people/NotHere.svelte";
import SignIn from "./people/SignIn.svelte";

export const { p, navigate, route } = createRouter({
  "/": () => import("./people/Account.svelte"),
  "/sign-in": SignIn,
  "/register": () => import("./people/Register.svelte"),
  "/sign-out": () => import("./people/SignOut.svelte"),
  "/forgot": () => import("./people/Forgot.svelte"),
  "/link": () => import("./people/Link.svelte"),
  "/mailbox": () => import("./people/Mailbox.svelte"),
  "/account": () => import("./people/Account.svelte"),
  "/account/details": () => import("./people/ChangeDetails.svelte"),
  "/account/password": () => import("./people/ChangePassword.svelte"),
  "/account/email": () => import("./people/ChangeEmail.svelte"),
  "/account/sessions": () => import("./people/MySessions.svelte"),
  "/account/erase": () => import("./people/EraseOneself.svelte"),
  "/account/access-keys": () => import("./people/AccessKeys.svelte"),
  "/account/passkeys": () => import("./people/Passkeys.svelte"),
  "/account/second-factor": () => import("./people/SecondFactor.svelte"),
  "/account/reauthenticate": () => import("./people/Reauthentication.svelte"),
  "/docs": () => import("./people/Docs.svelte"),
  "/problems/:code": NotHere,
  "/console": {
    "/": () => import("./operators/Accounts.svelte"),
    "/accounts": () => import("./operators/Accounts.svelte"),
    "/accounts/:id": () => import("./operators/AccountDetail.svelte"),
    "/sessions": () => import("./operators/Sessions.svelte"),
    "/sign-ins": () => import("./operators/SignIns.svelte"),
    "/journal": () => import("./operators/Journal.svelte"),
    "/hashes": () => import("./operators/Hashes.svelte"),
    "/webhooks": () => import("./operators/Webhooks.svelte"),
    "/moving-in": () => import("./operators/MovingIn.svelte"),
    "/moving-in/new": () => import("./operators/MoveIn.svelte"),
    "/mail": () => import("./operators/Mail.svelte"),
    "/apps": () => import("./operators/Apps.svelte"),
    layout: () => import("./operators/Console.svelte"),
  },
  "*": NotHere,
});
