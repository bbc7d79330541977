/** The rooms of the workspace: imports only ever point down the list. */
import { readdirSync, readFileSync, statSync } from "node:fs";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { describe, expect, test } from "@jest/globals";

const ROOT = fileURLToPath(new URL("../..", import.meta.url));

/** What each room may import of ours. */
const MAY_IMPORT: Readonly<Record<string, readonly string[]>> = {
  core: [],
  contract: [],
  hasp: ["contract"],
  service: ["contract", "core"],
  // Of core only what is pure enough for a page.
  console: ["contract", "core/strength"],
  cli: ["contract", "core"],
  demo: ["hasp", "contract"],
};

/** What core may import: primitives, threads to compute them in, and an encoding. */
const OUTSIDE_OF_CORE = ["node:crypto", "node:url", "node:worker_threads", "@scure/base", "hash-wasm"];

function filesOf(folder: string): string[] {
  return readdirSync(folder).flatMap((name) => {
    const path = join(folder, name);
    if (statSync(path).isDirectory()) return filesOf(path);
    return /\.(ts|svelte)$/.test(name) && !name.endsWith(".test.ts") ? [path] : [];
  });
}
function importsOf(file: string): string[] {
  const statements = readFileSync(file, "utf8").matchAll(
    /^\s*(?:import|export)\s[^;"(]*?from\s+"([^"]+)"|^\s*import\s+"([^"]+)"|\bimport\("([^"]+)"\)/gm,
  );
  return [...statements].map(([, named, bare, dynamic]) => named ?? bare ?? dynamic ?? "");
}

describe("rooms", () => {
  test.each(Object.keys(MAY_IMPORT))("%s imports only what lies below it", (room) => {
    for (const file of filesOf(join(ROOT, room, "src"))) {
      for (const path of importsOf(file)) {
        const ours = /^@lucchetto\/(core\/strength|[a-z]+)/.exec(path)?.[1];
        if (ours !== undefined)
          expect({ file, imports: MAY_IMPORT[room]?.includes(ours) ? "allowed" : ours }).toEqual({
            file,
            imports: "allowed",
          });
      }
    }
  });

  test("core knows no framework, no clock of its own, and does no I/O", () => {
    for (const file of filesOf(join(ROOT, "core", "src"))) {
      const outside = importsOf(file).filter((path) => !path.startsWith("."));
      for (const path of outside) expect(OUTSIDE_OF_CORE).toContain(path);
      expect(readFileSync(file, "utf8")).not.toMatch(/Date\.now\(\)|new Date\(\)/);
    }
  });

  test("the service takes the time from its clock alone", () => {
    for (const file of filesOf(join(ROOT, "service", "src"))) {
      if (file.endsWith("clock/clock.ts")) continue;
      expect({ file, ownTime: /Date\.now\(\)|new Date\(\)/.test(readFileSync(file, "utf8")) }).toEqual({
        file,
        ownTime: false,
      });
    }
  });
});
