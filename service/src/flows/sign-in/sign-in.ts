/** Signing in by password. Every refusal runs one hash and takes the same time, whatever its reason. */
import { performance } from "node:perf_hooks";
import { setTimeout as delay } from "node:timers/promises";
import type { Proof } from "@lucchetto/contract";
import type { SignInCandidate } from "@lucchetto/core";
import { decidePasswordSignIn, preparePassword, readIdentifier } from "@lucchetto/core";
import { ProblemReply } from "../../base/problem.ts";
import type { AccountRow, PasswordRecordRow } from "../../base/storage/index.ts";
import { inTransaction } from "../../base/storage/index.ts";
import { remake, storeRemade } from "../../people/password/password.ts";
import type { UnusableRecord } from "../../people/password/stored.ts";
import { checkable, readStored } from "../../people/password/stored.ts";
import { groundsOfPassword } from "../../people/recovery/grounds.ts";
import { findByIdentifier, lockAccount } from "../../records/account/store.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { record } from "../../records/journal/journal.ts";
import type { StoredPassword, TypedPassword } from "../../records/password/checking.ts";
import { countTry } from "../../records/password/imported-store.ts";
import { findRecord, lockRecord } from "../../records/password/store.ts";
import { mustProveEmail, ruleOf, wantedOf } from "../../records/sign-in/rule.ts";
import type { ReservedTry } from "../../records/throttle/throttle.ts";
import { giveBackAfter, reservePasswordTry } from "../../records/throttle/throttle.ts";
import type { Device, SignedInHere } from "./complete.ts";
import { completeSignIn } from "./complete.ts";
import type { PendingSignIn } from "./pending.ts";
import { keepPending } from "./pending.ts";

interface SignIn {
  readonly proof: Extract<Proof, { type: "password" }>;
  readonly remember: boolean;
  readonly visit: RequestOrigin;
  readonly device: Device;
}

/** A session, or what is wanted before there is one. */
export type SignInOutcome =
  | ({ readonly outcome: "signed-in" } & SignedInHere)
  | ({ readonly outcome: "proof-wanted" } & PendingSignIn);

/** The floor of refusals: the scheme's time here and a quarter. */
const FLOOR_FACTOR = 1.25;

/** A name and a password that were shown somewhere. */
export interface ShownPassword {
  readonly identifier: string;
  readonly password: string;
  readonly visit: RequestOrigin;
  /** The known-device mark that came along. */
  readonly mark: string | undefined;
}

/** A password that is right, and what follows from it. Its try is still reserved. */
interface PasswordProof {
  readonly account: AccountRow;
  readonly row: PasswordRecordRow;
  readonly reserved: ReservedTry;
  readonly remade: Awaited<ReturnType<typeof remake>>;
  readonly decision: Exclude<ReturnType<typeof decidePasswordSignIn>, { outcome: "refused" }>;
  readonly began: Began;
}

/** What the common time of refusals counts from. */
interface Began {
  readonly at: number;
  /** A password that is not as prepared is tried in both spellings where an old system may have hashed it raw: nobody sees where. */
  readonly spellings: 1 | 2;
}

/**
 * Checks a name and a password.
 * @throws ProblemReply `sign-in-refused` (one reply for every reason), `account-suspended`, `account-closed`, `email-unverified` and `operator-needed` (after the right password),
 * `throttled`, `too-busy`.
 */
export async function provePassword(
  context: ServiceContext,
  { identifier: typed, password, visit, mark }: ShownPassword,
): Promise<PasswordProof> {
  const at = performance.now();
  const prepared = preparePassword(password);
  const began: Began = { at, spellings: prepared.ok && prepared.text !== password ? 2 : 1 };
  const identifier = readIdentifier(typed);
  const account = identifier === null ? null : await findByIdentifier(context.dataSource, identifier);
  const reserved = await reservePasswordTry(context, {
    accountId: account?.id ?? null,
    name: identifier?.key ?? typed,
    network: visit.network,
    mark,
  });
  const row = account === null ? null : await findRecord(context.dataSource, account.id);
  const read = row === null ? null : await readStored(context, row);
  const stored = checkable(read);

  const matches =
    prepared.ok &&
    (await checkOrGiveBack(context, reserved, { prepared: prepared.text, typed: password }, stored));
  const candidate = account && {
    ...(await ruleOf(context, context.dataSource.manager, account)),
    state: account.state,
    record: describe(read),
    mustProveEmail: mustProveEmail(context, account),
  };
  const decision = decidePasswordSignIn(candidate, matches);

  if (decision.outcome === "refused") {
    await recordRefusal(context, { accountId: account?.id ?? null, reason: decision.reason, visit });
    if (!matches && typeof stored?.intakeId === "string")
      await countTry(context.dataSource, stored.intakeId, "failedAttempts");
    if (account !== null && stored !== null && (await isPastFloor(context, began, stored)))
      await journalSlowHash(context, { account, stored, visit });
    if (decision.told !== "nothing") throw new ProblemReply(decision.told);
    return refuse(context, began);
  }
  // The decision says that the account, its record and the password are there.
  if (account === null || row === null || stored === null || !prepared.ok)
    throw new Error("unreachable: accepted sign-in without an account");
  const remade = await remake(context, stored, { password: prepared.text, asker: reserved.asker });
  return { account, row, reserved, remade, decision, began };
}

