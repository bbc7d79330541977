/** What applications install, packed as it is given away, and used from an empty folder. */
import { execFile } from "node:child_process";
import { mkdirSync, mkdtempSync, readdirSync, readFileSync, symlinkSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { basename, dirname, join } from "node:path";
import { fileURLToPath } from "node:url";
import { promisify } from "node:util";
import { beforeAll, describe, expect, test } from "@jest/globals";
import { sampleOf } from "../../testing/whole.ts";

const ROOT = fileURLToPath(new URL("../../", import.meta.url));
const COMPILER = join(ROOT, "node_modules/@typescript/native/bin/tsc");
const run = promisify(execFile);

/** Each thing once, as the docs use it. */
const IN_TYPESCRIPT = `
import { createClient, routes } from "@lucchetto/contract";
import { checkRecord, makeRecord, readRecord, readScheme } from "@lucchetto/core";
import { expressHasp } from "@lucchetto/hasp/express";
import { fastifyHasp } from "@lucchetto/hasp/fastify";
import { ownForms } from "@lucchetto/hasp/forms";
import { testAccounts } from "@lucchetto/hasp/testing";
import { webHasp } from "@lucchetto/hasp/web";
import Fastify from "fastify";

const app = Fastify();
const accounts = testAccounts();
await app.register(fastifyHasp, accounts.options);
app.get("/members", { preHandler: app.hasp.closed() }, async (request) => request.account?.displayName ?? null);
const inside = await app.inject({ url: "/members", headers: accounts.as({ displayName: "Anna" }) });
const outside = await app.inject({ url: "/members", headers: { accept: "application/json" } });
const record: string = await makeRecord("moss on the north side", readScheme("$scrypt$ln=4,r=8,p=1"), new Uint8Array(16));
const fits: boolean = await checkRecord("moss on the north side", readRecord(record));
const made = [createClient, expressHasp, webHasp, ownForms].every((one) => typeof one === "function");
console.log(JSON.stringify([inside.body, outside.statusCode, fits, made, routes.signIn.path]));
`;

let archives: string[];
let application: string;
beforeAll(async () => {
  const folder = mkdtempSync(join(tmpdir(), "lucchetto-archives-"));
  const { stdout } = await run(process.execPath, [join(ROOT, "scripts/archives.mjs"), folder]);
  archives = stdout.split("\n").filter((line) => line.endsWith(".tgz") && line.startsWith(folder));
  application = mkdtempSync(join(tmpdir(), "lucchetto-consumer-"));
  const modules = join(application, "node_modules");
  const link = (name: string) => {
    const to = join(modules, name);
    mkdirSync(dirname(to), { recursive: true });
    symlinkSync(join(ROOT, "node_modules", name), to);
  };
  for (const archive of archives) {
    const name = /lucchetto-(\w+)-/.exec(basename(archive))?.[1] ?? "";
    const to = join(modules, "@lucchetto", name);
    mkdirSync(to, { recursive: true });
    await run("tar", ["xzf", archive, "-C", to, "--strip-components", "1"]);
    const { dependencies = {} } = JSON.parse(readFileSync(join(to, "package.json"), "utf8"));
    // What is not named there is not there.
    for (const one of Object.keys(dependencies)) if (!one.startsWith("@lucchetto/")) link(one);
  }
  for (const one of ["fastify", "@types/node"]) link(one);
  writeFileSync(join(application, "package.json"), '{"type":"module"}');
  writeFileSync(join(application, "consumer.ts"), IN_TYPESCRIPT);
});

describe("the archives", () => {
  test("hold code, types and licence, and nothing of the machine they were made on", async () => {
    expect(archives).toHaveLength(3);
    for (const name of ["contract", "core", "hasp"]) {
      const folder = join(application, "node_modules/@lucchetto", name);
      const files = readdirSync(folder, { recursive: true, encoding: "utf8" });
      expect(files).toEqual(
        expect.arrayContaining(["LICENSE", "package.json", "dist/index.js", "dist/index.d.ts"]),
      );
      expect(files.filter((file) => /\.test\.|tsbuildinfo|\.made-of|\.ts$(?<!\.d\.ts)/.test(file))).toEqual(
        [],
      );
      for (const file of files.filter((one) => /\.(?:js|map|ts|json)$/.test(one)))
        expect([file, readFileSync(join(folder, file), "utf8").includes(ROOT)]).toEqual([file, false]);
    }
  });

  const resolutions = [
    ["NodeNext", "NodeNext"],
    ["ESNext", "Bundler"],
  ] as const;
  test.each(sampleOf(resolutions, 1))(
    "compile strictly with module %s and resolution %s, libraries checked too",
    async (module, resolution) => {
      const options = ["--strict", "--skipLibCheck", "false", "--target", "es2022", "--types", "node"];
      const kinds = ["--singleThreaded", "--module", module, "--moduleResolution", resolution];
      const out = ["--outDir", join(application, `out-${resolution}`)];
      const done = await run(process.execPath, [COMPILER, ...options, ...kinds, ...out, "consumer.ts"], {
        cwd: application,
      }).catch((error: { stdout: string }) => ({ stdout: error.stdout }));
      expect(done.stdout).toBe("");
      const { stdout } = await run(
        process.execPath,
        [join(application, `out-${resolution}`, "consumer.js")],
        {
          cwd: application,
        },
      );
      expect(JSON.parse(stdout)).toEqual(["Anna", 401, true, true, "/v1/sign-in"]);
    },
  );

  test("are taken by CommonJS as well", async () => {
    const path = join(application, "consumer.cjs");
    const names = [
      "@lucchetto/core",
      "@lucchetto/contract",
      "@lucchetto/hasp/express",
      "@lucchetto/hasp/web",
    ];
    writeFileSync(
      path,
      names.map((name) => `console.log(Object.keys(require("${name}")).length > 0);`).join("\n"),
    );
    const { stdout, stderr } = await run(process.execPath, [path]);
    expect([stdout, stderr]).toEqual(["true\n".repeat(4), ""]);
  });
});

/** Of one that installs the packages from a path. */
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

describe("the packages, installed from a path,", () => {
  // The first two brought no types once.
  test.each(sampleOf(WAYS, 1))(
    "compile and run with moduleResolution %s, module %s, in a package of type %s",
    async (resolution, module, type, more) => {
      const folder = join(mkdtempSync(join(tmpdir(), "lucchetto-consumer-")), type);
      mkdirSync(join(folder, "node_modules/@lucchetto"), { recursive: true });
      for (const room of ["core", "contract", "hasp"])
        symlinkSync(join(ROOT, room), join(folder, "node_modules/@lucchetto", room));
      mkdirSync(join(folder, "node_modules/@types"));
      for (const name of ["fastify", "@types/node"])
        symlinkSync(join(ROOT, "node_modules", name), join(folder, "node_modules", name));
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
      const tsc = join(join(ROOT, "node_modules/typescript"), "bin/tsc");
      const compiled = run(process.execPath, [tsc, ...how, "server.ts"], { cwd: folder }).catch(
        (error: { stdout: string }) => error,
      );
      expect((await compiled).stdout).toBe("");
      const { stdout } = await run(process.execPath, ["server.js"], { cwd: folder });
      expect(stdout.trim()).toBe("function,function,function,function,function,function");
    },
  );
});
