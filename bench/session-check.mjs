/**
 * How fast an application is told who is there, against a bare Fastify route that makes one prepared primary-key join
 * with the same driver for each request.
 *
 *     node bench/session-check.mjs [--sessions 1000000] [--connections 64,16] [--seconds 1.5] [--rounds 15] [--pool 1G] [--unseen]
 *
 * Both sides are processes of their own before one MariaDB, whose buffer pool holds a million of each (1 GiB unless said otherwise), asked by short turns for
 * tokens drawn at random from all sessions; the medians of the turns are compared, so that a neighbour's noise weighs little. All sessions count as seen within the last minute, as those in use are;
 * with --unseen each is used for the first time, so that every request also has a last use to be written.
 */
import { fork } from "node:child_process";
import { createHash, randomBytes } from "node:crypto";
import { parseArgs } from "node:util";
import { freePort } from "../scripts/process.mjs";
import { say } from "../scripts/say.mjs";
import { drive } from "./drive.mjs";
import { startBenchService } from "./service.mjs";

const { values } = parseArgs({
  options: {
    sessions: { type: "string", default: "1000000" },
    connections: { type: "string", default: "64,16" },
    seconds: { type: "string", default: "1.5" },
    rounds: { type: "string", default: "15" },
    pool: { type: "string", default: "1G" },
    unseen: { type: "boolean", default: false },
  },
});
const SESSIONS = Number(values.sessions);
const SECONDS = Number(values.seconds);
const POOL = 10;

const service = await startBenchService({}, { production: true, pool: values.pool });
const key = `lcp_${randomBytes(32).toString("base64url")}`;
await fill();

const barePort = await freePort();
const bare = fork(new URL("./bare-check.mjs", import.meta.url), [
  String(barePort),
  JSON.stringify({ ...service.database, connectionLimit: POOL }),
]);
await new Promise((resolve) => bare.once("message", resolve));

const authorization = `Basic ${Buffer.from(`bench:${key}`).toString("base64")}`;
const introspect = () => {
  const body = `token=${tokenOf(1 + Math.floor(Math.random() * SESSIONS))}`;
  return `POST /oauth/introspect HTTP/1.1\r\nHost: bench\r\nAuthorization: ${authorization}\r\nContent-Type: application/x-www-form-urlencoded\r\nContent-Length: ${body.length}\r\n\r\n${body}`;
};
const join = () =>
  `GET /check/${idOf(1 + Math.floor(Math.random() * SESSIONS), "5")} HTTP/1.1\r\nHost: bench\r\n\r\n`;

const sides = {
  check: { port: Number(new URL(service.url).port), request: introspect, holds: '"active":true' },
  bare: { port: barePort, request: join, holds: '"email":"guest' },
};
for (const side of Object.values(sides)) await drive({ ...side, connections: 64, seconds: 3 });
for (const connections of values.connections.split(",").map(Number)) {
  const turns = { check: [], bare: [] };
  for (let round = 1; round <= Number(values.rounds); round += 1) {
    for (const [name, side] of Object.entries(sides))
      turns[name].push(await drive({ ...side, connections, seconds: SECONDS }));
  }
  const check = middleOf(turns.check);
  const other = middleOf(turns.bare);
  say(
    `${SESSIONS} sessions, buffer pool ${values.pool}, ${connections} connections, medians of ${values.rounds} turns: check ${rate(check)} (p99 ${ms(check.p99)}), bare join ${rate(other)} (p99 ${ms(other.p99)}): ${(check.rate / other.rate).toFixed(2)} times as many; the check's p99 is ${(check.p99 / other.p99).toFixed(2)} of the bare one's`,
  );
}
bare.kill();
await service.stop();

/** The median of each figure. */
function middleOf(turns) {
  const middle = (figures) => figures.sort((one, other) => one - other)[Math.floor(figures.length / 2)];
  return { rate: middle(turns.map(({ rate }) => rate)), p99: middle(turns.map(({ p99 }) => p99)) };
}

function rate({ rate }) {
  return `${rate.toFixed(0)}/s`;
}
function ms(milliseconds) {
  return `${milliseconds.toFixed(1)} ms`;
}

/** 43 characters after the prefix; the number stands at the end. */
function tokenOf(number) {
  return `lck_${String(number).padStart(43, "A")}`;
}
function idOf(number, room) {
  return `0190000${room}-0000-7000-8000-${number.toString(16).padStart(12, "0")}`;
}

/** One account, session and check token for each number, made by the database itself. */
async function fill() {
  const began = Date.now();
  const id = (room) => `CONCAT('0190000${room}-0000-7000-8000-', LPAD(LOWER(HEX(seq)), 12, '0'))`;
  const seen = values.unseen ? "UTC_TIMESTAMP(3) - INTERVAL 5 MINUTE" : "UTC_TIMESTAMP(3) + INTERVAL 1 HOUR";
  const later = "UTC_TIMESTAMP(3) + INTERVAL 10 HOUR";
  const STEP = 100_000;
  await service.query(
    `INSERT INTO app (id, clientId, name, redirectUris, signedOutUris, createdAt) VALUES ('${idOf(1, "1")}', 'bench', 'Bench', '[]', '[]', UTC_TIMESTAMP(3))`,
  );
  const keyHash = createHash("sha256").update(key).digest("hex");
  await service.query(
    `INSERT INTO app_key (id, appId, keyHash, createdAt, lastUsedAt) VALUES ('${idOf(2, "1")}', '${idOf(1, "1")}', X'${keyHash}', UTC_TIMESTAMP(3), NULL)`,
  );
  for (let from = 1; from <= SESSIONS; from += STEP) {
    const rows = `FROM seq_1_to_${SESSIONS} WHERE seq >= ${from} AND seq < ${from + STEP}`;
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
    `${SESSIONS} accounts, sessions and check tokens made in ${Math.round((Date.now() - began) / 1_000)} s`,
  );
}
