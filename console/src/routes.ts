/** Which page stands at which path. */
import { createRouter } from "sv-router";
import AccessKeys from "./people/AccessKeys.svelte";
import Account from "./people/Account.svelte";
import ChangeDetails from "./people/ChangeDetails.svelte";
import ChangeEmail from "./people/ChangeEmail.svelte";
import ChangePassword from "./people/ChangePassword.svelte";
import EraseOneself from "./people/EraseOneself.svelte";
import Forgot from "./people/Forgot.svelte";
import Link from "./people/Link.svelte";
import Mailbox from "./people/Mailbox.svelte";
import MySessions from "./people/MySessions.svelte";
import NotHere from "./people/NotHere.svelte";
import Reauthentication from "./people/Reauthentication.svelte";
import Register from "./people/Register.svelte";
import SecondFactor from "./people/SecondFactor.svelte";
import SignIn from "./people/SignIn.svelte";
import SignOut from "./people/SignOut.svelte";

export const { p, navigate, route } = createRouter({
  "/": Account,
  "/sign-in": SignIn,
  "/register": Register,
  "/sign-out": SignOut,
  "/forgot": Forgot,
  "/link": Link,
  "/mailbox": Mailbox,
  "/account": Account,
  "/account/details": ChangeDetails,
  "/account/password": ChangePassword,
  "/account/email": ChangeEmail,
  "/account/sessions": MySessions,
  "/account/erase": EraseOneself,
  "/account/access-keys": AccessKeys,
  "/account/second-factor": SecondFactor,
  "/account/reauthenticate": Reauthentication,
  "/docs": () => import("./people/Docs.svelte"),
  "/problems/:code": NotHere,
  "/console": {
    "/": () => import("./operators/Accounts.svelte"),
    "/accounts": () => import("./operators/Accounts.svelte"),
    "/accounts/:id": () => import("./operators/AccountDetail.svelte"),
    "/sessions": () => import("./operators/Sessions.svelte"),
    "/journal": () => import("./operators/Journal.svelte"),
    "/hashes": () => import("./operators/Hashes.svelte"),
    "/webhooks": () => import("./operators/Webhooks.svelte"),
    "/mail": () => import("./operators/Mail.svelte"),
    "/apps": () => import("./operators/Apps.svelte"),
    layout: () => import("./operators/Console.svelte"),
  },
  "*": NotHere,
});
