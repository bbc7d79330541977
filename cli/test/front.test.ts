import type { ChildProcess } from "node:child_process";
import { spawn } from "node:child_process";
import { once } from "node:events";
import { mkdtempSync, readFileSync } from "node:fs";
import type { IncomingHttpHeaders, IncomingMessage, Server } from "node:http";
import { createServer, request } from "node:http";
import type { AddressInfo, Socket } from "node:net";
import { connect } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import { testAccounts } from "@lucchetto/hasp/testing";
import express from "express";
import { COMMAND, commandLine } from "../../testing/command.ts";
import { eventually } from "../../testing/eventually.ts";
import type { TestService } from "../../testing/service.ts";
import { freePort, PASSWORD } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";
import { askAll, spellings } from "../../testing/spellings.ts";
import { enter } from "../../testing/way-in.ts";
import { isWhole } from "../../testing/whole.ts";
import { createFront } from "../src/front/front.ts";

const home = mkdtempSync(join(tmpdir(), "lucchetto-front-"));
let service: TestService;
let app: Server;
let appPort: number;
let port: number;
let front: ChildProcess;
let said = "";
/** What reached the application. */
const reached: string[] = [];

beforeAll(async () => {
  service = await startShipped();
  await service.operator();
  const lucchetto = commandLine(home, service);
  await lucchetto(["sign-in", "office@brina.example", "--password-stdin"], { input: PASSWORD });
  app = createServer((asked, reply) => {
    reached.push(asked.url ?? "");
    if (asked.url === "/stream") {
      reply.write("first\n");
      setTimeout(() => reply.end("last\n"), 3_000);
      return;
    }
    asked.pipe(reply.setHeader("x-headers", JSON.stringify(asked.rawHeaders)));
  });
  // The shortest upgrade there is: what comes is sent back.
  app.on("upgrade", (asked, socket) => {
    reached.push(asked.url ?? "");
    const who = String(asked.headers["lucchetto-account"] ?? "");
    socket.write(
      `HTTP/1.1 101 Switching Protocols\r\nUpgrade: websocket\r\nConnection: Upgrade\r\nx-who: ${who}\r\n\r\n`,
    );
    socket.pipe(socket);
  });
  await new Promise<void>((resolve) => app.listen(0, "127.0.0.1", () => resolve()));
  appPort = (app.address() as AddressInfo).port;
  port = await freePort();
  front = await startFront();
});
afterAll(async () => {
  await stop(front);
  app.closeAllConnections();
  await new Promise((resolve) => app.close(resolve));
  await service.stop();
});

async function startFront(at = port): Promise<ChildProcess> {
  const args = ["--app", `http://127.0.0.1:${appPort}`, "--listen", String(at), "--closed", "/members/*"];
  const child = spawn(process.execPath, [COMMAND, "front", "--url", service.url, ...args], {
    env: { PATH: process.env["PATH"] ?? "", HOME: home, XDG_CONFIG_HOME: home },
  });
  said = "";
  child.stdout.on("data", (chunk) => (said += chunk));
  child.stderr.on("data", (chunk) => (said += chunk));
  await eventually(() => Promise.resolve(said.includes("Ctrl-C") ? true : undefined), "the front");
  return child;
}

async function stop(child: ChildProcess): Promise<void> {
  const ended = once(child, "close");
  child.kill("SIGINT");
  expect(await ended).toEqual([0, null]);
}

interface Got {
  readonly status: number;
  readonly headers: IncomingHttpHeaders;
  readonly text: string;
  /** What the application was told, by name in small letters. */
  readonly told: Readonly<Record<string, string[]>>;
}

function ask(path: string, headers: Record<string, string> = {}, method = "GET", body = ""): Promise<Got> {
  return new Promise((resolve, reject) => {
    const asked = request({ host: "127.0.0.1", port, path, method, headers }, (reply) => {
      let text = "";
      reply.on("data", (chunk) => (text += chunk));
      reply.on("end", () =>
        resolve({ status: reply.statusCode ?? 0, headers: reply.headers, text, told: toldIn(reply) }),
      );
    });
    asked.on("error", reject).end(body);
  });
}

/** The whole answer, up to the end of the connection. */
function asHttp10(path: string): Promise<string> {
  return new Promise((resolve, reject) => {
    let said = "";
    connect(port, "127.0.0.1")
      .setEncoding("latin1")
      .on("data", (chunk: string) => (said += chunk))
      .on("close", () => resolve(said))
      .on("error", reject)
      .write(`GET ${path} HTTP/1.0\r\nHost: localhost\r\n\r\n`);
  });
}

