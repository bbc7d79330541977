import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import { createHasp } from "@lucchetto/hasp";
import type { TestService } from "../../testing/service.ts";
import { json, PASSWORD, send, startService } from "../../testing/service.ts";

let service: TestService;
let operator: ReturnType<TestService["as"]>;
beforeAll(async () => {
  service = await startService();
  operator = service.as(await service.operator());
});
afterAll(() => service.stop());

const problemOf = (call: Promise<unknown>) =>
  call.then(
    () => null,
    (error: { problem?: unknown }) => error.problem ?? error,
  );

describe("one's own account", () => {
  test("display name and username are changed, taken away, and checked like at registration", async () => {
    const { token } = await service.register("anna@brina.example");
    const me = service.as(token);
    const { body } = await me(routes.changeOwnAccount, {
      body: { displayName: "Anna Larice", username: "Anna.L" },
    });
    expect(body).toMatchObject({ displayName: "Anna Larice", username: "Anna.L" });
    expect(await service.signIn("anna.l")).toMatch(/^lcs_/);
    expect((await me(routes.changeOwnAccount, { body: { displayName: null } })).body).toMatchObject({
      displayName: null,
      username: "Anna.L",
    });
    expect(await problemOf(me(routes.changeOwnAccount, { body: { username: "a b" } }))).toMatchObject({
      code: "invalid-fields",
      errors: [{ path: "username" }],
    });
    const { token: other } = await service.register("bruno@brina.example");
    expect(
      await problemOf(service.as(other)(routes.changeOwnAccount, { body: { username: "ANNA.L" } })),
    ).toMatchObject({ code: "identifier-taken", errors: [{ path: "username" }] });
    expect((await me(routes.changeOwnAccount, { body: { username: null } })).body.username).toBeNull();
    expect((await me(routes.changeOwnAccount, { body: {} })).body.email).toBe("anna@brina.example");
  });

  test("HT-8 what people may not set themselves is refused; whoever has only a username keeps it", async () => {
    const { token } = await service.register("carla@brina.example");
    for (const body of [{ labels: ["operator"] }, { state: "active" }, { email: "x@brina.example" }]) {
      const reply = await send(service, "PATCH", "/v1/account", {
        body: JSON.stringify(body),
        headers: { "content-type": "application/json", authorization: `Bearer ${token}` },
      });
      expect(reply.status).toBe(400);
    }
    const registered = await service.client(routes.register, {
      body: { username: "onlyname", password: PASSWORD, deliver: "token" },
    });
    const only = registered.status === 201 ? (registered.body.token ?? "") : "";
    expect(
      await problemOf(service.as(only)(routes.changeOwnAccount, { body: { username: null } })),
    ).toMatchObject({ code: "invalid-fields" });
  });
});

describe("accounts that operators add", () => {
  test("with a password the first sign-in wants another; duplicates name their field", async () => {
    const { body } = await operator(routes.addAccount, {
      body: { email: "dora@brina.example", labels: ["keeper"], reference: "m-4", password: PASSWORD },
    });
    expect(body).toMatchObject({ mustChangePassword: true, labels: ["keeper"], reference: "m-4" });
    const begun = await send(
      service,
      "POST",
      "/v1/sign-in",
      json({ proof: { type: "password", identifier: "dora@brina.example", password: PASSWORD } }),
    );
    expect(begun.json()).toMatchObject({ outcome: "proof-wanted", wanted: ["new-password"] });
    const taken = await problemOf(
      operator(routes.addAccount, { body: { username: "dora", reference: "m-4" } }),
    );
    expect(taken).toMatchObject({ code: "identifier-taken", errors: [{ path: "reference" }] });
    const bad = await problemOf(
      operator(routes.addAccount, { body: { email: "no address", password: "short" } }),
    );
    expect(bad).toMatchObject({ errors: [{ path: "email" }, { path: "password" }] });
  });

  test("SI-1 without a password there is no way in by password, and the refusal is the same", async () => {
    await operator(routes.addAccount, { body: { email: "elio@brina.example" } });
    await expect(service.signIn("elio@brina.example")).rejects.toThrow(/name or the password is wrong/);
  });
});

