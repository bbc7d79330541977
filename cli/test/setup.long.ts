/** `setup` killed after each of its steps, and run again. */
import { spawn } from "node:child_process";
import { randomBytes } from "node:crypto";
import { existsSync, mkdtempSync, readFileSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { expect, test } from "@jest/globals";
import { callCommand, COMMAND } from "../../testing/command.ts";
import { asRoot } from "../../testing/database.ts";
import { freePort, PASSWORD } from "../../testing/service.ts";

const ENVIRONMENT = {
  LUCCHETTO_PASSWORDS_HASHING_SCHEME: "$scrypt$ln=8,r=8,p=1",
  LUCCHETTO_ADMIN_PASSWORD: "the administrator's own",
};

test.each([1, 2, 3, 4, 5, 6, 7])("killed after %i steps it is gone on with", async (steps) => {
  const home = mkdtempSync(join(tmpdir(), "lucchetto-killed-"));
  const name = `killed_${randomBytes(5).toString("hex")}`;
  const admin = `${name}_boss`;
  const password = ENVIRONMENT.LUCCHETTO_ADMIN_PASSWORD.replace("'", "''");
  await asRoot(
    `CREATE USER ${admin}@'127.0.0.1' IDENTIFIED BY '${password}'; GRANT ALL ON *.* TO ${admin}@'127.0.0.1' WITH GRANT OPTION;`,
  );
  const server = `127.0.0.1:${process.env["TEST_DATABASE_PORT"]}`;
  const args = [
    ...["setup", "--password-stdin", "--site-name", "Brina Huts"],
    ...["--public-url", `http://localhost:${await freePort()}`],
    ...["--database", `mariadb://${name}@${server}/${name}`, "--admin", `mariadb://${admin}@${server}`],
    ...[
      "--operator-email",
      "office@brina.example",
      "--app-name",
      "Hut book",
      "--app-url",
      "http://localhost:1",
    ],
  ];
  try {
    const said = await runUntil(home, args, steps);
    expect(said.match(/^made/gm)?.length).toBeGreaterThanOrEqual(steps);
    const file = join(home, "database-password");
    if (existsSync(file)) expect(readFileSync(file, "utf8").length).toBeGreaterThan(20);

    const again = await callCommand(home, args, { input: PASSWORD, env: ENVIRONMENT });
    expect(again).toMatchObject({ status: 0, err: "" });
    const outcomes = again.out.match(/^(made|there)/gm) ?? [];
    expect(outcomes).toHaveLength(7);
    expect(outcomes.filter((one) => one === "there").length).toBeGreaterThanOrEqual(steps);
    const checked = await callCommand(home, ["check"], { env: ENVIRONMENT });
    expect(checked.out).not.toMatch(/^wrong/m);
  } finally {
    await asRoot(
      `DROP USER ${admin}@'127.0.0.1'; DROP DATABASE IF EXISTS ${name}; DROP USER IF EXISTS ${name}@'127.0.0.1', ${name}@'localhost';`,
    );
    rmSync(home, { recursive: true });
  }
});

/** Runs it as a process that is killed, with all it has started, once so many steps are made. */
function runUntil(cwd: string, args: readonly string[], steps: number): Promise<string> {
  const child = spawn(process.execPath, [COMMAND, ...args], {
    cwd,
    detached: true,
    env: { ...process.env, ...ENVIRONMENT },
  });
  child.stdin.end(PASSWORD);
  let said = "";
  child.stdout.on("data", (chunk: Buffer) => {
    said += chunk.toString();
    if ((said.match(/^made/gm)?.length ?? 0) >= steps) process.kill(-(child.pid ?? 0), "SIGKILL");
  });
  return new Promise((resolve) => child.once("close", () => resolve(said)));
}
