/** What was looked at for a request, in its order, and what each look found. */
import type { RequestTrace } from "@lucchetto/contract";
import type { ThrottleKind } from "@lucchetto/core";
import type { Written } from "./statement.ts";
import { asksWhether, changeOf, tableRead } from "./statement.ts";
import type { Asked, Hash, LookUp, Seen, Statement, Watched } from "./watch.ts";

type Check = RequestTrace["checks"][number];
type Found = Pick<Check, "what" | "found" | "state">;

const neutral = (what: string, found: string): Found => ({ what, found, state: "neutral" });
const well = (what: string, found: string): Found => ({ what, found, state: "well" });
const refused = (what: string, found: string): Found => ({ what, found, state: "refused" });

/** In words, whom or what a throttle counts. */
const COUNTED: Readonly<Record<ThrottleKind, string>> = {
  "account-strange": "this account, from browsers it does not know",
  "account-known": "this account, from this browser",
  "account-own": "this account, inside its sessions",
  "account-factor": "second factors of this account",
  "account-factor-known": "second factors of this account, from this browser",
  "account-factor-reset": "second factors of this account after a reset",
  "account-codes-by-mail": "codes of this account that mailed links let somebody try",
  "account-usernames": "changes of this account's username",
  "account-hashing": "new passwords of this account",
  "account-changes": "changes of this account's details",
  "account-copies": "copies of this account's data",
  "account-keys": "access keys of this account",
  name: "this name",
  "undo-link": "this undo link",
  "link-hashing": "new passwords by this link",
  network: "this network",
  "network-registrations": "registrations from this network",
  "network-mail": "mails requested from this network",
  "network-challenges": "passkey challenges for this network",
  "address-mail": "mails to this address",
  "device-mail": "mails requested in this browser",
  "app-work": "account calls by this app",
};

/** What is known of throttles on the way. */
interface Throttles {
  /** What each row counts, by its id. */
  readonly kinds: Map<string, string>;
  readonly cameAt: Date;
}

/** @returns the checks in their order. */
export function checksOf({ seen, at: cameAt }: Pick<Watched, "seen" | "at">): Check[] {
  const throttles: Throttles = { kinds: new Map(), cameAt };
  return seen.flatMap((one): Check[] => {
    const found = foundBy(one, throttles);
    const at = tenth(one.from);
    return found === null ? [] : [{ ...found, at, milliseconds: tenth(one.to - one.from) }];
  });
}

export const tenth = (milliseconds: number): number => Math.round(milliseconds * 10) / 10;

function foundBy(one: Seen, throttles: Throttles): Found | null {
  switch (one.kind) {
    case "hash":
      return byHash(one);
    case "asked":
      return byQuestion(one);
    case "look-up":
      return byLookUp(one);
    default:
      return one.error === null
        ? (byChange(one, throttles) ?? byReading(one, throttles))
        : refused("database", one.error);
  }
}

function byHash({ what, scheme, isStored, fits, error }: Hash): Found {
  if (error !== null) return refused("password", error);
  if (what === "make") return neutral("password", `a new record was made, ${scheme}`);
  if (!isStored) return refused("password", `no record: hashed anyway, so that it takes as long (${scheme})`);
  return fits === true ? well("password", `match, ${scheme}`) : refused("password", `no match, ${scheme}`);
}

function byQuestion({ event, refusal }: Asked): Found | null {
  return refusal === null ? well("webhook", `${event}: allowed`) : refused("webhook", `${event}: ${refusal}`);
}

const LOOK_UPS: Readonly<Record<LookUp["what"], string>> = {
  ownToken: "session",
  checkToken: "check token",
  keyedToken: "check token",
  appKey: "app",
  proxiedApp: "app",
  accessKey: "access key",
};

function byLookUp({ what, found }: LookUp): Found {
  const name = LOOK_UPS[what];
  if (typeof found !== "object" || found === null) return refused(name, "no such token");
  const {
    session,
    account,
    name: appName,
  } = found as Record<string, Record<string, unknown> | string | undefined>;
  if (typeof session !== "object") return well(name, typeof appName === "string" ? appName : "known");
  const who = typeof account === "object" ? nameOf(account) : "somebody";
  if (session["endedAt"] !== null && session["endedAt"] !== undefined)
    return refused(name, `of ${who}, ended ${timeOf(session["endedAt"])}`);
  return well(
    name,
    `of ${who}, level ${String(session["aal"])}, until ${timeOf(session["endsAt"])} at the latest`,
  );
}

