/** What the rooms of the service share: one value, made once, handed down. */
import type { KeyRing } from "@lucchetto/core";
import type { DataSource } from "typeorm";
import type { Clock } from "./clock/clock.ts";
import type { Configuration } from "./config/index.ts";
import type { HostCookie } from "./http/host-cookie.ts";
import type { CompromisedList } from "./password/compromised.ts";
import type { Hashing } from "./password/hashing.ts";
import type { LastSeen } from "./session/last-seen.ts";
import type { Consult } from "./webhook/consult.ts";

export interface ServiceContext {
  readonly configuration: Configuration;
  readonly dataSource: DataSource;
  readonly clock: Clock;
  readonly hashing: Hashing;
  /** The operator's list of compromised passwords, if there is one. */
  readonly compromised: CompromisedList | null;
  /** Asks the application. */
  readonly consult: Consult;
  readonly lastSeen: LastSeen;
  readonly ownCookie: HostCookie;
  readonly deviceCookie: HostCookie;
  readonly signInCookie: HostCookie;
  /** Seals what must be read back. */
  readonly sealingKeys: KeyRing;
  /** Keys the hashes under which failures for unknown names are counted. */
  readonly throttleKey: Uint8Array;
  /** Keys the hashes of short codes. */
  readonly mailCodeKey: Uint8Array;
}

/** Where a request comes from, for sessions and the journal. */
export interface Visit {
  readonly network: string | null;
  readonly userAgent: string | null;
  readonly requestId: string;
}
