import { connect } from "node:net";
import { afterAll, afterEach, beforeAll, describe, expect, test } from "@jest/globals";
import type { Route } from "@lucchetto/contract";
import { routes } from "@lucchetto/contract";
import { enrolAuthenticator } from "../../testing/second-factor.ts";
import type { TestService } from "../../testing/service.ts";
import { json, PASSWORD, send, startProduction, startService } from "../../testing/service.ts";
import { codeOf, mailsTo, mailTo, proveAddress, Visitor } from "../../testing/visitor.ts";

const MINUTE = 60_000;
const NOBODY = "01234567-89ab-7def-8123-456789abcdef";
const OPERATORS: readonly Route[] = Object.values(routes).filter(({ access }) => access === "operator");
const CHANGING = OPERATORS.filter(({ method }) => method !== "GET");

let service: TestService;
beforeAll(async () => {
  service = await startService();
});
afterEach(() => service.clock.reset());
afterAll(() => service.stop());

const bearer = (token: string) => ({ authorization: `Bearer ${token}` });
const pathOf = ({ path }: Route) => path.replace(/:[a-zA-Z]+/g, NOBODY);

/** Calls an operators' route with nothing in it. */
function call(route: Route, token: string, at = service) {
  const { body, headers } = json({});
  const parts =
    route.body === undefined
      ? { headers: bearer(token) }
      : { body, headers: { ...headers, ...bearer(token) } };
  return send(at, route.method, pathOf(route), parts);
}

/** Somebody with a label, signed in. */
async function labelled(name: string, label: string) {
  const email = `${name}@brina.example`;
  const { id } = await service.register(email);
  await proveAddress(service, email);
  await service.as(await service.operator())(routes.changeAccount, {
    params: { id },
    body: { labels: [label] },
  });
  return { id, email, token: await service.signIn(email) };
}

describe("what an operator changes", () => {
  test.each(CHANGING.map((route) => [`${route.method} ${route.path}`, route] as const))(
    "OP-1 %s wants a proof of the last ten minutes",
    async (_name, route) => {
      const token = await service.operator();
      await service.clock.advance(11 * MINUTE);
      expect(codeOf(await call(route, token))).toBe("reauthenticate");
      await service.clock.reset();
      // Fresh, it is only what stands in the call that is wrong.
      expect(codeOf(await call(route, token))).not.toBe("reauthenticate");
    },
  );

  test("OP-1 reading goes on without one", async () => {
    const token = await service.operator();
    await service.clock.advance(11 * MINUTE);
    expect((await call(routes.listAccounts, token)).status).toBe(200);
  });

  test("OP-1 in production only at level 2", async () => {
    const production = await startProduction({
      LUCCHETTO_ACCOUNTS_TELL_TAKEN: "true",
      LUCCHETTO_ACCOUNTS_VERIFY_EMAIL: "reminded",
    });
    try {
      // A session from before the label was given.
      const { id, token } = await production.register("office@brina.example");
      await production.dataSource.query("UPDATE account SET labels = '[\"operator\"]' WHERE id = ?", [id]);
      const proof = { type: "password", identifier: "office@brina.example", password: PASSWORD } as const;
      const { body } = await production.client(routes.signIn, { body: { proof, deliver: "token" } });
      expect(body).toMatchObject({ outcome: "proof-wanted", wanted: ["enrol-passkey", "enrol-totp"] });
      expect((await call(routes.listAccounts, token, production)).status).toBe(200);
      expect(codeOf(await call(routes.eraseAccount, token, production))).toBe("second-factor-wanted");
      const app = await enrolAuthenticator(production, token, {});
      expect(codeOf(await call(routes.eraseAccount, app.token, production))).toBe("not-found");
      // A password alone is less than the account can show.
      await production.clock.advance(11 * MINUTE);
      expect(codeOf(await call(routes.eraseAccount, app.token, production))).toBe("reauthenticate");
    } finally {
      await production.stop();
    }
  });
});

