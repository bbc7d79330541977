/** Time comes from one injected clock. What imports what is held by dependency-cruiser (.dependency-cruiser.mjs). */
import { readdirSync, readFileSync, statSync } from "node:fs";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { describe, expect, test } from "@jest/globals";

const ROOT = fileURLToPath(new URL("../..", import.meta.url));

function filesOf(folder: string): string[] {
  return readdirSync(folder).flatMap((name) => {
    const path = join(folder, name);
    if (statSync(path).isDirectory()) return filesOf(path);
    return /\.(ts|svelte)$/.test(name) && !name.endsWith(".test.ts") ? [path] : [];
  });
}
describe("time", () => {
  test("core has no clock of its own", () => {
    for (const file of filesOf(join(ROOT, "core", "src")))
      expect({ file, ownTime: /Date\.now\(\)|new Date\(\)/.test(readFileSync(file, "utf8")) }).toEqual({
        file,
        ownTime: false,
      });
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
