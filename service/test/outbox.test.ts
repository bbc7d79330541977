import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import type { AddressInfo } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterEach, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import type { ParsedMail } from "mailparser";
import { simpleParser } from "mailparser";
import type { SMTPServerDataStream, SMTPServerOptions } from "smtp-server";
import { SMTPServer } from "smtp-server";
import { aWhile, eventually } from "../../testing/eventually.ts";
import type { TestService } from "../../testing/service.ts";
import { freePort, send, startService } from "../../testing/service.ts";

const HOUR = 3_600_000;
const running: Array<{ stop(): Promise<void> }> = [];
afterEach(async () => {
  for (const one of running.splice(0).reverse()) await one.stop();
});

/** A real mail server on loopback; what it accepted, and how it is to behave. */
async function startMailServer(options: SMTPServerOptions = {}, port = 0) {
  const accepted: ParsedMail[] = [];
  const server = new SMTPServer({
    disabledCommands: ["AUTH", "STARTTLS"],
    // Connections that the service keeps are not waited for.
    closeTimeout: 1,
    onData(stream, _session, done) {
      simpleParser(stream).then(
        (mail) => {
          accepted.push(mail);
          done(null, "kept");
        },
        (error: Error) => done(error),
      );
    },
    ...options,
  });
  server.on("error", () => undefined);
  await new Promise<void>((resolve) => server.listen(port, "127.0.0.1", resolve));
  const one = {
    accepted,
    port: (server.server.address() as AddressInfo).port,
    stop: () => new Promise<void>((resolve) => server.close(() => resolve())),
  };
  running.push(one);
  return one;
}

async function startWith(port: number, more: Record<string, string> = {}, beside?: TestService) {
  const service = await startService({
    settings: {
      LUCCHETTO_MAIL_SMTP_URL: `smtp://127.0.0.1:${port}`,
      LUCCHETTO_MAIL_FROM: "Brina Huts <huts@brina.example>",
      // The clock stands: a try that a busy machine gave up would be followed by none.
      LUCCHETTO_MAIL_SMTP_TIMEOUT: "10m",
      ...more,
    },
    ...(beside === undefined ? {} : { beside }),
  });
  running.push(service);
  return service;
}

const row = async (service: TestService, to: string) =>
  (
    await service.dataSource.query("SELECT * FROM mail WHERE toAddress = ? ORDER BY id DESC LIMIT 1", [to])
  )[0];
const isIn = (service: TestService, to: string, state: string) => async () =>
  (await row(service, to))?.state === state;

