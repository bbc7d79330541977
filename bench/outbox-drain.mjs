/**
 * How fast a full outbox drains, against a bare loop that sends the same messages over the same transport.
 *
 *     node bench/outbox-drain.mjs [--mails 10000] [--rounds 1]
 *
 * Both sides use five connections to one mail server, in a process of its own on loopback, which accepts everything.
 */
import { fork } from "node:child_process";
import { randomBytes } from "node:crypto";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { performance } from "node:perf_hooks";
import { parseArgs } from "node:util";
import { createDatabase, randomPassword, startMariaDb } from "../scripts/mariadb.mjs";
import { say } from "../scripts/say.mjs";
import { readTemplates } from "../service/dist/base/mail-text/templates.js";
import { createDataSource } from "../service/dist/base/storage/data-source.js";
import { startSending } from "../service/dist/edges/mail/outbox.js";
import { writeMail } from "../service/dist/records/mail/mail.js";
import { messageOf } from "../service/dist/records/mail/message.js";
import { openTransport } from "../service/dist/records/mail/transport.js";

const { values } = parseArgs({
  options: { mails: { type: "string", default: "10000" }, rounds: { type: "string", default: "1" } },
});
const MAILS = Number(values.mails);
const CONNECTIONS = 5;
const WRITTEN_AT_ONCE = 500;
const MIB = 1024 * 1024;

const server = fork(new URL("./mail-server.mjs", import.meta.url));
const port = await new Promise((resolve) => server.once("message", resolve));
const count = () =>
  new Promise((resolve) => {
    server.once("message", resolve);
    server.send("count");
  });

const directory = mkdtempSync(join(tmpdir(), "lucchetto-bench-"));
const database = await startMariaDb(directory);
const password = randomPassword();
await createDatabase(database, { name: "lucchetto", user: "lucchetto", password });
const smtp = {
  via: "smtp",
  from: "Brina Huts <huts@brina.example>",
  host: "127.0.0.1",
  port,
  isTls: false,
  mustStartTls: false,
  user: null,
  password: null,
  authority: null,
  connections: CONNECTIONS,
  timeout: 30_000,
};
const configuration = {
  publicUrl: "http://localhost:8420",
  database: { url: `mariadb://lucchetto@127.0.0.1:${database.port}/lucchetto`, connections: 10 },
  databasePassword: password,
  site: { name: "Brina Huts", colour: "#866729", language: "en" },
  logo: null,
  templates: readTemplates(null, []),
  mail: smtp,
};
const dataSource = await createDataSource(configuration).initialize();
await dataSource.runMigrations({ transaction: "each" });
const context = {
  configuration,
  dataSource,
  clock: { now: () => new Date() },
  sealingKeys: { current: "k1", keys: new Map([["k1", randomBytes(32)]]) },
};
const note = ({ err }, what) => say(`${what}: ${err.message}`);
const logger = { warn: note, debug: note };

const mail = (index) => ({
  name: "reset",
  to: { to: `guest${index}@brina.example`, accountId: null, name: null, language: "en" },
  about: { link: `http://localhost:8420/link#lcl_${"x".repeat(43)}`, life: 1_800_000 },
});

/** The messages of the bare side, made from the same template beforehand: it neither opens nor notes anything. */
async function sendBare() {
  const body = await aBody();
  const transport = openTransport(smtp);
  const began = performance.now();
  let index = 0;
  const worker = async () => {
    for (let mine = index++; mine < MAILS; mine = index++) {
      const row = { id: `bare-${mine}`, toAddress: `guest${mine}@brina.example`, createdAt: new Date() };
      await transport.sendMail(messageOf(configuration, row, body));
    }
  };
  await Promise.all(Array.from({ length: CONNECTIONS }, worker));
  transport.close();
  return MAILS / ((performance.now() - began) / 1_000);
}

async function aBody() {
  const { render } = await import("../service/dist/base/mail-text/render.js");
  const { about } = mail(0);
  return render(
    configuration.templates.reset.en,
    { ...about, life: "30 minutes" },
    { site: { name: "Brina Huts", colour: "#866729", hasLogo: false }, language: "en" },
  );
}

async function drain() {
  for (let from = 0; from < MAILS; from += WRITTEN_AT_ONCE) {
    await dataSource.transaction(async (manager) => {
      for (let index = from; index < Math.min(MAILS, from + WRITTEN_AT_ONCE); index += 1)
        await writeMail(context, manager, mail(index));
    });
  }
  globalThis.gc?.();
  const resident = [process.memoryUsage().rss];
  const watch = setInterval(() => resident.push(process.memoryUsage().rss), 200);
  const before = await count();
  const began = performance.now();
  const outbox = startSending(context, logger);
  let sent = 0;
  while (sent < MAILS) {
    await new Promise((resolve) => setTimeout(resolve, 50));
    sent = (await count()) - before;
  }
  const seconds = (performance.now() - began) / 1_000;
  await outbox.close();
  clearInterval(watch);
  const [{ left }] = await dataSource.query("SELECT COUNT(*) AS `left` FROM mail WHERE state <> 'sent'");
  await dataSource.query("DELETE FROM mail");
  const half = Math.floor(resident.length / 2);
  return {
    rate: MAILS / seconds,
    left: Number(left),
    sent,
    early: Math.max(...resident.slice(0, half)) / MIB,
    late: Math.max(...resident.slice(half)) / MIB,
  };
}

for (let round = 1; round <= Number(values.rounds); round += 1) {
  // By turns, so that what happens on the machine meanwhile meets both.
  const bare = await sendBare();
  const full = await drain();
  say(
    `${MAILS} mails, ${CONNECTIONS} connections: bare ${bare.toFixed(0)}/s, outbox ${full.rate.toFixed(0)}/s, ratio ${(full.rate / bare).toFixed(2)}; sent ${full.sent}, not noted ${full.left}; memory at most ${full.early.toFixed(0)} MiB in the first half, ${full.late.toFixed(0)} MiB in the second`,
  );
}
await dataSource.destroy();
await database.stop();
server.disconnect();
rmSync(directory, { recursive: true });