describe("what is told to the other operators", () => {
  test("OP-2 the label given and taken, and an app that sees passwords; not to whoever did it", async () => {
    const { id, email } = await labelled("second", "operator");
    const office = service.as(await service.operator());
    const told = async () =>
      (await mailsTo(service, email))
        .filter(({ template }) => template === "operators-told")
        .map(({ subject }) => subject);
    const third = await service.register("third@brina.example");
    const params = { id: third.id };
    await office(routes.changeAccount, { params, body: { labels: ["operator"] } });
    await office(routes.changeAccount, { params, body: { labels: ["keeper"] } });
    await office(routes.addApp, {
      body: { name: "Own forms", redirectUris: ["http://localhost:1/own"], ownForms: true },
    });
    const plain = { name: "Plain", redirectUris: ["http://localhost:1/plain"] };
    const { app } = (await office(routes.addApp, { body: plain })).body;
    const change = (body: object) => office(routes.changeApp, { params: { id: app.id }, body });
    await change({ name: "Plainer" });
    await change({ rights: ["accounts"] });
    await change({ redirectUris: ["http://localhost:2/plain"], rights: ["accounts"] });
    await change({ rights: [] });
    expect((await told()).reverse()).toEqual([
      "Brina Huts: Somebody was made an operator",
      "Brina Huts: Somebody is no longer an operator",
      "Brina Huts: An application was given rights of its own",
      "Brina Huts: An application was given rights of its own",
    ]);
    expect((await mailTo(service, email, "operators-told")).text).toMatch(/Plainer[^]*office@brina\.example/);
    const own = (await mailsTo(service, "office@brina.example")).filter(
      ({ template }) => template === "operators-told",
    );
    expect(own).toEqual([]);
    await office(routes.changeAccount, { params: { id }, body: { labels: [] } });
  });
});

describe("the last operator", () => {
  test("OP-3 keeps the label, is neither suspended nor erased, alone or by two at once", async () => {
    const alone = await startService();
    try {
      const office = alone.as(await alone.operator());
      const [{ id }] = await alone.dataSource.query("SELECT id FROM account");
      const labels = { params: { id }, body: { labels: [] } };
      await expect(office(routes.changeAccount, labels)).rejects.toMatchObject({
        problem: { code: "last-operator", status: 409 },
      });
      const second = await alone.register("second@brina.example");
      const give = { params: { id: second.id }, body: { labels: ["operator"] } };
      await office(routes.changeAccount, give);
      const other = alone.as(await alone.signIn("second@brina.example"));
      // Each takes the other out, at the same moment.
      const outcomes = await Promise.allSettled([
        office(routes.changeAccount, { params: { id: second.id }, body: { state: "suspended" } }),
        other(routes.changeAccount, { params: { id }, body: { state: "suspended" } }),
      ]);
      expect(outcomes.filter(({ status }) => status === "fulfilled")).toHaveLength(1);
      const active = await alone.dataSource.query(
        "SELECT id FROM account WHERE state = 'active' AND JSON_CONTAINS(labels, '\"operator\"')",
      );
      expect(active).toHaveLength(1);
    } finally {
      await alone.stop();
    }
  });

  test("OP-3 nobody locks the last one out by wanting what cannot be shown", async () => {
    const alone = await startService();
    try {
      const office = alone.as(await alone.operator());
      const [{ id }] = await alone.dataSource.query("SELECT id FROM account");
      // The address is not proved and there is no second factor: a wanted new password would open nothing any more.
      const change = { params: { id }, body: { mustChangePassword: true } };
      await expect(office(routes.changeAccount, change)).rejects.toMatchObject({
        problem: { code: "last-operator" },
      });
      await proveAddress(alone, "office@brina.example");
      const again = alone.as(await alone.signIn("office@brina.example"));
      expect((await again(routes.changeAccount, change)).status).toBe(200);
    } finally {
      await alone.stop();
    }
  });

  test("OP-3 one who cannot sign in is nobody to leave it to", async () => {
    const alone = await startService({ settings: { LUCCHETTO_MAIL_VIA: "none" } });
    try {
      const office = alone.as(await alone.operator());
      const [{ id }] = await alone.dataSource.query("SELECT id FROM account");
      await office(routes.addAccount, { body: { email: "second@brina.example", labels: ["operator"] } });
      await expect(
        office(routes.changeAccount, { params: { id }, body: { labels: [] } }),
      ).rejects.toMatchObject({
        problem: { code: "last-operator" },
      });
    } finally {
      await alone.stop();
    }
  });
});