/** Signs in. @throws ProblemReply as `provePassword`. */
export async function signIn(context: ServiceContext, attempt: SignIn): Promise<SignInOutcome> {
  const { proof, visit, device } = attempt;
  const { mark } = device;
  const { account, row, reserved, remade, decision, began } = await provePassword(context, {
    ...proof,
    visit,
    mark,
  });
  const kind = attempt.remember ? "remembered" : "ordinary";
  const { aal, amr } = decision;
  const grounds = groundsOfPassword(row);
  const begun = await inTransaction(context.dataSource, async (manager) => {
    const unchanged = await lockUnchanged(manager, account, row);
    if (unchanged === null) return null;
    const now = context.clock.now();
    if (remade !== null) await storeRemade(context, manager, { row, remade, visit, now });
    // While the hash was computed a second factor may have been set up.
    const wanted = await wantedOf(context, manager, { account: unchanged, shown: amr });
    if (wanted.length > 0) {
      await reserved.giveBack(manager);
      return { outcome: "proof-wanted", wanted } as const;
    }
    await reserved.succeed(manager);
    const signedIn = await completeSignIn(context, manager, {
      account: unchanged,
      kind,
      aal,
      amr,
      grounds,
      visit,
      device,
    });
    return { outcome: "signed-in", ...signedIn } as const;
  });
  if (begun === null) return refuse(context, began);
  if (begun.outcome === "signed-in") return begun;
  const pending = await keepPending(
    context,
    {
      ...{ account, kind, amr, grounds, wanted: begun.wanted },
      // A record made anew is of the same password.
      stillStands: async (manager) => (await lockUnchanged(manager, account, row)) !== null,
    },
    { visit, mark },
  );
  return { ...begun, ...pending };
}

/** Runs the one hash. What failed by itself counts as no failure. */
async function checkOrGiveBack(
  { hashing }: ServiceContext,
  reserved: ReservedTry,
  shown: TypedPassword,
  stored: StoredPassword | null,
): Promise<boolean> {
  try {
    return await hashing.check(shown, stored, reserved.asker);
  } catch (error) {
    await giveBackAfter(error, reserved);
    throw error;
  }
}

function describe(read: StoredPassword | UnusableRecord | null): SignInCandidate["record"] {
  if (read === null) return "none";
  return "unusable" in read ? read.unusable : "present";
}

/**
 * Between the look-up and here the hash took its time: whoever was suspended, or whose password was changed meanwhile,
 * does not get in on what was true before.
 */
export async function lockUnchanged(
  manager: Parameters<typeof lockAccount>[0],
  account: AccountRow,
  row: PasswordRecordRow,
): Promise<AccountRow | null> {
  const now = await lockAccount(manager, account.id);
  const record = await lockRecord(manager, account.id);
  if (now?.state !== "active" || record === null) return null;
  return record.setAt.getTime() === row.setAt.getTime() ? now : null;
}

export async function recordRefusal(
  context: ServiceContext,
  { accountId, reason, visit }: { accountId: string | null; reason: string; visit: RequestOrigin },
): Promise<void> {
  const { dataSource, clock } = context;
  const event = { kind: "sign-in.refused", outcome: "refused", reason, accountId } as const;
  await inTransaction(dataSource, (manager) => record(context, manager, { event, visit, now: clock.now() }));
}

/** A record from elsewhere that costs more than the floor makes its refusals slower than others: that is told. */
async function isPastFloor(
  { hashing }: ServiceContext,
  began: Began,
  { schemeText }: StoredPassword,
): Promise<boolean> {
  const took = performance.now() - began.at;
  return schemeText !== hashing.scheme.text && took > (await floorOf(hashing, began));
}

async function journalSlowHash(
  context: ServiceContext,
  { account, stored, visit }: { account: AccountRow; stored: StoredPassword; visit: RequestOrigin },
): Promise<void> {
  const { dataSource, clock } = context;
  const reason = stored.schemeText.slice(0, MAX_REASON_LENGTH);
  const event = { kind: "password.record-dearer", reason, accountId: account.id } as const;
  await inTransaction(dataSource, (manager) => record(context, manager, { event, visit, now: clock.now() }));
}

const MAX_REASON_LENGTH = 60;

async function floorOf(
  { measured }: Pick<ServiceContext["hashing"], "measured">,
  { spellings }: Began,
): Promise<number> {
  return (await measured) * spellings * FLOOR_FACTOR;
}

export async function refuse({ hashing }: ServiceContext, began: Began): Promise<never> {
  const floor = await floorOf(hashing, began);
  await delay(Math.max(0, floor - (performance.now() - began.at)));
  throw new ProblemReply("sign-in-refused", {
    detail: "The name or the password is wrong. Check both and try again.",
  });
}
