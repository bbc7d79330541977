/** Told to stop, the service loses nothing that it took. */
import { expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import { createConnection } from "mysql2/promise";
import { eventually } from "../../testing/eventually.ts";
import { send, startService } from "../../testing/service.ts";

test("what is under way is answered, new work is taken for a while on connections that end, and then nobody is let in", async () => {
  const service = await startService({ settings: { LUCCHETTO_LISTEN_GRACE: "5s" } });
  const { id, token } = await service.register("anna@brina.example");
  const { url: uri, password } = service.database;
  const holder = await createConnection({ uri: uri.replace("mariadb://", "mysql://"), password });
  await holder.beginTransaction();
  await holder.query("SELECT id FROM account WHERE id = ? FOR UPDATE", [id]);
  // Waits for the row, as a slow change does.
  const underWay = service.as(token)(routes.changeOwnAccount, { body: { displayName: "Anna of Larice" } });
  await eventually(async () => {
    const [rows] = await holder.query(
      "SELECT id FROM information_schema.processlist WHERE info LIKE '%FOR UPDATE%' AND id <> CONNECTION_ID()",
    );
    return (rows as unknown[]).length > 0;
  });
  expect((await send(service, "GET", "/readyz")).status).toBe(200);

  const stopped = service.stop();
  const ready = await eventually(async () => {
    const reply = await send(service, "GET", "/readyz");
    return reply.status === 503 ? reply : null;
  });
  expect(ready.json()).toMatchObject({ code: "stopping" });
  const late = await send(service, "GET", "/healthz");
  expect([late.status, late.headers.get("connection")]).toEqual([200, "close"]);

  const isRefused = () =>
    fetch(`${service.url}/healthz`).then(
      () => false,
      () => true,
    );
  await eventually(isRefused);
  await holder.rollback();
  expect((await underWay).body.displayName).toBe("Anna of Larice");
  await holder.end();
  await stopped;
});
