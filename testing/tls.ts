/** Certificates made on the spot, and https in front of what speaks plain http. */
import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync } from "node:fs";
import type { AddressInfo, Socket } from "node:net";
import { connect } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { createServer } from "node:tls";

/** A certificate for some names, signed by itself. @returns paths of PEM files. */
export function makeCertificate(folder: string, names: readonly string[]): { cert: string; key: string } {
  const cert = join(folder, "cert.pem");
  const key = join(folder, "key.pem");
  execFileSync(
    "openssl",
    [
      ...[
        "req",
        "-x509",
        "-newkey",
        "ec",
        "-pkeyopt",
        "ec_paramgen_curve:prime256v1",
        "-nodes",
        "-days",
        "2",
      ],
      ...["-keyout", key, "-out", cert, "-subj", `/CN=${names[0]}`],
      ...["-addext", `subjectAltName=${names.map((name) => `DNS:${name}`).join(",")}`],
    ],
    { stdio: "ignore" },
  );
  return { cert, key };
}

export interface TlsFront {
  readonly port: number;
  /** Where what comes in is handed on to; set before anybody comes. */
  to(port: number): void;
  stop(): Promise<void>;
}

/** Takes https at a free port of loopback and hands it on in the clear. */
export async function startTlsFront(names: readonly string[]): Promise<TlsFront> {
  const folder = mkdtempSync(join(tmpdir(), "lucchetto-tls-"));
  const { cert, key } = makeCertificate(folder, names);
  let target = 0;
  const open = new Set<Socket>();
  const server = createServer({ cert: readFileSync(cert), key: readFileSync(key) }, (socket) => {
    const onward = connect(target, "127.0.0.1");
    for (const [one, other] of [
      [socket, onward],
      [onward, socket],
    ] as const) {
      open.add(one);
      one.on("error", () => other.destroy());
      one.on("close", () => {
        open.delete(one);
        other.destroy();
      });
      one.pipe(other);
    }
  });
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", () => resolve()));
  return {
    port: (server.address() as AddressInfo).port,
    to: (port) => (target = port),
    async stop() {
      for (const socket of open) socket.destroy();
      await new Promise((resolve) => server.close(resolve));
      rmSync(folder, { recursive: true });
    },
  };
}