describe("the outbox", () => {
  test("LI-3 sends what waits, sealed until then, once, and keeps no body afterwards", async () => {
    const port = await freePort();
    const service = await startWith(port);
    await service.register("anna@brina.example");
    await eventually(async () => (await row(service, "anna@brina.example"))?.lastAnswer ?? null);
    const { sealedBody: sealed, ...waiting } = await row(service, "anna@brina.example");
    expect(JSON.stringify(waiting)).not.toContain("lcl_");
    expect(waiting).toMatchObject({ state: "waiting" });
    const server = await startMailServer({}, port);
    await service.clock.advance(11_000);
    await eventually(isIn(service, "anna@brina.example", "sent"));
    const [mail] = server.accepted;
    expect(mail).toMatchObject({ subject: "Confirm your address for Brina Huts" });
    const [, secret = "none"] = /\/link#(lcl_[\w-]{43})/.exec(mail?.text ?? "") ?? [];
    expect(secret).toMatch(/^lcl_/);
    // Sealed, it may hold the four letters by chance, but never the secret.
    expect(sealed).not.toContain(secret);
    expect(mail?.html).toContain("Confirm my address");
    expect(mail?.headers.get("auto-submitted")).toBe("auto-generated");
    expect(await row(service, "anna@brina.example")).toMatchObject({ sealedBody: null, tries: 2 });
    expect(service.log()).not.toContain("lcl_");
    await service.clock.advance(HOUR);
    await aWhile();
    expect(server.accepted).toHaveLength(1);
  });

  test("one sender a mail, over two instances", async () => {
    const server = await startMailServer();
    const service = await startWith(server.port);
    await startWith(server.port, {}, service);
    await Promise.all(
      Array.from({ length: 60 }, (_, index) => service.register(`guest${index}@brina.example`)),
    );
    await eventually(() => server.accepted.length >= 60);
    await aWhile();
    expect(server.accepted).toHaveLength(60);
    expect(new Set(server.accepted.map(({ messageId }) => messageId)).size).toBe(60);
  });

  test("a recipient who is refused is given up at once, and the others get theirs; an operator may try again", async () => {
    let refuses = true;
    const server = await startMailServer({
      onRcptTo({ address }, _session, done) {
        const isRefused = refuses && address === "gone@brina.example";
        done(isRefused ? Object.assign(new Error("no such person"), { responseCode: 550 }) : null);
      },
    });
    const service = await startWith(server.port);
    await Promise.all(["gone", "bruno", "carla"].map((name) => service.register(`${name}@brina.example`)));
    await eventually(() => server.accepted.length === 2);
    await eventually(isIn(service, "gone@brina.example", "given-up"));
    const client = service.as(await service.operator());
    const { body } = await client(routes.listMailbox, { query: { state: "given-up" } });
    expect(body.items).toMatchObject([{ to: "gone@brina.example", lastAnswer: "550 no such person" }]);
    refuses = false;
    await client(routes.repeatMail, { params: { id: body.items[0]?.id ?? "" } });
    await eventually(isIn(service, "gone@brina.example", "sent"));
    await expect(
      client(routes.repeatMail, { params: { id: body.items[0]?.id ?? "" } }),
    ).rejects.toMatchObject({ problem: { code: "mail-gone" } });
  });

  test("a server that refuses the sender, or everybody, loses nothing either: that is no fault of the mail", async () => {
    let refuses = true;
    const refusal = () => (refuses ? Object.assign(new Error("not from you"), { responseCode: 550 }) : null);
    const server = await startMailServer({ onMailFrom: (_address, _session, done) => done(refusal()) });
    const service = await startWith(server.port);
    await service.register("ugo@brina.example");
    await eventually(async () => ((await row(service, "ugo@brina.example"))?.lastAnswer ?? null) !== null);
    expect(await row(service, "ugo@brina.example")).toMatchObject({
      state: "waiting",
      lastAnswer: "550 not from you",
    });
    refuses = false;
    await service.clock.advance(11_000);
    await eventually(isIn(service, "ugo@brina.example", "sent"));
    const closed = await startMailServer({
      onConnect: (_session, done) => done(Object.assign(new Error("nobody"), { responseCode: 554 })),
    });
    const shut = await startWith(closed.port);
    await shut.register("vera@brina.example");
    await eventually(async () => ((await row(shut, "vera@brina.example"))?.lastAnswer ?? null) !== null);
    expect((await row(shut, "vera@brina.example")).state).toBe("waiting");
  });

  test("a server that dies in mid-message, or is too slow, loses nothing; the mail comes at the next try", async () => {
    let behaviour: "die" | "hang" | "work" = "die";
    const accepted: string[] = [];
    const server = await startMailServer({
      onData(stream: SMTPServerDataStream, session, done) {
        if (behaviour === "die") {
          stream.once("data", () => {
            (session as unknown as { _socket?: { destroy(): void } })._socket?.destroy();
            for (const connection of (
              this as unknown as SMTPServer & { connections: Set<{ _socket: { destroy(): void } }> }
            ).connections)
              connection._socket.destroy();
          });
          return;
        }
        stream.resume();
        stream.on("end", () => {
          if (behaviour === "hang") return;
          accepted.push(session.envelope.rcptTo[0]?.address ?? "");
          done(null, "kept");
        });
      },
    });
    const service = await startWith(server.port, { LUCCHETTO_MAIL_SMTP_TIMEOUT: "5s" });
    await service.register("dora@brina.example");
    await eventually(async () => ((await row(service, "dora@brina.example"))?.lastAnswer ?? null) !== null);
    expect(await row(service, "dora@brina.example")).toMatchObject({ state: "waiting", tries: 1 });
    behaviour = "hang";
    await service.clock.advance(11_000);
    await eventually(async () => /timeout/i.test((await row(service, "dora@brina.example"))?.lastAnswer));
    expect(await row(service, "dora@brina.example")).toMatchObject({ state: "waiting", tries: 2 });
    behaviour = "work";
    await service.clock.advance(31_000);
    await eventually(isIn(service, "dora@brina.example", "sent"));
    expect(accepted).toEqual(["dora@brina.example"]);
  });

  test("is given up when its link has expired, and after some two days of tries", async () => {
    const service = await startWith(await freePort());
    const { token } = await service.register("elio@brina.example");
    await service.client(routes.askForLink, {
      body: { purpose: "reset", identifier: "elio@brina.example" },
    });
    await eventually(async () => (await row(service, "elio@brina.example"))?.template === "reset");
    // Tried, and noted as such: what is noted after the clock has moved would wait from there.
    await eventually(async () => {
      const { tries, claimedUntil } = await row(service, "elio@brina.example");
      return tries >= 1 && claimedUntil === null;
    });
    await service.clock.advance(31 * 60_000);
    await eventually(isIn(service, "elio@brina.example", "given-up"));
    expect((await row(service, "elio@brina.example")).lastAnswer).toMatch(/link has expired/);
    await service.clock.reset();
    // A notice carries no link that expires: it is tried for two days.
    await service.as(token)(routes.changePassword, {
      body: { present: "a good long password", password: "another good long password" },
    });
    for (let tries = 1; tries <= 11; tries += 1) {
      await eventually(async () => {
        const { tries: made, claimedUntil } = await row(service, "elio@brina.example");
        return made >= tries && claimedUntil === null;
      });
      await service.clock.advance(25 * HOUR);
    }
    await eventually(isIn(service, "elio@brina.example", "given-up"));
    expect(await row(service, "elio@brina.example")).toMatchObject({
      template: "password-changed",
      tries: 11,
    });
  });

  test("the site's picture goes along within the mail; production shows nobody what mails say", async () => {
    const server = await startMailServer();
    const directory = mkdtempSync(join(tmpdir(), "lucchetto-logo-"));
    const logo = join(directory, "logo.png");
    const picture = Buffer.from(
      "iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR4nGNgYGD4DwABBAEAX+XDSwAAAABJRU5ErkJggg==",
      "base64",
    );
    writeFileSync(logo, picture);
    const service = await startWith(server.port, { LUCCHETTO_SITE_LOGO: logo });
    await service.register("hugo@brina.example");
    await eventually(() => server.accepted.length === 1);
    const [mail] = server.accepted;
    expect(mail?.attachments).toMatchObject([
      { cid: "site-logo", contentType: "image/png", content: picture },
    ]);
    // A reader's program finds the picture in the mail itself; nothing is fetched from elsewhere.
    expect(mail?.html).not.toMatch(/src="http/);
    rmSync(directory, { recursive: true });

    const { port } = await startMailServer();
    const production = await startService({
      publicUrl: "https://accounts.brina.example",
      settings: {
        LUCCHETTO_MAIL_VIA: "smtp",
        LUCCHETTO_ACCOUNTS_TELL_TAKEN: "false",
        LUCCHETTO_ACCOUNTS_VERIFY_EMAIL: "required",
        LUCCHETTO_MAIL_SMTP_URL: `smtp://127.0.0.1:${port}`,
        LUCCHETTO_MAIL_FROM: "huts@brina.example",
      },
    });
    running.push(production);
    for (const path of ["/mailbox", "/v1/development/mailbox"])
      expect((await send(production, "GET", path)).status).toBe(404);
    const reply = await production.client(routes.register, {
      body: { email: "ida@brina.example", password: "a good long password" },
    });
    expect(reply.status).toBe(202);
    expect((await row(production, "ida@brina.example")).template).toBe("verify");
  });

  test("speaks TLS and signs in to the mail server, and refuses a server whose certificate nobody vouches for", async () => {
    const directory = mkdtempSync(join(tmpdir(), "lucchetto-mail-"));
    const [key, cert] = [join(directory, "key.pem"), join(directory, "cert.pem")];
    execFileSync(
      "openssl",
      ["req", "-x509", "-newkey", "rsa:2048", "-nodes", "-keyout", key, "-out", cert, "-days", "2"].concat([
        "-subj",
        "/CN=localhost",
        "-addext",
        "subjectAltName=DNS:localhost",
      ]),
      { stdio: "ignore" },
    );
    const tls = { key: readFileSync(key), cert: readFileSync(cert) };
    const names: string[] = [];
    const server = await startMailServer({
      ...tls,
      disabledCommands: [],
      authOptional: false,
      onAuth({ username, password }, _session, done) {
        names.push(`${username}:${password}`);
        done(password === "mail secret" ? null : new Error("no"), { user: username });
      },
    });
    const passwordFile = join(directory, "password");
    writeFileSync(passwordFile, "mail secret\n", { mode: 0o600 });
    const settings = {
      LUCCHETTO_MAIL_SMTP_URL: `smtp://huts@localhost:${server.port}`,
      LUCCHETTO_MAIL_SMTP_START_TLS: "required",
      LUCCHETTO_MAIL_SMTP_PASSWORD_FILE: passwordFile,
    };
    const trusting = await startWith(server.port, { ...settings, LUCCHETTO_MAIL_SMTP_AUTHORITY_FILE: cert });
    await trusting.register("fausta@brina.example");
    await eventually(() => server.accepted.length === 1);
    expect(names).toContain("huts:mail secret");
    const wary = await startWith(server.port, settings);
    await wary.register("gino@brina.example");
    await eventually(async () => ((await row(wary, "gino@brina.example"))?.lastAnswer ?? null) !== null);
    expect((await row(wary, "gino@brina.example")).lastAnswer).toMatch(/certificate/i);
    expect(server.accepted).toHaveLength(1);
    rmSync(directory, { recursive: true });
  });
});
