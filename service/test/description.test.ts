import { spawn } from "node:child_process";
import { mkdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { createInterface } from "node:readline";
import { fileURLToPath } from "node:url";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { readKeyUri, totp } from "@lucchetto/core";
import { Validator } from "@seriousme/openapi-schema-validator";
import { transformSync } from "@swc/core";
import addFormats from "ajv-formats";
import type { ValidateFunction } from "ajv/dist/2020.js";
import { Ajv2020 } from "ajv/dist/2020.js";
import openapiTS, { astToString } from "openapi-typescript";
import type { TestService } from "../../testing/service.ts";
import { PASSWORD, send, startService } from "../../testing/service.ts";

type Json = Record<string, unknown>;
interface Media {
  readonly schema: Json;
  readonly example?: unknown;
  readonly examples?: Record<string, { value: unknown }>;
}
interface Operation {
  readonly operationId?: string;
  readonly requestBody?: { content: Record<string, Media> };
  readonly responses: Record<string, { description: string; content?: Record<string, Media> }>;
}
interface Described {
  readonly paths: Record<string, Record<string, Operation>>;
  readonly components: { schemas: Record<string, Json> };
}

const ROOT = fileURLToPath(new URL("../..", import.meta.url));
const FOLDER = join(ROOT, ".test-state", `generated-${process.pid}`);

let service: TestService;
let described: Described;
beforeAll(async () => {
  service = await startService({ timePasses: true });
  described = (await send(service, "GET", "/openapi.json")).json<Described & Json>();
  mkdirSync(FOLDER, { recursive: true });
});
afterAll(async () => {
  rmSync(FOLDER, { recursive: true, force: true });
  await service.stop();
});

const operations = () =>
  Object.entries(described.paths).flatMap(([path, item]) =>
    Object.entries(item).map(([method, operation]) => ({ path, method, operation })),
  );

describe("the description of the calls", () => {
  test("is valid for a validator that nobody here wrote, and no named schema refers to itself alone", async () => {
    const { valid, errors } = await new Validator().validate(structuredClone(described) as never);
    expect({ valid, errors }).toEqual({ valid: true, errors: undefined });
    for (const [name, schema] of Object.entries(described.components.schemas))
      expect({ name, ref: schema["$ref"] }).toEqual({ name, ref: undefined });
  });

  test("every call has a name of its own, and each status says which problems it may be", () => {
    const names = operations().map(({ operation }) => operation.operationId);
    expect(new Set(names).size).toBe(names.length);
    expect(names).not.toContain(undefined);
    for (const { path, method, operation } of operations())
      for (const [status, { description, content }] of Object.entries(operation.responses)) {
        expect(status).toMatch(/^[2-5]\d\d$/);
        const isProblem = content?.["application/problem+json"] !== undefined;
        if (Number(status) >= 400 && isProblem)
          expect({ path, method, status, description }).toMatchObject({
            description: expect.stringMatching(/^`[a-z-]+`: /),
          });
      }
  });

  test("every example is valid against its schema", () => {
    const ajv = new Ajv2020({ strict: false, allErrors: true });
    addFormats.default(ajv);
    ajv.addFormat("base64", /^[A-Za-z0-9+/]*={0,2}$/);
    ajv.addSchema({ $id: "all", components: described.components });
    /** Most calls share the schemas of their problems. */
    const known = new Map<string, ValidateFunction>();
    const validatorOf = (schema: Json): ValidateFunction => {
      const text = JSON.stringify(schema).replaceAll('"#/', '"all#/');
      const validate = known.get(text) ?? ajv.compile(JSON.parse(text) as Json);
      known.set(text, validate);
      return validate;
    };
    let checked = 0;
    const faults: unknown[] = [];
    for (const { path, method, operation } of operations()) {
      const holders = [operation.requestBody, ...Object.values(operation.responses)];
      for (const media of holders.flatMap((holder) => Object.values(holder?.content ?? {}))) {
        const validate = validatorOf(media.schema);
        const values = media.examples === undefined ? [media.example] : Object.values(media.examples);
        for (const one of values) {
          const value = media.examples === undefined ? one : (one as { value: unknown }).value;
          if (!validate(value)) faults.push({ path, method, value, errors: validate.errors });
          checked += 1;
        }
      }
    }
    expect(faults).toEqual([]);
    expect(checked).toBeGreaterThan(400);
  });

  test("a client made of it alone compiles strictly and goes through the journey", async () => {
    await service.operator();
    writeFileSync(join(FOLDER, "api.d.ts"), astToString(await openapiTS(described as never)));
    const source = readFileSync(join(ROOT, "testing/generated/journey.ts"), "utf8");
    writeFileSync(join(FOLDER, "journey.ts"), source);
    const strict = ["--noEmit", "--strict", "--exactOptionalPropertyTypes", "--noUncheckedIndexedAccess"];
    const resolution = ["--target", "es2022", "--module", "nodenext", "--allowImportingTsExtensions"];
    const compiled = await run(
      [
        join(ROOT, "node_modules/@typescript/native/bin/tsc"),
        ...strict,
        ...resolution,
        "--ignoreConfig",
      ].concat("--singleThreaded", "--skipLibCheck", "--types", "node", join(FOLDER, "journey.ts")),
    );
    expect(compiled).toEqual({ status: 0, out: "" });

    const parser = { syntax: "typescript" } as const;
    const { code } = transformSync(source, { jsc: { target: "es2022", parser }, module: { type: "es6" } });
    writeFileSync(join(FOLDER, "journey.mjs"), code);
    let asked = 0;
    const arguments_ = [join(FOLDER, "journey.mjs"), service.url, "office@brina.example", PASSWORD];
    const { status, out } = await run(arguments_, (line) => {
      const uri = /^code (.*)$/.exec(line)?.[1];
      if (uri === undefined) return undefined;
      const { secret, settings } = readKeyUri(uri);
      // The second time the code of the next step: the present one is used.
      const ahead = asked * settings.period * 1_000;
      asked += 1;
      return totp(secret, new Date(service.clock.now().getTime() + ahead), settings);
    });
    expect({ status, said: out.trim().split("\n").at(-1) }).toEqual({
      status: 0,
      said: `done ${JSON.stringify({
        name: "Gina",
        recoveryCodes: 10,
        wanted: ["totp", "recovery-code"],
        level: 2,
        afterwards: "not-signed-in",
        listed: ["generated@brina.example"],
      })}`,
    });
  });
});

/** Runs a program of node. @param answer gives the line that is said to a line of its own. */
function run(args: readonly string[], answer?: (line: string) => string | undefined) {
  return new Promise<{ status: number; out: string }>((resolve) => {
    const child = spawn(process.execPath, args, { cwd: ROOT });
    let out = "";
    createInterface({ input: child.stdout }).on("line", (line) => {
      out += `${line}\n`;
      const said = answer?.(line);
      if (said !== undefined) child.stdin.write(`${said}\n`);
    });
    child.stderr.on("data", (chunk) => (out += chunk));
    child.once("close", (code) => resolve({ status: code ?? -1, out }));
  });
}
