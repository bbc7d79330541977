import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { describe, expect, test } from "@jest/globals";
import { createDataSource, schemaStatus } from "@lucchetto/service";
import { createDatabase, startMariaDb } from "../../scripts/mariadb.mjs";
import { json, PASSWORD, send, startService } from "../../testing/service.ts";

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
    const { openDatabase } = await import("../src/storage/open.ts");
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