function toldIn({ headers }: IncomingMessage): Record<string, string[]> {
  const raw = JSON.parse(String(headers["x-headers"] ?? "[]")) as string[];
  const told: Record<string, string[]> = {};
  for (let at = 0; at < raw.length; at += 2)
    (told[(raw[at] ?? "").toLowerCase()] ??= []).push(raw[at + 1] ?? "");
  return told;
}

/** Signs somebody in through the front, by redirects alone. @returns the cookie. */
const signInThrough = (token: string, path: string): Promise<string> =>
  enter(service, { url: `http://localhost:${port}`, token, path });

const html = { accept: "text/html" };

test("a guest passes at open paths and is nobody there, in whatever spelling they say otherwise; closed ones sign people in and say who they are", async () => {
  const forged = {
    "Lucchetto-Account": "forged",
    lucchetto_email: "forged",
    LUCCHETTO_Labels: "operator",
    "X-Forwarded-For": "9.9.9.9",
  };
  const guest = await ask("/open?a=1&a=2+3", forged);
  expect(guest.status).toBe(200);
  expect(JSON.stringify(guest.told)).not.toMatch(/forged|operator|9\.9\.9\.9/);
  expect(guest.told["lucchetto-account"]).toEqual([""]);
  expect(reached.at(-1)).toBe("/open?a=1&a=2+3");
  expect((await ask("/members/nights", {})).status).toBe(401);

  const anna = await service.register("anna@brina.example");
  await service.as(anna.token)(routes.changeOwnAccount, { body: { displayName: "Anna Š" } });
  const cookie = await signInThrough(anna.token, "/members/nights?week=3");
  const inside = await ask("/members/nights", { ...html, ...forged, cookie: `${cookie}; theirs=kept` });
  expect(inside.status).toBe(200);
  expect(inside.told["lucchetto-account"]).toEqual([anna.id]);
  expect(inside.told["lucchetto-name"]).toEqual(["Anna %C5%A0"]);
  expect(inside.told["lucchetto-level"]).toEqual(["1"]);
  // Nobody proved the address.
  expect(inside.told["lucchetto-email"]).toEqual([""]);
  expect(inside.told["cookie"]).toEqual(["theirs=kept"]);
  expect(inside.headers["cache-control"]).toBe("no-store");
  // The front knows no routes: the address is the application's.
  await ask("/hasp-map", html);
  expect(reached.at(-1)).toBe("/hasp-map");
  // Who keeps no connection is not kept waiting at its end.
  expect(await asHttp10("/open")).toMatch(/^HTTP\/1\.1 200/);
  // A foreign page changes nothing with this cookie, and at an open path it is nobody's.
  expect((await ask("/members/nights", { cookie, origin: "https://evil.test" }, "POST", "x")).status).toBe(
    403,
  );
  expect(
    (await ask("/open", { cookie, origin: "https://evil.test" }, "POST", "x")).told["lucchetto-account"],
  ).toEqual([""]);
  const own = await ask(
    "/members/nights",
    { cookie, origin: `http://localhost:${port}` },
    "POST",
    "two beds",
  );
  expect([own.status, own.text]).toEqual([200, "two beds"]);

  const made = await service.as(anna.token)(routes.makeAccessKey, { body: { name: "script" } });
  const script = await ask("/members/nights", { authorization: `Bearer ${made.body.key}` });
  expect([script.status, script.told["authorization"]]).toEqual([200, undefined]);
  await service.as(anna.token)(routes.signOut);
  expect((await ask("/members/nights", { cookie })).status).toBe(401);
});

test("HA-1 no spelling of a closed path gets round the front to an application that reads it as one", async () => {
  const behind = express();
  const past: string[] = [];
  let arrived = 0;
  behind.use((_asked, _reply, next) => {
    arrived += 1;
    next();
  });
  for (const path of ["/members/*rest", "/members", "/graphql", "/keepers/ledger"])
    behind.all(path, (asked, reply) => {
      past.push(asked.originalUrl);
      reply.end();
    });
  const server = await new Promise<Server>((resolve) => {
    const made = behind.listen(0, "127.0.0.1", () => resolve(made));
  });
  const { server: guarding, stop: stopGuarding } = await createFront({
    ...testAccounts().options,
    app: `http://127.0.0.1:${(server.address() as AddressInfo).port}`,
    guard: { closed: ["/members/*", "/graphql", "/keepers/ledger"] },
  });
  await new Promise<void>((resolve) => guarding.listen(0, "127.0.0.1", resolve));
  const count = isWhole ? 10_000 : 1_000;
  await askAll((guarding.address() as AddressInfo).port, spellings(count));
  stopGuarding();
  server.closeAllConnections();
  server.close();
  expect(past).toEqual([]);
  // Open paths pass.
  expect(arrived).toBeGreaterThan(count / 20);
});

