import { mkdtempSync, rmSync } from "node:fs";
import type { AddressInfo, Socket } from "node:net";
import { connect, createServer } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { describe, expect, test } from "@jest/globals";
import { createDataSource, schemaStatus } from "@lucchetto/service";
import { createDatabase, startMariaDb } from "../../scripts/mariadb.mjs";
import { asRoot, createTestDatabase, waitsForALock } from "../../testing/database.ts";
import { eventually } from "../../testing/eventually.ts";
import { json, PASSWORD, send, startService } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";

describe("the schema", () => {
  test("after the migrations, tables and entities agree; down and up again works", async () => {
    const service = await startService();
    try {
      expect((await service.dataSource.driver.createSchemaBuilder().log()).upQueries).toEqual([]);
      await service.dataSource.undoLastMigration();
      expect((await schemaStatus(service.dataSource)).current).toBe(false);
      expect((await send(service, "GET", "/readyz")).status).toBe(503);
      await service.dataSource.runMigrations();
      expect((await send(service, "GET", "/readyz")).status).toBe(200);
    } finally {
      await service.stop();
    }
  });

  test("while somebody develops, what is missing is applied at the start; what no migration makes is told", async () => {
    const service = await startService();
    try {
      await service.dataSource.undoLastMigration();
      const developing = await startShipped({ beside: service, task: "develop" });
      expect(developing.log()).toMatch(/^applied \w+$/m);
      expect((await send(developing, "GET", "/readyz")).status).toBe(200);
      await developing.stop();
      await service.dataSource.query("ALTER TABLE app DROP COLUMN home");
      await expect(startShipped({ beside: service, task: "develop" })).rejects.toThrow(
        /The entities say what no migration makes: ALTER TABLE `app` ADD `home`.*list it in/,
      );
    } finally {
      await service.stop();
    }
  });

  test("a database of a newer version is recognised as such", async () => {
    const service = await startService();
    try {
      await service.dataSource.query(
        "INSERT INTO schema_migration (timestamp, name) VALUES (9, 'FromTheFuture9')",
      );
      expect(await schemaStatus(service.dataSource)).toMatchObject({
        current: false,
        unknown: ["FromTheFuture9"],
      });
    } finally {
      await service.stop();
    }
  });
});

describe("a database that goes away", () => {
  test("calls get 503, readyz says no, healthz yes; all works again by itself when it is back", async () => {
    const directory = mkdtempSync(join(tmpdir(), "lucchetto-db-"));
    let server = await startMariaDb(directory, { fast: true });
    const name = "lucchetto";
    await createDatabase(server, { name, user: name, password: "hush" });
    const url = `mariadb://${name}@127.0.0.1:${server.port}/${name}`;
    const service = await startService({
      database: { name, url, password: "hush", drop: async () => undefined },
    });
    try {
      const { token } = await service.register("anna@brina.example");
      const headers = { authorization: `Bearer ${token}` };
      const body = json({ email: "away@brina.example", password: PASSWORD });
      await server.stop();
      for (let round = 0; round < 3; round += 1) {
        const replies = [
          await send(service, "POST", "/v1/accounts", body),
          await send(service, "GET", "/v1/session", { headers }),
          await send(service, "GET", "/readyz"),
        ];
        for (const reply of replies) {
          expect(reply.status).toBe(503);
          expect(reply.json()).toMatchObject({ code: "storage-unavailable" });
          expect(reply.text).not.toMatch(/SELECT|INSERT|ER_|ECONN|at .*\.(ts|js)/);
          expect(reply.headers.get("retry-after")).toBe("2");
        }
      }
      expect((await send(service, "GET", "/healthz")).status).toBe(200);

      server = await startMariaDb(directory, { fast: true });
      expect((await send(service, "GET", "/v1/session", { headers })).status).toBe(200);
      expect((await send(service, "GET", "/readyz")).status).toBe(200);
      expect((await send(service, "POST", "/v1/accounts", body)).status).toBe(201);
    } finally {
      await service.stop();
      await server.stop();
      rmSync(directory, { recursive: true });
    }
  });

  test("a data source says where it looked and what to do", async () => {
    const { openDatabase } = await import("../src/base/storage/open.ts");
    const at = (url: string) => openDatabase({ database: { url, connections: 1 }, databasePassword: "x" });
    await expect(at("mariadb://x@127.0.0.1:1/y")).rejects.toThrow(
      /127\.0\.0\.1:1 cannot be opened: nothing listens there/,
    );
    const port = process.env["TEST_DATABASE_PORT"];
    await expect(at(`mariadb://x@127.0.0.1:${port}/y`)).rejects.toThrow(
      /the password is wrong|no user of it may come from this machine/,
    );
    expect(
      createDataSource({ database: { url: "mariadb://a@h/d", connections: 1 }, databasePassword: null })
        .isInitialized,
    ).toBe(false);
  });
});

