/** What the rooms of the service share: one value, made once, handed down. */
import { randomBytes } from "node:crypto";
import type { KeyRing } from "@lucchetto/core";
import { KEY_BYTES } from "@lucchetto/core";
import type { DataSource } from "typeorm";
import type { DailyCount } from "../base/clock/by-day.ts";
import type { Clock } from "../base/clock/clock.ts";
import type { Configuration } from "../base/config/index.ts";
import type { HostCookie } from "../base/http/host-cookie.ts";
import type { HeldAccessKey } from "./access-key/store.ts";
import type { KeyedApp, ProxiedApp } from "./app/store.ts";
import type { AppUsage } from "./app/usage.ts";
import type { CheckedToken, KeyedToken } from "./oauth/store.ts";
import type { CompromisedList } from "./password/compromised.ts";
import type { Hashing } from "./password/hashing.ts";
import type { LastSeen } from "./session/last-seen.ts";
import type { LiveSession } from "./session/store.ts";
import type { Consult } from "./webhook/consult.ts";

export interface ServiceContext {
  readonly configuration: Configuration;
  readonly dataSource: DataSource;
  readonly clock: Clock;
  readonly hashing: Hashing;
  /** The operator's list of compromised passwords, if there is one. */
  readonly compromised: CompromisedList | null;
  /** Counts the schemes of all records, day by day. */
  readonly schemeStatistics: DailyCount;
  /** Asks the application. */
  readonly consult: Consult;
  readonly lastSeen: LastSeen;
  /** Counts what apps ask. */
  readonly appUsage: AppUsage;
  /** Tries that were not looked at, and access keys that open nothing. */
  readonly refusals: RefusalJournal;
  readonly lookUps: LookUps;
  readonly ownCookie: HostCookie;
  readonly deviceCookie: HostCookie;
  readonly signInCookie: HostCookie;
  readonly languageCookie: HostCookie;
  /** The check token for what stands behind the proxy on the same host. */
  readonly proxyCookie: HostCookie;
  /** Seals what must be read back. */
  readonly sealingKeys: KeyRing;
  /** Keys the hashes under which failures for unknown names are counted. */
  readonly throttleKey: Uint8Array;
  /** Keys the hashes of short codes. */
  readonly mailCodeKey: Uint8Array;
}

/** The look-ups of every request of every application, joined while they wait. */
export interface LookUps {
  /** By the hash of a check token: its session and account. */
  readonly checkToken: (tokenHash: Buffer) => Promise<CheckedToken | null>;
  /** By the hashes of a check token and of a key of the same app (see `pairOf`). */
  readonly keyedToken: (pair: Buffer) => Promise<KeyedToken | null>;
  /** By the hash of an own token. */
  readonly ownToken: (tokenHash: Buffer) => Promise<LiveSession | null>;
  /** By the hash of an app key. */
  readonly appKey: (keyHash: Buffer) => Promise<KeyedApp | null>;
  /** By the client id, as bytes: asked by the proxy check for every request of a site. */
  readonly proxiedApp: (clientId: Buffer) => Promise<ProxiedApp | null>;
  /** By the hash of an access key: the key and its account. */
  readonly accessKey: (keyHash: Buffer) => Promise<HeldAccessKey | null>;
}

/** Where a request comes from, for sessions and the journal. */
export interface RequestOrigin {
  readonly network: string | null;
  readonly userAgent: string | null;
  readonly requestId: string;
  /** The app with forms of its own that calls for a visitor. */
  readonly appId: string | null;
}

/** Something refused, as the journal has it. */
export interface RefusedEvent {
  readonly kind: "throttle.refused" | "access-key.refused";
  readonly reason: string;
  /** `null`: of nobody's; then it is counted for the network. */
  readonly accountId: string | null;
  readonly appId?: string | null;
}

/** What is refused by the thousand, on its way to the journal. */
export interface RefusalJournal {
  /** Notes one: the first of a window is written at once, the others with its end. */
  note(refused: RefusedEvent, visit: RequestOrigin): Promise<void>;
  /** Writes what was counted in windows that are over. */
  flush(): Promise<void>;
  /** Writes all that was counted and stops. */
  close(): Promise<void>;
}

/** What the one key is called where there is no key ring: it is gone with the process. */
export const PROCESS_KEY = "process";

/** Used for actions run from the command line on the service's host. */
export const BY_COMMAND: RequestOrigin = {
  network: null,
  userAgent: null,
  requestId: "command",
  appId: null,
};

/** The ring; without one (development) a key for this process alone. */
export function sealingKeysOf({ keyRing }: Configuration): KeyRing {
  return keyRing ?? { current: PROCESS_KEY, keys: new Map([[PROCESS_KEY, randomBytes(KEY_BYTES)]]) };
}
