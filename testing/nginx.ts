/** A real nginx with the configuration of the docs, its addresses and files put in their places. */
import { spawn } from "node:child_process";
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { connect } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { eventually } from "./eventually.ts";
import { makeCertificate } from "./tls.ts";

export const SITE_NAME = "huts.brina.example";

export interface TestNginx {
  readonly port: number;
  stop(): Promise<void>;
}

/** Starts it in front of a service and an application. @param files of the static site, by path. */
export async function startNginx(options: {
  port: number;
  servicePort: number;
  appPort: number;
  files: Readonly<Record<string, string>>;
}): Promise<TestNginx> {
  const folder = mkdtempSync(join(tmpdir(), "lucchetto-nginx-"));
  const { cert, key } = makeCertificate(folder, [SITE_NAME]);
  for (const [path, text] of Object.entries(options.files)) {
    const file = join(folder, "site", path);
    mkdirSync(join(file, ".."), { recursive: true });
    writeFileSync(file, text);
  }
  const example = readFileSync(new URL("../docs/examples/nginx.conf", import.meta.url), "utf8");
  const replace: ReadonlyArray<readonly [string, string]> = [
    ["listen 443 ssl", `listen 127.0.0.1:${options.port} ssl`],
    ["/etc/ssl/huts.pem", cert],
    ["/etc/ssl/huts.key", key],
    ["127.0.0.1:8420", `127.0.0.1:${options.servicePort}`],
    ["127.0.0.1:8421", `127.0.0.1:${options.appPort}`],
    ["/srv/huts", join(folder, "site")],
  ];
  let server = example;
  for (const [from, to] of replace) {
    if (!server.includes(from)) throw new Error(`docs/examples/nginx.conf says nothing of ${from}`);
    server = server.replaceAll(from, to);
  }
  const paths = ["client_body", "proxy", "fastcgi", "uwsgi", "scgi"]
    .map((name) => `${name}_temp_path ${join(folder, name)};`)
    .join("\n");
  const user = process.getuid?.() === 0 ? "user root;\n" : "";
  const file = join(folder, "nginx.conf");
  writeFileSync(
    file,
    `${user}pid ${join(folder, "pid")};\nevents {}\nhttp {\naccess_log ${join(folder, "access.log")};\n${paths}\n${server}\n}\n`,
  );
  const child = spawn(
    "/usr/sbin/nginx",
    ["-p", folder, "-c", file, "-e", join(folder, "error.log"), "-g", "daemon off;"],
    {
      stdio: "ignore",
    },
  );
  await eventually(() => {
    if (child.exitCode !== null) throw new Error(readFileSync(join(folder, "error.log"), "utf8"));
    return answers(options.port);
  }, "nginx");
  return {
    port: options.port,
    async stop() {
      const gone = new Promise((resolve) => child.once("close", resolve));
      child.kill("SIGQUIT");
      await gone;
      rmSync(folder, { recursive: true });
    },
  };
}

function answers(port: number): Promise<boolean> {
  return new Promise((resolve) => {
    const socket = connect(port, "127.0.0.1", () => {
      socket.end();
      resolve(true);
    }).once("error", () => resolve(false));
  });
}
