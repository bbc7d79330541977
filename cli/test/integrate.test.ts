/** `docs/integrate.md`, word for word: its blocks are written into files and run, with other addresses alone. */
import type { ChildProcess } from "node:child_process";
import { spawn } from "node:child_process";
import { once } from "node:events";
import { mkdtempSync, readFileSync, symlinkSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { afterAll, afterEach, beforeAll, describe, expect, test } from "@jest/globals";
import { rehearse } from "@lucchetto/rehearsal";
import { parse } from "yaml";
import { commandLine } from "../../testing/command.ts";
import { eventually } from "../../testing/eventually.ts";
import type { TestService } from "../../testing/service.ts";
import { freePort, PASSWORD } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";
import { inWhole, sampleOf } from "../../testing/whole.ts";

const ROOT = fileURLToPath(new URL("../../", import.meta.url));
const GUIDE = readFileSync(join(ROOT, "docs/integrate.md"), "utf8");

/** The blocks of a section, in their order. */
function blocksOf(heading: string): Array<{ language: string; text: string }> {
  const [, section = ""] = new RegExp(`\n## ${heading}\n([^]*?)(?=\n## |$)`).exec(GUIDE) ?? [];
  const blocks = [...section.matchAll(/^```(\w+)\n([^]*?)^```$/gm)].map(([, language = "", text = ""]) => ({
    language,
    text,
  }));
  if (blocks.length === 0) throw new Error(`the guide says nothing of ${heading}`);
  return blocks;
}

let service: TestService;
const running: ChildProcess[] = [];
beforeAll(async () => {
  service = await startShipped();
  await service.operator();
});
afterEach(async () => {
  for (const child of running.splice(0)) {
    if (child.exitCode !== null || child.pid === undefined) continue;
    const ended = once(child, "close");
    process.kill(-child.pid, "SIGKILL");
    await ended;
  }
});
afterAll(() => service.stop());

/** Registers the application as the guide says, at another port. @returns what stands in place of the guide's addresses. */
async function register(name: string): Promise<{ port: number; placed: (text: string) => string }> {
  const port = await freePort();
  const home = mkdtempSync(join(tmpdir(), "lucchetto-home-"));
  const lucchetto = commandLine(home, service);
  await lucchetto(["sign-in", "office@brina.example", "--password-stdin"], { input: PASSWORD });
  const [, line = ""] = /npx lucchetto (app add .*)/.exec(GUIDE) ?? [];
  const { out, status } = await lucchetto([
    ...line
      .replaceAll("3000", String(port))
      .split(" ")
      .filter((word) => !/^('Hut|book')$/.test(word))
      .toSpliced(2, 0, name),
  ]);
  expect([line, status]).toEqual([expect.stringMatching(/^app add 'Hut book' --redirect-uri/), 0]);
  const key = /lcp_\S{20,}/.exec(out)?.[0] ?? "";
  const clientId = name.toLowerCase().replaceAll(" ", "-");
  return {
    port,
    placed: (text) =>
      text
        .replaceAll("http://localhost:8420", service.url)
        .replaceAll("3000", String(port))
        .replaceAll("lcp_…", key)
        .replaceAll("hut-book", clientId)
        .replaceAll("/path/to/lucchetto", ROOT.replace(/\/$/, "")),
  };
}

function emptyFolder(): string {
  return mkdtempSync(join(tmpdir(), "lucchetto-integrated-"));
}

/** Runs lines in a shell. @param ends whether they come to an end; else they go on until the test is over. */
async function shell(folder: string, lines: string, { ends = true, env = {} } = {}): Promise<string> {
  const child = spawn("bash", ["-euo", "pipefail", "-c", lines], {
    cwd: folder,
    env: { PATH: process.env["PATH"] ?? "", HOME: folder, ...env },
    stdio: ["ignore", "pipe", "pipe"],
    detached: true,
  });
  let [out, err] = ["", ""];
  child.stdout.on("data", (chunk) => (out += chunk));
  child.stderr.on("data", (chunk) => (err += chunk));
  if (!ends) {
    running.push(child);
    return "";
  }
  const [status] = (await once(child, "close")) as [number];
  if (status !== 0) throw new Error(`${lines}\nended with ${status}: ${err}`);
  return out;
}

/** What the guide promises of each: a guest is turned away, and whoever registers reads the page, until they sign out. */
async function walk(app: string, closed = "/members"): Promise<void> {
  await eventually(async () => (await fetch(app).catch(() => null))?.ok, app);
  const { steps } = await rehearse({
    app,
    service: service.url,
    open: "/",
    closed,
    closedApi: null,
    closedLevel2: null,
    only: ["closed-page", "register", "sign-out"],
    deadline: 200_000,
  });
  expect(steps.map(({ id, state, came }) => (state === "passed" ? [id, state] : [id, state, came]))).toEqual([
    ["closed-page", "passed"],
    ["register", "passed"],
    ["sign-out", "passed"],
  ]);
}

/** `npm install` as the guide has it finds what is installed here already. */
function installed(folder: string, lines: string): string {
  symlinkSync(join(ROOT, "node_modules"), join(folder, "node_modules"));
  const [line = ""] = /^npm install .*$/m.exec(lines) ?? [];
  for (const [path] of line.matchAll(/\/\S+/g))
    expect(readFileSync(join(path, "package.json"), "utf8")).toContain("@lucchetto/");
  return lines.replace(line, "true");
}

describe("integrate in ten minutes", () => {
  test.each(sampleOf(["Fastify", "Express"], 1))("with the hasp, in %s", async (framework) => {
    const { port, placed } = await register(`Hut book in ${framework}`);
    const folder = emptyFolder();
    const [install, fastify, start, express] = blocksOf("With the hasp").map(({ text }) => placed(text));
    await shell(folder, installed(folder, install ?? ""));
    writeFileSync(join(folder, "server.js"), (framework === "Fastify" ? fastify : express) ?? "");
    await shell(folder, start ?? "", { ends: false });
    await walk(`http://localhost:${port}`);
  });

  // Their programs are also those of service/test/rfc-clients.test.ts.
  inWhole.each(["Python", "PHP"])("in %s without a package", async (language) => {
    const { port, placed } = await register(`Hut book in ${language}`);
    const [only] = blocksOf(`${language} without a package`);
    await shell(emptyFolder(), placed(only?.text ?? ""), { ends: false });
    await walk(`http://localhost:${port}`);
  });

  test("with curl", async () => {
    await service.register("anna.larice@brina.example", "five huts above the lake");
    const { placed } = await register("Hut book in a shell");
    const lines = blocksOf("With curl").map(({ text }) => placed(text));
    const out = await shell(emptyFolder(), lines.join("\necho\n"));
    expect(out).toMatch(/"active":true,.*"email":"anna\.larice@brina\.example"/);
    expect(out.trimEnd()).toMatch(/\{"active":false\}$/);
  });

  test("behind a proxy", async () => {
    const { port, placed } = await register("Hut book behind a proxy");
    const [settings, site, nginx, start] = blocksOf("Behind a proxy");
    const config = parse(settings?.text ?? "") as {
      publicUrl: string;
      trustedProxies: string[];
      proxyCheck: { clientId: string; proxies: string[] };
    };
    const sitePort = await freePort();
    const behind = await startShipped({
      beside: service,

      publicUrl: config.publicUrl.replace("8430", String(sitePort)),
      settings: {
        LUCCHETTO_TRUSTED_PROXIES: JSON.stringify(config.trustedProxies),
        LUCCHETTO_PROXY_CHECK_CLIENT_ID: placed(config.proxyCheck.clientId),
        LUCCHETTO_PROXY_CHECK_PROXIES: JSON.stringify(config.proxyCheck.proxies),
      },
    });
    try {
      const { port: at } = new URL(behind.url);
      const folder = emptyFolder();
      writeFileSync(
        join(folder, "nginx.conf"),
        placed((nginx?.text ?? "").replaceAll("8420", at).replaceAll("8430", String(sitePort))),
      );
      await shell(folder, placed(site?.text ?? ""), { ends: false });
      await shell(folder, start?.text ?? "", {
        ends: false,
        env: { PATH: `${process.env["PATH"]}:/usr/sbin` },
      });
      const url = `http://localhost:${sitePort}`;
      await eventually(async () => (await fetch(`http://127.0.0.1:${port}/`).catch(() => null))?.ok);
      await eventually(async () => (await fetch(`${url}/`).catch(() => null))?.ok);
      const guest = await fetch(`${url}/members/`, { headers: { accept: "text/html" }, redirect: "manual" });
      expect([guest.status, guest.headers.get("location")]).toEqual([
        303,
        expect.stringContaining(`${url}/people/`),
      ]);
      expect((await fetch(`${url}/members/`, { headers: { accept: "application/json" } })).status).toBe(401);
      expect(await (await fetch(`${url}/`)).text()).toContain("Open to all.");
      const { steps } = await rehearse({
        app: url,
        service: `${url}/people`,
        open: "/",
        closed: "/members/",
        closedApi: null,
        closedLevel2: null,
        only: ["closed-page", "register"],
        deadline: 200_000,
      });
      expect(steps.map(({ id, state, came }) => [id, state, came])).toEqual([
        ["closed-page", "passed", expect.anything()],
        ["register", "passed", expect.stringContaining("Only members read the hut book.")],
      ]);
    } finally {
      await behind.stop();
    }
  });
});
