/** Makes what the rooms of the service share. */
import { randomBytes } from "node:crypto";
import { deriveKey, KEY_BYTES } from "@lucchetto/core";
import type { FastifyBaseLogger } from "fastify";
import type { DataSource } from "typeorm";
import type { Clock, MovableClock } from "../base/clock/clock.ts";
import type { Configuration } from "../base/config/index.ts";
import { hostCookie } from "../base/http/host-cookie.ts";
import { joinLookUps } from "../base/storage/index.ts";
import { findAccessKeys } from "../records/access-key/store.ts";
import { findByClientIds, findByKeys } from "../records/app/store.ts";
import { countAppUsage } from "../records/app/usage.ts";
import type { LookUps, ServiceContext } from "../records/context.ts";
import { sealingKeysOf } from "../records/context.ts";
import { findCheckTokens, findKeyedTokens, pairOf } from "../records/oauth/store.ts";
import { openCompromisedList } from "../records/password/compromised.ts";
import { createHashing } from "../records/password/hashing.ts";
import { createFleetCounter } from "../records/password/scheme-statistics.ts";
import { createLastSeen } from "../records/session/last-seen.ts";
import { findByTokens } from "../records/session/store.ts";
import { journalRefusals } from "../records/throttle/refusals.ts";
import { createConsult } from "../records/webhook/consult.ts";

export interface ServiceParts {
  readonly configuration: Configuration;
  /** Connected, on the schema that this service knows. */
  readonly dataSource: DataSource;
  readonly clock: Clock | MovableClock;
  readonly logger: FastifyBaseLogger;
}

/** Makes it. */
export async function makeContext({
  configuration,
  dataSource,
  clock,
  logger,
}: ServiceParts): Promise<ServiceContext> {
  const { publicUrl, passwords, sessions } = configuration;
  return {
    configuration,
    dataSource,
    clock,
    hashing: createHashing(configuration),
    compromised:
      passwords.compromisedList === undefined ? null : await openCompromisedList(passwords.compromisedList),
    schemeStatistics: createFleetCounter({ dataSource, clock }),
    consult: createConsult(configuration, clock, logger),
    refusals: journalRefusals({ dataSource, configuration, clock }, logger),
    lookUps: joinedLookUps(dataSource),
    lastSeen: createLastSeen(dataSource, sessions, logger),
    appUsage: countAppUsage(dataSource, clock, logger),
    ownCookie: hostCookie(publicUrl, "own"),
    deviceCookie: hostCookie(publicUrl, "device"),
    signInCookie: hostCookie(publicUrl, "sign-in"),
    languageCookie: hostCookie(publicUrl, "language"),
    proxyCookie: hostCookie(publicUrl, "proxy"),
    ...keysOf(configuration),
  };
}

/** One question for all that wait at a moment. */
function joinedLookUps(dataSource: DataSource): LookUps {
  return {
    checkToken: joinLookUps(
      (hashes) => findCheckTokens(dataSource, hashes),
      ({ checkHash }) => checkHash,
    ),
    keyedToken: joinLookUps(
      (pairs) => findKeyedTokens(dataSource, pairs),
      ({ checkHash, keyHash }) => pairOf(checkHash, keyHash),
    ),
    ownToken: joinLookUps(
      (hashes) => findByTokens(dataSource, hashes),
      ({ session }) => session.tokenHash,
    ),
    proxiedApp: joinLookUps(
      (clientIds) => findByClientIds(dataSource, clientIds),
      ({ clientId }) => Buffer.from(clientId),
    ),
    accessKey: joinLookUps(
      (hashes) => findAccessKeys(dataSource, hashes),
      ({ keyHash }) => keyHash,
    ),
    appKey: joinLookUps(
      (hashes) => findByKeys(dataSource, hashes),
      ({ keyHash }) => keyHash,
    ),
  };
}

function keysOf(
  configuration: Configuration,
): Pick<ServiceContext, "sealingKeys" | "throttleKey" | "mailCodeKey"> {
  const ring = sealingKeysOf(configuration);
  const current = ring.keys.get(ring.current) ?? randomBytes(KEY_BYTES);
  return {
    sealingKeys: ring,
    throttleKey: deriveKey(current, "throttle"),
    mailCodeKey: deriveKey(current, "mail-code"),
  };
}
