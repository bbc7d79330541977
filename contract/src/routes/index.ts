/** Every call of the contract that is ours; the standards' endpoints are in ../oauth.ts. */
import * as accessKey from "./access-key.ts";
import * as account from "./account.ts";
import * as appAccount from "./app-account.ts";
import * as app from "./app.ts";
import * as basic from "./basic.ts";
import { checkTokens } from "./check.ts";
import * as delivery from "./delivery.ts";
import * as development from "./development.ts";
import * as intakeDraft from "./intake-draft.ts";
import { correctRecipe, listIntakeRefusals, listIntakes } from "./intake.ts";
import * as journal from "./journal.ts";
import * as mail from "./mail.ts";
import * as passkey from "./passkey.ts";
import * as password from "./password.ts";
import { beginRehearsal, endRehearsal, listRehearsals } from "./rehearsal.ts";
import * as session from "./session.ts";
import { addProof, showSignIn, showSignInFigures, signIn } from "./sign-in.ts";
import * as throttle from "./throttle.ts";
import { importAuthenticators } from "./totp-import.ts";
import * as totp from "./totp.ts";
import { beginHashTuning, showHashTuning } from "./tuning.ts";

/** Every call under `/v1`, by name. */
export const routes = {
  register: account.register,
  showAccount: account.showAccount,
  listAccounts: account.listAccounts,
  showAccountDetail: account.showAccountDetail,
  changeAccount: account.changeAccount,
  changeOwnAccount: account.changeOwnAccount,
  addAccount: account.addAccount,
  eraseAccount: account.eraseAccount,
  removeSecondFactor: account.removeSecondFactor,
  correctEmail: account.correctEmail,
  giveFirstPassword: account.giveFirstPassword,
  changeEmail: account.changeEmail,
  confirmEmail: account.confirmEmail,
  exportOwnData: account.exportOwnData,
  eraseOwnAccount: account.eraseOwnAccount,
  inviteAccount: account.inviteAccount,
  signIn,
  showSignIn,
  addProof,
  showSignInFigures,
  ...accessKey,
  ...basic,
  checkTokens,
  ...password,
  showSession: session.showSession,
  signOut: session.signOut,
  listOwnSessions: session.listOwnSessions,
  endOwnSession: session.endOwnSession,
  endOtherSessions: session.endOtherSessions,
  findLivingSessions: session.findLivingSessions,
  reauthenticate: session.reauthenticate,
  listSessions: session.listSessions,
  endSession: session.endSession,
  ...journal,
  ...app,
  ...appAccount,
  ...throttle,
  listRehearsals,
  beginRehearsal,
  endRehearsal,
  ...totp,
  beginPasskey: passkey.beginPasskey,
  listPasskeys: passkey.listPasskeys,
  addPasskey: passkey.addPasskey,
  renamePasskey: passkey.renamePasskey,
  removePasskey: passkey.removePasskey,
  importAuthenticators,
  listIntakes,
  listIntakeRefusals,
  correctRecipe,
  beginIntakeDraft: intakeDraft.beginIntakeDraft,
  addIntakePart: intakeDraft.addIntakePart,
  planIntakeDraft: intakeDraft.planIntakeDraft,
  showIntakeDraft: intakeDraft.showIntakeDraft,
  checkIntakeDraft: intakeDraft.checkIntakeDraft,
  runIntakeDraft: intakeDraft.runIntakeDraft,
  dropIntakeDraft: intakeDraft.dropIntakeDraft,
  ...delivery,
  askForLink: mail.askForLink,
  lookAtLink: mail.lookAtLink,
  redeemLink: mail.redeemLink,
  listMailbox: mail.listMailbox,
  showMail: mail.showMail,
  repeatMail: mail.repeatMail,
  listDevelopmentMailbox: mail.listDevelopmentMailbox,
  showDevelopmentMail: mail.showDevelopmentMail,
  beginHashTuning,
  showHashTuning,
  ...development,
} as const;
