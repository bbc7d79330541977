/** A link that was asked for is written down before the answer, and made by another where the first one died. */
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import type { Connection } from "mysql2/promise";
import { createConnection } from "mysql2/promise";
import { eventually } from "../../testing/eventually.ts";
import type { TestService } from "../../testing/service.ts";
import { json, send, startService } from "../../testing/service.ts";
import { mailsTo } from "../../testing/visitor.ts";

let service: TestService;
let holder: Connection;
beforeAll(async () => {
  service = await startService();
  const { url, password } = service.database;
  holder = await createConnection({ uri: url.replace("mariadb://", "mysql://"), password });
});
afterAll(async () => {
  await holder.end();
  await service.stop();
});

const ask = (identifier: string) =>
  send(service, "POST", "/v1/mail-links", json({ purpose: "reset", identifier }));
const rows = () => service.dataSource.query<Array<Record<string, unknown>>>("SELECT * FROM asked_mail");
const resetsTo = async (email: string) =>
  (await mailsTo(service, email)).filter(({ subject }) => subject.includes("password"));

/** Connections whose statement waits for the held row. */
async function waiting(): Promise<number[]> {
  const [found] = await holder.query(
    "SELECT id FROM information_schema.processlist WHERE command = 'Query' AND info LIKE 'INSERT INTO `mail%' AND id <> CONNECTION_ID()",
  );
  return (found as Array<{ id: number }>).map(({ id }) => id);
}

test("what a process that died has left is done by another, once, and alike for every name", async () => {
  const { id } = await service.register("anna@brina.example");
  await holder.beginTransaction();
  await holder.query("SELECT id FROM account WHERE id = ? FOR UPDATE", [id]);
  const answers = [await ask("anna@brina.example"), await ask("nobody@brina.example")];
  expect(answers.map(({ status, text }) => [status, text])).toEqual([
    [202, "{}"],
    [202, "{}"],
  ]);
  const [connection] = await eventually(async () => {
    const ids = await waiting();
    return ids.length > 0 ? ids : null;
  });
  // For a name that nobody has there was nothing to do; what is still to be done does not say for whom.
  const [left] = await eventually(async () => {
    const all = await rows();
    return all.length === 1 ? all : null;
  });
  expect(JSON.stringify(left)).not.toContain("anna");

  // As if the process had died in the middle of it.
  await holder.query(`KILL ${connection}`);
  await eventually(() => service.log().includes("a mailed link could not be written"));
  await holder.rollback();
  expect(await resetsTo("anna@brina.example")).toHaveLength(0);
  expect(await rows()).toHaveLength(1);
  // Its claim lapses by the database's own clock.
  await service.dataSource.query("UPDATE asked_mail SET claimedUntil = UTC_TIMESTAMP(3) - INTERVAL 1 SECOND");
  await eventually(async () => (await rows()).length === 0);
  expect(await resetsTo("anna@brina.example")).toHaveLength(1);
});

test("two that take it at the same moment make one link", async () => {
  const { id } = await service.register("bruno@brina.example");
  await holder.beginTransaction();
  await holder.query("SELECT id FROM account WHERE id = ? FOR UPDATE", [id]);
  await ask("bruno@brina.example");
  await eventually(async () => (await waiting()).length === 1);
  // Its row is taken away in the same transaction, so whoever else claims it waits to learn that it is done.
  const lapse = service.dataSource.query(
    "UPDATE asked_mail SET claimedUntil = UTC_TIMESTAMP(3) - INTERVAL 1 SECOND",
  );
  await holder.rollback();
  await lapse;
  await eventually(async () => (await resetsTo("bruno@brina.example")).length > 0);
  await eventually(async () => (await rows()).length === 0);
  expect(await resetsTo("bruno@brina.example")).toHaveLength(1);
});