describe("a database that does not answer", () => {
  /** Stands between service and database; whoever is silenced is connected still, and hears nothing more. */
  async function between(port: number) {
    const silent = new Set<Socket>();
    const open = new Set<Socket>();
    let silences = (_said: string): boolean => false;
    const server = createServer((client) => {
      const database = connect(port, "127.0.0.1");
      open.add(client);
      client.on("data", (chunk) => {
        if (silences(chunk.toString("latin1"))) silent.add(client);
        if (!silent.has(client)) database.write(chunk);
      });
      database.on("data", (chunk) => void (silent.has(client) || client.write(chunk)));
      for (const side of [client, database])
        side
          .on("error", () => undefined)
          .on("close", () => {
            open.delete(client);
            client.destroy();
            database.destroy();
          });
    });
    await new Promise<void>((resolve) => void server.listen(0, "127.0.0.1", resolve));
    return {
      port: (server.address() as AddressInfo).port,
      open,
      silent,
      /** Whoever says such a thing from now on gets no answer, then or later. */
      silence: (whom: (said: string) => boolean) => void (silences = whom),
      close: () => void server.close(),
    };
  }

  async function startBehind(deadline: string) {
    const database = await createTestDatabase();
    const url = new URL(database.url);
    const proxy = await between(Number(url.port));
    url.port = String(proxy.port);
    const service = await startService({
      database: { ...database, url: url.href },
      settings: { LUCCHETTO_DATABASE_DEADLINE: deadline, LUCCHETTO_DATABASE_CONNECTIONS: "4" },
    });
    const { token } = await service.register("anna@brina.example");
    const check = () =>
      send(service, "GET", "/v1/session", { headers: { authorization: `Bearer ${token}` } });
    return { service, proxy, check };
  }

  test("HK-1 one question that hangs delays no other check", async () => {
    const { service, proxy, check } = await startBehind("10m");
    let hangs: Promise<unknown> = Promise.resolve();
    try {
      proxy.silence((said) => proxy.silent.size === 0 && /FROM session/.test(said));
      let isAnswered = false;
      hangs = check().then(
        () => (isAnswered = true),
        () => null,
      );
      await eventually(() => proxy.silent.size === 1);
      for (let one = 0; one < 3; one += 1) expect((await check()).status).toBe(200);
      const many = await Promise.all(Array.from({ length: 20 }, check));
      expect(many.map(({ status }) => status)).toEqual(Array(20).fill(200));
      expect(isAnswered).toBe(false);
    } finally {
      for (const client of proxy.silent) client.destroy();
      await hangs;
      await service.stop();
      proxy.close();
    }
  });

  test("HK-1 what is not answered in time is a 503, and another connection takes the silent one's place", async () => {
    const { service, proxy, check } = await startBehind("3s");
    try {
      for (let round = 0; round < 2; round += 1) {
        proxy.silence(() => true);
        const refused = await check();
        proxy.silence(() => false);
        const silenced = [...proxy.silent];
        expect(refused.status).toBe(503);
        expect(refused.json()).toMatchObject({ code: "storage-unavailable" });
        // Whatever is silent still is found out by those who come to it.
        await eventually(async () => (await check()).status === 200);
        expect(silenced.some((client) => !proxy.open.has(client))).toBe(true);
        // A connection that is being made when the database falls silent is given up as well.
        await eventually(() => silenced.every((client) => !proxy.open.has(client)));
      }
    } finally {
      await service.stop();
      proxy.close();
    }
  });

  test("TH-10 where tries cannot be counted nobody signs in, and no hash is computed", async () => {
    const { service, proxy } = await startBehind("3s");
    try {
      const hashes = async () => {
        const { text } = await send(service, "GET", "/metrics");
        return Number(/^lucchetto_password_hash_wait_seconds_count (\d+)/m.exec(text)?.[1]);
      };
      const [sessions, before] = [() => service.dataSource.query("SELECT id FROM session"), await hashes()];
      expect(before).toBeGreaterThan(0);
      const { length } = await sessions();
      proxy.silence((said) => said.includes("throttle_count"));
      const proof = { type: "password", identifier: "anna@brina.example", password: PASSWORD };
      const tried = await send(service, "POST", "/v1/sign-in", json({ proof, deliver: "token" }));
      expect(tried.status).toBe(503);
      expect(tried.json()).toMatchObject({ code: "storage-unavailable" });
      expect(await hashes()).toBe(before);
      proxy.silence(() => false);
      expect(await sessions()).toHaveLength(length);
      await eventually(() => service.signIn("anna@brina.example").catch(() => null));
    } finally {
      await service.stop();
      proxy.close();
    }
  });

  test("a statement that the database breaks a deadlock with is asked again", async () => {
    const service = await startService();
    const { dataSource, database } = service;
    const holder = dataSource.createQueryRunner();
    try {
      for (const name of ["a", "b"]) await service.register(`${name}@brina.example`);
      const rename = "UPDATE account SET displayName = ? WHERE emailKey = ?";
      const both =
        "UPDATE account SET displayName = 'both' WHERE emailKey IN ('a@brina.example', 'b@brina.example')";
      await holder.startTransaction();
      // The database gives up whoever changed least.
      for (let round = 0; round < 20; round += 1)
        await holder.query(rename, [`b ${round}`, "b@brina.example"]);
      const asked = dataSource.query(both);
      await eventually(() => waitsForALock(database));
      await holder.query(rename, ["a", "a@brina.example"]);
      await holder.commitTransaction();
      await asked;
      expect(await dataSource.query("SELECT DISTINCT displayName FROM account")).toEqual([
        { displayName: "both" },
      ]);
    } finally {
      await holder.release();
      await service.stop();
    }
  });

  test("HK-1 nobody waits long for a lock, and the server ends what takes too long", async () => {
    const { service, proxy } = await startBehind("4s");
    const other = await startService({ beside: service });
    try {
      const [row] = await service.dataSource.query<Array<{ wait: number; most: number }>>(
        "SELECT @@innodb_lock_wait_timeout AS wait, @@max_statement_time AS most",
      );
      expect({ wait: Number(row?.wait), most: Number(row?.most) }).toEqual({ wait: 2, most: 3.6 });
      // The server's own end comes a little before the service's; on a busy machine not always.
      await expect(service.dataSource.query("SELECT SLEEP(100000)")).rejects.toThrow(
        /max_statement_time exceeded|no answer from the database/,
      );
      await eventually(async () => {
        const asleep = await asRoot(
          `SELECT id FROM information_schema.processlist WHERE db = '${service.database.name}' AND info LIKE 'SELECT SLEEP%'`,
        );
        return asleep.length === 0;
      });
      const holder = other.dataSource.createQueryRunner();
      await holder.startTransaction();
      await holder.query("UPDATE account SET displayName = 'held' WHERE emailKey = 'anna@brina.example'");
      const name = json({ displayName: "Anna" });
      const token = await service.signIn("anna@brina.example").catch(() => null);
      // Signing in notes the time on the locked row, so that it is refused as well.
      expect(token).toBeNull();
      await holder.rollbackTransaction();
      await holder.release();
      const again = await eventually(() => service.signIn("anna@brina.example").catch(() => null));
      const headers = { authorization: `Bearer ${again}` };
      const changed = await send(service, "PATCH", "/v1/account", {
        ...name,
        headers: { ...name.headers, ...headers },
      });
      expect(changed.status).toBe(200);
    } finally {
      await other.stop();
      await service.stop();
      proxy.close();
    }
  });
});
