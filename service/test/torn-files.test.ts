/** Files of an installation that are cut in the middle, belong to somebody else, or are no files. */
import { randomBytes } from "node:crypto";
import { chmodSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { beforeEach, describe, expect, test } from "@jest/globals";
import { ConfigurationError, loadConfiguration } from "@lucchetto/service";
import { stringify } from "yaml";

let folder: string;
const at = (name: string) => join(folder, name);
const configuration = at.bind(null, "lucchetto.yaml") as () => string;
const FILES = ["lucchetto.yaml", "keys.yaml", "database-password"] as const;

beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), "lucchetto-torn-"));
  chmodSync(folder, 0o755);
  const settings = {
    mode: "production",
    publicUrl: "https://accounts.brina.example",
    listen: { port: 8420, host: "127.0.0.1" },
    site: { name: "Brina Huts — cinque rifugi", language: "it" },
    database: { url: "mariadb://lucchetto@127.0.0.1:3306/lucchetto", passwordFile: "database-password" },
    keys: { file: "keys.yaml" },
    mail: "none",
    trustedProxies: ["127.0.0.1", "10.0.0.0/8"],
  };
  writeFileSync(configuration(), stringify(settings));
  const ring = { current: "k1", keys: { k1: randomBytes(32).toString("base64url") } };
  writeFileSync(at("keys.yaml"), stringify(ring), { mode: 0o600 });
  writeFileSync(at("database-password"), randomBytes(24).toString("base64url"), { mode: 0o600 });
});

/** What is said of it; empty where it can be used. */
function said(): string {
  try {
    loadConfiguration(configuration(), {});
    return "";
  } catch (error) {
    // Any other error would end the command with a stack.
    expect(error).toBeInstanceOf(ConfigurationError);
    return (error as Error).message;
  }
}

describe("a torn installation", () => {
  test.each(FILES)(
    "%s cut anywhere is either told or still whole, and no secret is in the message",
    (name) => {
      expect(said()).toBe("");
      const whole = readFileSync(at(name));
      const secrets = /[\w-]{32,}/g;
      let told = 0;
      for (let length = 0; length < whole.length; length += 1) {
        writeFileSync(at(name), whole.subarray(0, length));
        const fault = said();
        if (fault !== "") told += 1;
        for (const secret of `${whole}`.match(secrets) ?? []) expect(fault).not.toContain(secret.slice(0, 8));
      }
      // A password that lacks its end is a password; an empty one is none.
      expect(told).toBeGreaterThanOrEqual(name === "database-password" ? 1 : whole.length * 0.4);
      writeFileSync(at(name), "");
      expect(said()).not.toBe("");
    },
  );

  test.each(FILES)("%s of another user's, or a folder in its place, is told by name", (name) => {
    const isRoot = process.getuid?.() === 0;
    const content = readFileSync(at(name));
    chmodSync(at(name), isRoot ? 0o600 : 0o000);
    // Root reads everything: the file stays root's, and somebody else looks.
    if (isRoot) process.seteuid?.(65_534);
    let fault: string;
    try {
      fault = said();
    } finally {
      if (isRoot) process.seteuid?.(0);
    }
    expect(fault).toContain(name);
    expect(fault).toMatch(/cannot be read|EACCES/);

    rmSync(at(name));
    mkdirSync(at(name));
    const folderInPlace = said();
    expect(folderInPlace).toContain(name);
    expect(folderInPlace).not.toContain(content.toString().trim().slice(-12));
  });
});
