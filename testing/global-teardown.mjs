import { rmSync } from "node:fs";

export default async function tearDown() {
  const { server, directory } = globalThis.testDatabaseServer;
  await server.stop();
  for (const folder of [directory, process.env.TMPDIR]) rmSync(folder, { recursive: true, force: true });
}