test("streams flow, and WebSockets pass, for whom the path is open", async () => {
  const first = await new Promise<string>((resolve, reject) => {
    request({ host: "127.0.0.1", port, path: "/stream" }, (reply) => {
      reply.once("data", (chunk: Buffer) => {
        resolve(String(chunk));
        reply.destroy();
      });
    })
      .on("error", reject)
      .end();
  });
  expect(first).toBe("first\n");

  const upgrade = (path: string, headers: Record<string, string>) =>
    new Promise<{ status: number; who: string; echo: string }>((resolve, reject) => {
      const asked = request({
        host: "127.0.0.1",
        port,
        path,
        headers: { connection: "Upgrade", upgrade: "websocket", ...headers },
      });
      asked.on("upgrade", (reply, socket) => {
        socket.once("data", (chunk: Buffer) => {
          resolve({ status: 101, who: String(reply.headers["x-who"]), echo: String(chunk) });
          socket.destroy();
        });
        socket.write("snow");
      });
      asked.on("response", (reply) => resolve({ status: reply.statusCode ?? 0, who: "", echo: "" }));
      asked.on("error", reject).end();
    });
  const bruno = await service.register("bruno@brina.example");
  const cookie = await signInThrough(bruno.token, "/members/chat");
  const origin = `http://localhost:${port}`;
  expect(await upgrade("/chat", {})).toEqual({ status: 101, who: "", echo: "snow" });
  expect(await upgrade("/members/chat", {})).toMatchObject({ status: 401 });
  expect(await upgrade("/members/chat", { cookie, origin: "https://evil.test" })).toMatchObject({
    status: 403,
  });
  expect(await upgrade("/members/chat", { cookie, origin })).toEqual({
    status: 101,
    who: bruno.id,
    echo: "snow",
  });
});

test("it stops at once, with a WebSocket open", async () => {
  const other = await freePort();
  const child = await startFront(other);
  const socket = await new Promise<Socket>((resolve, reject) => {
    const headers = { connection: "Upgrade", upgrade: "websocket" };
    request({ host: "127.0.0.1", port: other, path: "/chat", headers })
      .on("upgrade", (_reply, upgraded: Socket) => resolve(upgraded))
      .on("error", reject)
      .end();
  });
  const closed = once(socket.resume(), "close");
  await stop(child);
  await closed;
});

test("started again it is the same app; an application that is away is told; one elsewhere is refused", async () => {
  const before = readFileSync(join(home, "lucchetto", "fronts.json"), "utf8");
  await stop(front);
  front = await startFront();
  expect(readFileSync(join(home, "lucchetto", "fronts.json"), "utf8")).toBe(before);
  const lucchetto = commandLine(home, service);
  const far = await lucchetto(["front", "--app", "http://192.0.2.7:5000", "--closed", "/"]);
  expect([far.status, far.err]).toEqual([2, expect.stringContaining("on this machine")]);
  const local = ["front", "--app", "http://localhost:5000"];
  for (const [wrong, said] of [
    [["--closed", "members"], "/members/*"],
    [["--closed", "/x", "--under", "account"], "/account"],
    [["--closed", "/x", "--fresh", "59"], "60"],
    [["--closed", "/x", "--level", "3"], "2"],
  ] as const) {
    const refused = await lucchetto([...local, "--listen", String(await freePort()), ...wrong]);
    expect([wrong, refused.status, refused.err]).toEqual([wrong, 2, expect.stringContaining(said)]);
  }
  const nothing = await lucchetto(local);
  expect([nothing.status, nothing.err]).toEqual([2, expect.stringContaining("--closed '/members/*'")]);
  const taken = await lucchetto([
    "front",
    "--app",
    "http://localhost:5000",
    "--listen",
    String(port),
    "--closed",
    "/x",
  ]);
  expect([taken.status, taken.err]).toEqual([1, expect.stringContaining("--listen")]);
  app.closeAllConnections();
  await new Promise((resolve) => app.close(resolve));
  expect(await ask("/open")).toMatchObject({ status: 502, text: expect.stringContaining("Is it running?") });
});
