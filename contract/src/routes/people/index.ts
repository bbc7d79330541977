import { deleteAccessKey, listAccessKeys, makeAccessKey } from "./access-key.ts";
import {
  changeEmail,
  changeOwnAccount,
  confirmEmail,
  eraseOwnAccount,
  exportOwnData,
  register,
  showAccount,
} from "./account.ts";
import { askForLink, lookAtLink, redeemLink } from "./mail.ts";
import { addPasskey, beginPasskey, listPasskeys, removePasskey, renamePasskey } from "./passkey.ts";
import { changePassword, removePassword } from "./password.ts";
import {
  endOtherSessions,
  endOwnSession,
  listOwnApps,
  listOwnSessions,
  makeCheckToken,
  reauthenticate,
  showSession,
  signOut,
} from "./session.ts";
import { addProof, showSignIn, signIn } from "./sign-in.ts";
import {
  activateAuthenticator,
  countRecoveryCodes,
  enrolAuthenticator,
  listAuthenticators,
  makeRecoveryCodes,
  removeAuthenticator,
  renameAuthenticator,
} from "./totp.ts";

/** People's own calls: what a browser or a person's program does with its own account. */
export const peopleRoutes = {
  listAccessKeys,
  makeAccessKey,
  deleteAccessKey,
  register,
  showAccount,
  changeOwnAccount,
  changeEmail,
  confirmEmail,
  exportOwnData,
  eraseOwnAccount,
  askForLink,
  lookAtLink,
  redeemLink,
  beginPasskey,
  listPasskeys,
  addPasskey,
  renamePasskey,
  removePasskey,
  changePassword,
  removePassword,
  showSession,
  signOut,
  listOwnApps,
  listOwnSessions,
  makeCheckToken,
  endOwnSession,
  endOtherSessions,
  reauthenticate,
  signIn,
  addProof,
  showSignIn,
  listAuthenticators,
  enrolAuthenticator,
  activateAuthenticator,
  renameAuthenticator,
  removeAuthenticator,
  countRecoveryCodes,
  makeRecoveryCodes,
} as const;
