/** The authenticator in software, over and over. */
import { execFile } from "node:child_process";
import { promisify } from "node:util";
import { expect, test } from "@jest/globals";

const ROUNDS = 30_000;
/** A process that stands still does not come to an end by itself. */
const FAR_TOO_LONG = 30 * 60_000;

test("keys are generated and read however often memory is tidied up meanwhile", async () => {
  const authenticator = new URL("../dist/authenticator/software-authenticator.js", import.meta.url).href;
  const script = `
    import { generateKeyPairSync } from "node:crypto";
    import { coseKeyOf } from "${authenticator}";
    let rounds = 0;
    for (; rounds < ${ROUNDS}; rounds += 1)
      coseKeyOf(generateKeyPairSync("ec", { namedCurve: "P-256" }).privateKey, -7);
    console.log(rounds);
  `;
  // With little room for what is young, memory is tidied up often.
  const args = ["--max-semi-space-size=1", "--input-type=module", "--eval", script];
  const { stdout } = await promisify(execFile)(process.execPath, args, { timeout: FAR_TOO_LONG });
  expect(stdout).toBe(`${ROUNDS}\n`);
});
