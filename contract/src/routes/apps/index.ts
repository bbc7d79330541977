import { addAccountByApp, changeAccountByApp, findAccountsByApp, inviteAccountByApp } from "./app-account.ts";
import { lookUpAccounts } from "./app.ts";
import { checkBasic } from "./basic.ts";
import { checkTokens } from "./check.ts";
import { findLivingSessions } from "./session.ts";

/** Applications' calls, with their app key. */
export const appRoutes = {
  findAccountsByApp,
  addAccountByApp,
  inviteAccountByApp,
  changeAccountByApp,
  lookUpAccounts,
  checkBasic,
  checkTokens,
  findLivingSessions,
} as const;
