/** What people do with their own account: change display name and username. */
import type { FieldError } from "@lucchetto/contract";
import { fieldError } from "@lucchetto/contract";
import type { Language } from "@lucchetto/core";
import { fieldProblem } from "../../base/problem.ts";
import type { AccountFacts } from "../../base/storage/index.ts";
import { isDuplicateOf } from "../../base/storage/index.ts";
import { assertNotHeld } from "../../records/account/held.ts";
import { updateAccount } from "../../records/account/store.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { assertFresh } from "../../records/granting/fresh.ts";
import { changeOwn } from "../../records/granting/own-change.ts";
import { record } from "../../records/journal/journal.ts";
import type { LiveSession } from "../../records/session/store.ts";
import { countOwnWork, countUsernameChange } from "../../records/throttle/throttle.ts";
import { applyRecoveryRule } from "../recovery/end.ts";
import { tellOfUsername } from "../recovery/undo-link.ts";
import { consultOrRecord } from "./consult.ts";
import { readIdentifiers } from "./fields.ts";

/** `null` takes it away; left out it stays. */
interface WantedChange {
  readonly displayName?: string | null | undefined;
  readonly username?: string | null | undefined;
  readonly language?: Language | null | undefined;
}

/** Changes it. @throws ProblemReply `invalid-fields`, `identifier-taken`, `reauthenticate` and `throttled` for another username, `refused-by-application`, `application-unresponsive`. */
export async function changeOwnAccount(
  context: ServiceContext,
  caller: LiveSession,
  change: WantedChange,
  visit: RequestOrigin,
): Promise<AccountFacts> {
  const { account } = caller;
  if (Object.keys(definedOf(change)).length === 0) return account;
  const errors: FieldError[] = [];
  const wanted = { email: account.email, username: account.username, ...definedOf(change) };
  const { username } = readIdentifiers(context.configuration, wanted, errors);
  // Of an address nothing changes here; whatever is said of it was right once.
  const faults = errors.filter(({ path }) => path === "username" || wanted.email === null);
  if (faults.length > 0) throw fieldProblem(faults);
  await countOwnWork(context, "account-changes", account.id);
  await consultOrRecord(
    context,
    { type: "account.change", by: "person", account, change: definedOf(change) },
    visit,
  );
  const isRenamed = change.username !== undefined && (username?.key ?? null) !== account.usernameKey;
  if (isRenamed) await assertFresh(context, caller);
  const counted = isRenamed ? await countUsernameChange(context, account.id) : null;
  const columns = {
    ...(change.displayName === undefined ? {} : { displayName: change.displayName }),
    ...(change.language === undefined ? {} : { language: change.language }),
    ...(change.username === undefined
      ? {}
      : { username: username?.shown ?? null, usernameKey: username?.key ?? null }),
  };
  try {
    return await changeOwn(context, caller, async ({ manager, account: before, session, now }) => {
      const isLeft = isRenamed && before.usernameKey !== null;
      const usernameSetAt = isRenamed ? { usernameSetAt: now } : {};
      await updateAccount(manager, account.id, { ...columns, ...usernameSetAt });
      if (isRenamed)
        await assertNotHeld(
          manager,
          { kind: "username", key: username?.key ?? null },
          { accountId: account.id, now },
        );
      if (isRenamed)
        await applyRecoveryRule(context, manager, { accountId: account.id, event: "username-changed", now });
      if (isLeft) await tellOfUsername(context, manager, { account: before, visit, now });
      const reason = Object.keys(definedOf(change)).join(" ");
      const event = {
        kind: "account.changed",
        reason,
        accountId: account.id,
        sessionId: session.id,
      } as const;
      await record(context, manager, { event, visit, now });
      return { ...before, ...columns };
    });
  } catch (error) {
    await counted?.giveBack();
    if (!isDuplicateOf(error, "account_username")) throw error;
    throw fieldProblem([fieldError("username", "username-taken")], "identifier-taken");
  }
}

/** Only what was said. */
function definedOf(change: WantedChange): {
  displayName?: string | null;
  username?: string | null;
  language?: Language | null;
} {
  return {
    ...(change.language === undefined ? {} : { language: change.language }),
    ...(change.displayName === undefined ? {} : { displayName: change.displayName }),
    ...(change.username === undefined ? {} : { username: change.username }),
  };
}
