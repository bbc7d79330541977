/** Programs that install the packages from a path compile under each way in which TypeScript resolves modules, in both module forms, and load. */
import { execFile } from "node:child_process";
import { mkdirSync, mkdtempSync, rmSync, symlinkSync, writeFileSync } from "node:fs";
import { createRequire } from "node:module";
import { tmpdir } from "node:os";
import { dirname, join } from "node:path";
import { promisify } from "node:util";
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import { declareTypes } from "../../scripts/build.mjs";
import { sampleOf } from "../../testing/whole.ts";

const ROOT = join(import.meta.dirname, "../..");
const run = promisify(execFile);
const packageOf = (name: string) => dirname(createRequire(import.meta.url).resolve(`${name}/package.json`));

const PROGRAM = `import express from "./express.js";
import { createHasp } from "@lucchetto/hasp";
import type { Accounts, SignedInAccount } from "@lucchetto/hasp";
import { expressHasp } from "@lucchetto/hasp/express";
import { fastifyHasp } from "@lucchetto/hasp/fastify";
import { testAccounts } from "@lucchetto/hasp/testing";
import { webHasp } from "@lucchetto/hasp/web";
import { createClient, routes } from "@lucchetto/contract";
import { makePasswordRecord } from "@lucchetto/core/password";

const hasp = expressHasp(testAccounts().options);
export const nameOf = (account: SignedInAccount): string => account.displayName ?? account.email ?? account.id;
export const invite = (accounts: Accounts) => accounts.invite({ email: "petra@brina.example", page: "/members" });
export const look = () => createClient({ baseUrl: "http://localhost:8420" })(routes.showSession);
// @ts-expect-error: what is no text is no address.
export const wrong = () => createClient({ baseUrl: 8420 });
export const all = [express, hasp.closed({ label: "keeper" }), fastifyHasp, webHasp, createHasp, makePasswordRecord];
console.log(all.map((one) => typeof one).join());
`;

const WAYS = [
  ["node10", "commonjs", "commonjs", ["--ignoreDeprecations", "6.0"]],
  ["node16", "node16", "commonjs", []],
  ["node16", "node16", "module", []],
  ["bundler", "esnext", "module", []],
  ["nodenext", "nodenext", "module", []],
] as const;

let home: string;
beforeAll(async () => {
  await declareTypes();
  home = mkdtempSync(join(tmpdir(), "lucchetto-consumer-"));
});
afterAll(() => rmSync(home, { recursive: true, force: true }));

// The first two brought no types once.
test.each(sampleOf(WAYS, 1))(
  "moduleResolution %s, module %s, in a package of type %s",
  async (resolution, module, type, more) => {
    const folder = join(home, `${resolution}-${type}`);
    mkdirSync(join(folder, "node_modules/@lucchetto"), { recursive: true });
    for (const room of ["core", "contract", "hasp"])
      symlinkSync(join(ROOT, room), join(folder, "node_modules/@lucchetto", room));
    mkdirSync(join(folder, "node_modules/@types"));
    for (const name of ["fastify", "@types/node"])
      symlinkSync(packageOf(name), join(folder, "node_modules", name));
    writeFileSync(join(folder, "package.json"), JSON.stringify({ name: "hut-book", private: true, type }));
    writeFileSync(join(folder, "express.ts"), "export default (): string => 'express';\n");
    writeFileSync(join(folder, "server.ts"), PROGRAM);
    const options = [
      "--strict",
      "--target",
      "es2022",
      "--types",
      "node",
      "--lib",
      "es2023,dom",
      "--skipLibCheck",
    ];
    const how = ["--module", module, "--moduleResolution", resolution, ...options, ...more];
    const tsc = join(packageOf("typescript"), "bin/tsc");
    const compiled = run(process.execPath, [tsc, ...how, "server.ts"], { cwd: folder }).catch(
      (error: { stdout: string }) => error,
    );
    expect((await compiled).stdout).toBe("");
    const { stdout } = await run(process.execPath, ["server.js"], { cwd: folder });
    expect(stdout.trim()).toBe("function,function,function,function,function,function");
  },
);
