import {
  addAccount,
  changeAccount,
  correctEmail,
  eraseAccount,
  giveFirstPassword,
  inviteAccount,
  listAccounts,
  removeSecondFactor,
  showAccountDetail,
} from "./account.ts";
import { addApp, addAppKey, changeApp, listApps, removeApp, retireAppKey } from "./app.ts";
import { listDeliveries, repeatDelivery } from "./delivery.ts";
import {
  addIntakePart,
  beginIntakeDraft,
  checkIntakeDraft,
  dropIntakeDraft,
  planIntakeDraft,
  runIntakeDraft,
  showIntakeDraft,
} from "./intake-draft.ts";
import { correctRecipe, listIntakeRefusals, listIntakes } from "./intake.ts";
import { listJournal, showJournalHead, verifyJournal } from "./journal.ts";
import { listMailbox, repeatMail, showMail } from "./mail.ts";
import { showHashFleet } from "./password.ts";
import { beginRehearsal, endRehearsal, listRehearsals } from "./rehearsal.ts";
import { endSession, listSessions } from "./session.ts";
import { showSignInFigures } from "./sign-in.ts";
import { listThrottle, releaseThrottle } from "./throttle.ts";
import { importAuthenticators } from "./totp-import.ts";
import { beginHashTuning, showHashTuning } from "./tuning.ts";

/** Operators' calls. */
export const operatorRoutes = {
  inviteAccount,
  addAccount,
  eraseAccount,
  removeSecondFactor,
  correctEmail,
  giveFirstPassword,
  listAccounts,
  showAccountDetail,
  changeAccount,
  listApps,
  addApp,
  changeApp,
  removeApp,
  addAppKey,
  retireAppKey,
  listDeliveries,
  repeatDelivery,
  beginIntakeDraft,
  addIntakePart,
  planIntakeDraft,
  showIntakeDraft,
  checkIntakeDraft,
  runIntakeDraft,
  dropIntakeDraft,
  listIntakes,
  listIntakeRefusals,
  correctRecipe,
  listJournal,
  showJournalHead,
  verifyJournal,
  listMailbox,
  showMail,
  repeatMail,
  showHashFleet,
  listRehearsals,
  beginRehearsal,
  endRehearsal,
  listSessions,
  endSession,
  showSignInFigures,
  listThrottle,
  releaseThrottle,
  importAuthenticators,
  showHashTuning,
  beginHashTuning,
} as const;
