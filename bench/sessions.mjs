/** A million sessions, each with an account and a check token of one app, made by the database itself. */
import { createHash, randomBytes } from "node:crypto";
import { say } from "../scripts/say.mjs";

/** 43 characters after the prefix; the number stands at the end. */
export function tokenOf(number) {
  return `lck_${String(number).padStart(43, "A")}`;
}

/** Rooms: 1 apps and keys, 4 accounts, 5 sessions. */
export function idOf(number, room) {
  return `0190000${room}-0000-7000-8000-${number.toString(16).padStart(12, "0")}`;
}

/**
 * @param unseen whether each is used for the first time, so that every request also has a last use to be written; else all count as seen
 * within the last minute, as those in use are.
 * @returns the key of the app `bench`.
 */
export async function fillSessions(service, { sessions, unseen = false }) {
  const key = `lcp_${randomBytes(32).toString("base64url")}`;
  const began = Date.now();
  const id = (room) => `CONCAT('0190000${room}-0000-7000-8000-', LPAD(LOWER(HEX(seq)), 12, '0'))`;
  const seen = unseen ? "UTC_TIMESTAMP(3) - INTERVAL 5 MINUTE" : "UTC_TIMESTAMP(3) + INTERVAL 1 HOUR";
  const later = "UTC_TIMESTAMP(3) + INTERVAL 10 HOUR";
  const STEP = 100_000;
  await service.query(
    `INSERT INTO app (id, clientId, name, redirectUris, signedOutUris, createdAt) VALUES ('${idOf(1, "1")}', 'bench', 'Bench', '[]', '[]', UTC_TIMESTAMP(3))`,
  );
  const keyHash = createHash("sha256").update(key).digest("hex");
  await service.query(
    `INSERT INTO app_key (id, appId, keyHash, createdAt, lastUsedAt) VALUES ('${idOf(2, "1")}', '${idOf(1, "1")}', X'${keyHash}', UTC_TIMESTAMP(3), NULL)`,
  );
  for (let from = 1; from <= sessions; from += STEP) {
    const rows = `FROM seq_1_to_${sessions} WHERE seq >= ${from} AND seq < ${from + STEP}`;
    await service.query(
      `INSERT INTO account (id, email, emailKey, emailVerifiedAt, state, labels, createdAt) SELECT ${id("4")}, CONCAT('guest', seq, '@brina.example'), CONCAT('guest', seq, '@brina.example'), UTC_TIMESTAMP(3), 'active', '["keeper"]', UTC_TIMESTAMP(3) ${rows}`,
    );
    await service.query(
      `INSERT INTO session (id, tokenHash, accountId, kind, aal, amr, authTime, createdAt, lastSeenAt, idleEndsAt, endsAt) SELECT ${id("5")}, UNHEX(SHA2(CONCAT('own', seq), 256)), ${id("4")}, 'ordinary', 1, '["pwd"]', UTC_TIMESTAMP(3), UTC_TIMESTAMP(3), ${seen}, ${later}, ${later} ${rows}`,
    );
    await service.query(
      `INSERT INTO check_token (tokenHash, codeHash, appId, sessionId, createdAt) SELECT UNHEX(SHA2(CONCAT('lck_', LPAD(seq, 43, 'A')), 256)), UNHEX(SHA2(CONCAT('code', seq), 256)), '${idOf(1, "1")}', ${id("5")}, UTC_TIMESTAMP(3) ${rows}`,
    );
  }
  say(
    `${sessions} accounts, sessions and check tokens made in ${Math.round((Date.now() - began) / 1_000)} s`,
  );
  return key;
}