describe("an auditor", () => {
  test("OP-4 reads what operators read, changes nothing, and sees no mail's body", async () => {
    const { token } = await labelled("auditor", "auditor");
    for (const route of OPERATORS) {
      const reply = await call(route, token);
      if (route.method === "GET") expect([200, 404]).toContain(reply.status);
      else expect([reply.status, codeOf(reply)]).toEqual([403, "auditor-reads-only"]);
    }
    const auditor = service.as(token);
    const { body } = await auditor(routes.listMailbox, { query: {} });
    expect(body.items.length).toBeGreaterThan(0);
    for (const { text, html, links } of body.items)
      expect({ text, html, links }).toEqual({ text: "", html: "", links: [] });
    const one = await auditor(routes.showMail, { params: { id: body.items[0]?.id ?? "" } });
    expect(one.body).toMatchObject({ source: "", text: "", links: [] });
  });

  test("OP-4 nobody gives the label to themselves, and without it the operators' calls are closed", async () => {
    const { token } = await service.register("curious@brina.example");
    expect(codeOf(await call(routes.listAccounts, token))).toBe("operators-only");
  });
});

describe("hosts", () => {
  /** Fetch writes the host by itself, so the request is written by hand. */
  const get = (host: string, path: string, at: TestService = service) =>
    new Promise<string>((resolve) => {
      let text = "";
      const socket = connect(Number(new URL(at.url).port), "127.0.0.1", () =>
        socket.write(`GET ${path} HTTP/1.1\r\nHost: ${host}\r\nConnection: close\r\n\r\n`),
      );
      socket.on("data", (chunk: Buffer) => (text += chunk.toString()));
      socket.on("close", () => resolve(text));
    });

  test.each(["rebound.example", "localhost.rebound.example", "127.0.0.1.nip.example", "evil@localhost"])(
    "HT-16 %s is none of ours, at pages, calls and the mailbox of development",
    async (host) => {
      for (const path of ["/mailbox", "/v1/development/mailbox", "/healthz", "/sign-in", "/no-such"]) {
        const answer = await get(`${host}:${new URL(service.url).port}`, path);
        expect(answer).toMatch(/^HTTP\/1\.1 421 /);
        expect(answer).toContain("wrong-host");
      }
    },
  );

  test("HT-16 loopback's own names are, in development; elsewhere the public one and those that are listed", async () => {
    const { port } = new URL(service.url);
    for (const host of [`localhost:${port}`, `127.0.0.1:${port}`, `[::1]:${port}`, "LOCALHOST"])
      expect(await get(host, "/healthz")).toMatch(/^HTTP\/1\.1 200 /);
    const production = await startProduction({
      LUCCHETTO_LISTEN_HOSTS: "[accounts.internal, 'accounts:8420']",
    });
    try {
      for (const host of [
        "accounts.brina.example",
        "accounts.brina.example:443",
        "accounts.internal:9",
        "accounts:8420",
      ])
        expect(await get(host, "/healthz", production)).toMatch(/^HTTP\/1\.1 200 /);
      for (const host of ["localhost", "127.0.0.1", "accounts:8421", "brina.example"])
        expect(await get(host, "/healthz", production)).toMatch(/^HTTP\/1\.1 421 /);
    } finally {
      await production.stop();
    }
  });
});

test("the reset of an operator's password is no way around the second factor", async () => {
  const { email, token } = await labelled("third-office", "operator");
  const app = await enrolAuthenticator(service, token, {});
  const visitor = new Visitor(service);
  await visitor.post("/v1/sign-in", { proof: { type: "password", identifier: email, password: PASSWORD } });
  expect((await visitor.call("GET", "/v1/operator/accounts")).status).toBe(401);
  expect(
    (await visitor.post("/v1/sign-in/proof", { proof: { type: "totp", code: await app.nextCode() } })).status,
  ).toBe(201);
  expect((await visitor.call("GET", "/v1/operator/accounts")).status).toBe(200);
});