describe("erasing", () => {
  test("SE-8 every row goes, sessions end at once, and the journal's entries name nobody", async () => {
    const { id, token } = await service.register("fausta@brina.example");
    await service.as(token)(routes.changeOwnAccount, {
      body: { displayName: "Fausta Falco", username: "fausta" },
    });
    await send(
      service,
      "POST",
      "/v1/sign-in",
      json({ proof: { type: "password", identifier: "fausta", password: "a wrong one" } }),
    );
    await operator(routes.eraseAccount, { params: { id } });
    expect(
      (await send(service, "GET", "/v1/session", { headers: { authorization: `Bearer ${token}` } })).status,
    ).toBe(401);
    expect(await problemOf(operator(routes.eraseAccount, { params: { id } }))).toMatchObject({
      code: "not-found",
    });

    const tables = await service.dataSource.query<Array<{ name: string }>>(
      "SELECT table_name AS name FROM information_schema.tables WHERE table_schema = DATABASE()",
    );
    const holding: string[] = [];
    for (const { name } of tables) {
      const rows = await service.dataSource.query(`SELECT * FROM \`${name}\``);
      const text = JSON.stringify(rows).toLowerCase();
      expect(text).not.toMatch(/fausta/);
      if (text.includes(id)) holding.push(name);
    }
    expect(holding).toEqual(["journal_entry"]);
    const { body } = await operator(routes.listJournal, { query: { accountId: id } });
    expect(body.items[0]).toMatchObject({ kind: "account.erased", accountId: id });
    // The address is free again.
    expect((await service.register("fausta@brina.example")).id).not.toBe(id);
  });

  test("an operator cannot erase the account in use", async () => {
    const { body } = await operator(routes.showSession);
    expect(await problemOf(operator(routes.eraseAccount, { params: { id: body.account.id } }))).toMatchObject(
      {
        code: "invalid-fields",
      },
    );
  });
});

describe("an application looks accounts up", () => {
  test("by ids and references, with its app key alone; unknown ones are left out", async () => {
    const { body: added } = await operator(routes.addApp, {
      body: { name: "Hut book", redirectUris: ["http://localhost:9999/signed-in"] },
    });
    const { id } = await service.register("gino@brina.example");
    await operator(routes.addAccount, { body: { email: "hugo@brina.example", reference: "m-9" } });
    const hasp = createHasp({
      service: service.url,
      clientId: added.app.clientId,
      appKey: added.key,
      returnAddress: "http://localhost:9999/signed-in",
    });
    const unknown = "0190b6a2-0000-7000-8000-000000000000";
    const found = await hasp.lookUp({ ids: [id, unknown], references: ["m-9", "m-none"] });
    expect(found.map(({ email }) => email).sort()).toEqual(["gino@brina.example", "hugo@brina.example"]);
    expect(JSON.stringify(found)).not.toMatch(/scrypt|lastSignIn/);
    expect(await hasp.lookUp({})).toEqual([]);
    await expect(hasp.lookUp({ ids: Array.from({ length: 101 }, () => id) })).rejects.toThrow(/100/);

    const asked = (headers: Record<string, string>) =>
      send(service, "POST", "/v1/accounts/look-up", {
        body: JSON.stringify({ ids: [id] }),
        headers: { "content-type": "application/json", ...headers },
      });
    const session = await service.signIn("gino@brina.example");
    const wrongKey = Buffer.from(`${added.app.clientId}:lcp_${"A".repeat(43)}`).toString("base64");
    const refused: Array<Record<string, string>> = [
      {},
      { authorization: `Bearer ${session}` },
      { authorization: `Basic ${wrongKey}` },
      { authorization: "Basic !!!" },
    ];
    for (const headers of refused) {
      const reply = await asked(headers);
      expect(reply.status).toBe(401);
      expect(reply.headers.get("www-authenticate")).toMatch(/^Basic realm=/);
      expect(reply.json()).toMatchObject({ code: "app-unknown" });
    }
  });
});
