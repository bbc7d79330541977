/** How far back goes what somebody shows: of each kind of proof, and of the browser in which it is shown. */
import type { Grounds } from "@lucchetto/core";
import { hashToken, NO_GROUNDS } from "@lucchetto/core";
import type { EntityManager } from "typeorm";
import type {
  AuthenticatorRow,
  KnownDeviceRow,
  PasskeyRow,
  PasswordRecordRow,
  RecoveryCodeRow,
} from "../../base/storage/index.ts";
import type { ServiceContext } from "../../records/context.ts";
import { findDevice } from "../../records/throttle/store.ts";
import { keptAsThing } from "./kept.ts";

/** Of a password. It stands for nobody's being there before: whoever learnt it shows it as well. */
export function groundsOfPassword({
  provedSince,
  setAt,
}: Pick<PasswordRecordRow, "provedSince" | "setAt">): Grounds {
  return { provedSince: provedSince ?? setAt, standsSince: null };
}

/** Of an authenticator, a passkey or a recovery code. */
export function groundsOfFactor(
  row:
    | Pick<AuthenticatorRow, "provedSince" | "activatedAt" | "createdAt">
    | Pick<PasskeyRow | RecoveryCodeRow, "provedSince" | "createdAt">,
): Grounds {
  const since = sinceOf(row);
  return { provedSince: row.provedSince ?? since, standsSince: since };
}

/** Since when a factor counts. */
export function sinceOf(row: { readonly activatedAt?: Date | null; readonly createdAt: Date }): Date {
  return row.activatedAt ?? row.createdAt;
}

/** What an account knows of a browser, or knew. */
export async function findBrowser(
  manager: EntityManager,
  accountId: string,
  mark: string | undefined,
): Promise<KnownDeviceRow | null> {
  const hashed = hashToken("device-mark", mark);
  return hashed === null ? null : findDevice(manager, accountId, hashed);
}

/** Of the browser that an account knows, or knew a short while ago. */
export function groundsOfDevice(
  { configuration }: Pick<ServiceContext, "configuration">,
  device: KnownDeviceRow | null,
  now: Date,
): Grounds {
  if (device === null || device.provedSince === null || device.endedAt !== null) return NO_GROUNDS;
  const { provedSince, forgottenAt, createdAt } = device;
  const isLongForgotten =
    forgottenAt !== null && forgottenAt.getTime() < now.getTime() - keptAsThing(configuration.links);
  return isLongForgotten ? NO_GROUNDS : { provedSince, standsSince: createdAt };
}
