/**
 * A backup made under load is restored into an empty database, and an instance with the same keys works on it.
 *
 *     node bench/faults/restore.mjs
 */
import { setTimeout as pause } from "node:timers/promises";
import { readKeyUri, totp } from "../../core/dist/index.js";
import { findProgram } from "../../scripts/prerequisites.mjs";
import { runCommand } from "../../scripts/process.mjs";
import { beginLoad } from "./load.mjs";
import { judge, PASSWORD, setStage } from "./stage.mjs";

const stage = await setStage({ instances: 1 });
const [url] = stage.urls;
async function call(method, path, { body, token } = {}) {
  const reply = await fetch(url + path, {
    method,
    headers: {
      ...(body === undefined ? {} : { "content-type": "application/json" }),
      ...(token === undefined ? {} : { authorization: `Bearer ${token}` }),
    },
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
  });
  return { status: reply.status, body: reply.status === 204 ? null : await reply.json() };
}
const signIn = (identifier) =>
  call("POST", "/v1/sign-in", {
    body: { proof: { type: "password", identifier, password: PASSWORD }, deliver: "token" },
  });

// Somebody with an authenticator app, whose secret is sealed under the key ring.
const keeper = "keeper@brina.example";
await call("POST", "/v1/accounts", { body: { email: keeper, password: PASSWORD } });
const token = (await signIn(keeper)).body.token;
const { body: begun } = await call("POST", "/v1/account/totp", { body: {}, token });
const { secret, settings } = readKeyUri(begun.uri);
const codeAt = (at) => totp(secret, at, settings);
const active = await call("POST", `/v1/account/totp/${begun.id}/activate`, {
  body: { code: codeAt(new Date()) },
  token,
});

const load = beginLoad(stage.urls, { rate: 15, authorization: await stage.addApp() });
await pause(6_000);
const known = load.people().slice();
const client = ["--no-defaults", `--socket=${stage.socket}`];
const dump = await runCommand(findProgram("mariadb-dump"), [...client, "--single-transaction", "lucchetto"]);
await pause(1_000);
await load.end();

stage.running[0].child.kill("SIGTERM");
await stage.running[0].ended;
await runCommand(findProgram("mariadb"), [...client, "lucchetto"], {
  input: `DROP DATABASE lucchetto; CREATE DATABASE lucchetto CHARACTER SET utf8mb4 COLLATE utf8mb4_bin; USE lucchetto;\n${dump}`,
});
await stage.start(0);

const back = [];
for (const email of known) back.push((await signIn(email)).status);
const first = await signIn(keeper);
// The next step of the clock: the present one may be spent.
const code = codeAt(new Date(Date.now() + 30_000));
const second = await call("POST", "/v1/sign-in/proof", {
  body: { proof: { type: "totp", code } },
  token: first.body.token,
});
await stage.strike();

judge("A backup made under load, restored", [
  {
    wanted: "everybody registered before it signs in",
    came: `${back.filter((status) => status === 201).length} of ${known.length}`,
    holds: known.length > 0 && back.every((status) => status === 201),
  },
  {
    wanted: "an authenticator app that was set up before it works",
    came: `set up ${active.status}, wanted ${first.body.wanted?.join(" ")}, then ${second.status}`,
    holds: active.status === 200 && second.status === 201,
  },
]);