/** What was written says what was decided. */
function byChange(statement: Statement, throttles: Throttles): Found | null {
  const change = changeOf(statement);
  if (change === null) return null;
  const value = (name: string): unknown => {
    const written: Written | undefined = change.values.get(name);
    return written !== undefined && "value" in written ? written.value : undefined;
  };
  switch (change.table) {
    case "throttle_count": {
      if (change.change === "removed") return neutral("throttle", `${change.count} counts reset`);
      if (change.change === "added") {
        // Another try was first.
        if (change.count === 0) return null;
        throttles.kinds.set(idIn(statement.values[0]), String(value("kind")));
      }
      const failures = value("failures");
      const id = statement.values.map(idIn).find((each) => throttles.kinds.has(each));
      const whom = inWords(id === undefined ? undefined : throttles.kinds.get(id));
      if (failures === undefined) return neutral("throttle", `${whom}: one given back`);
      return neutral(
        "throttle",
        `${whom}: ${String(failures)} counted${waitIn(value("waitUntil"), value("changedAt"))}`,
      );
    }
    case "session":
      if (change.change === "added")
        return well(
          "session",
          `begun, level ${String(value("aal"))}, until ${timeOf(value("endsAt"))} at the latest`,
        );
      return change.values.has("endedAt") && change.count > 0
        ? neutral("session", `${change.count} ended`)
        : null;
    case "sign_in":
      return change.change === "added" ? neutral("sign-in", "begun, more is needed") : null;
    case "check_token":
      return change.change === "added" ? well("check token", "made for the app") : null;
    case "journal_entry": {
      const said = [value("kind"), value("reason")].filter((each) => typeof each === "string").join(", ");
      return value("outcome") === "refused" ? refused("journal", said) : neutral("journal", said);
    }
    default:
      return null;
  }
}

/** What a statement that changes nothing found. */
function byReading(statement: Statement, throttles: Throttles): Found | null {
  const table = tableRead(statement);
  const { rows } = statement;
  if (table === null || rows === null) return null;
  const [row] = rows;
  const value = (name: string): unknown => row?.[`${table}_${name}`] ?? row?.[name];
  switch (table) {
    case "throttle_count": {
      if (row === undefined) return null;
      throttles.kinds.set(idIn(value("id")), String(value("kind")));
      const isWaiting = value("waitUntil") instanceof Date && (value("waitUntil") as Date) > throttles.cameAt;
      if (!isWaiting) return null;
      const whom = inWords(String(value("kind")));
      return refused(
        "throttle",
        `${whom}: ${String(value("failures"))} counted, waits until ${timeOf(value("waitUntil"))}`,
      );
    }
    case "account":
      if (asksWhether(statement)) return null;
      if (row === undefined) return refused("account", "nobody of this name");
      // Not the account itself, but something of it.
      if (value("state") === undefined) return null;
      return {
        what: "account",
        found: `${nameOf(value)}, ${String(value("state"))}`,
        state: value("state") === "active" ? "well" : "refused",
      };
    case "password_record":
      if (asksWhether(statement)) return null;
      return row === undefined
        ? refused("record", "no password")
        : neutral("record", String(value("scheme")));
    case "authenticator":
      return neutral("second factor", row === undefined ? "no authenticator app" : "an authenticator app");
    case "passkey":
      return neutral("second factor", row === undefined ? "no passkey" : "a passkey");
    case "recovery_code":
      return row === undefined ? refused("recovery code", "none like it") : null;
    case "known_device":
      return neutral("browser", row === undefined ? "unknown to this account" : "known to this account");
    case "mail_link":
      if (value("purpose") === undefined) return null;
      return row === undefined
        ? refused("mailed link", "none of this secret")
        : well("mailed link", String(value("purpose")));
    case "authorization_code":
      return row === undefined ? refused("code", "none like it") : well("code", "found");
    case "sign_in":
      return row === undefined ? refused("sign-in", "no such token") : well("sign-in", "in progress");
    default:
      return null;
  }
}

const inWords = (kind: string | undefined): string =>
  kind === undefined ? "a count" : (COUNTED[kind as ThrottleKind] ?? kind);

function waitIn(until: unknown, now: unknown): string {
  return until instanceof Date && now instanceof Date && until > now ? `, waits until ${timeOf(until)}` : "";
}

function nameOf(of: Record<string, unknown> | ((name: string) => unknown)): string {
  const value = typeof of === "function" ? of : (name: string) => of[name];
  const found = [value("email"), value("username"), value("displayName"), value("id")].find(
    (one) => typeof one === "string" && one !== "",
  );
  return typeof found === "string" ? found : "somebody";
}

const timeOf = (value: unknown): string =>
  value instanceof Date ? `${value.toISOString().slice(0, 19).replace("T", " ")} UTC` : "an unknown time";

const idIn = (value: unknown): string => (Buffer.isBuffer(value) ? value.toString("hex") : "");
